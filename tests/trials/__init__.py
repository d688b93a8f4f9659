"""Trials: faults, load and bad input. Short within ``./test``; longer with ``./test trials --long``."""
