"""The three velocities at which a patch is compared, drawn, printed and checked."""

from typing import Final

SOFT: Final = 40.0
MEDIUM: Final = 80.0
HARD: Final = 118.0

VELOCITIES: Final = {"soft": SOFT, "medium": MEDIUM, "hard": HARD}
"""Velocities by their names on the screen, from soft to hard."""
