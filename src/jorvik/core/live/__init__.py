"""Played by hand: the same program and the same voice as everywhere, block by block as the hand moves."""
