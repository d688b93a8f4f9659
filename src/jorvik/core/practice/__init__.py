"""Practice: tasks made fresh from a seed, marked by measured distance, with the answer worked out."""
