"""Jorvik: design what moves within a note, see it, judge it, hear it."""
