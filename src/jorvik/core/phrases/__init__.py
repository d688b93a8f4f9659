"""Making phrases and changing them: by typing, by a maker, as a whole."""
