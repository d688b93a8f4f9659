"""Imported once by the process that workers are forked from: everything that they need, run once."""

from jorvik.core.voice.warm import warm
from jorvik.web import assist, compute, judge, sound

__all__ = ["assist", "compute", "judge", "sound"]

warm()
