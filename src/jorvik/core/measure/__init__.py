"""Figures: of lanes and signals over a note, and of the sound."""
