"""A patch in the figures of an instrument at hand, and back."""
