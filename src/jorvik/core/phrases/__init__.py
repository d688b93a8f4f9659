"""Making phrases and changing them: by typing, to a pattern, as a whole."""
