"""From lanes to sound."""
