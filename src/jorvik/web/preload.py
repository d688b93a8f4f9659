"""Imported once by the process that workers are forked from: everything that they need, run once."""

import gc

from jorvik.core.compiling import compile_part
from jorvik.core.document.patch import check_patch
from jorvik.core.live.player import LivePlayer
from jorvik.web.routes import assist, compute, judge, sound
from jorvik.web.services import live_process, session_tasks

__all__ = ["assist", "compute", "judge", "live_process", "session_tasks", "sound"]

compile_part("engine")
_player = LivePlayer(check_patch({"format": "jorvik-patch", "version": 1}))
_player.note_on(60, 96)
_player.block()
# What is here stays: to look through it for garbage takes a process 0.2 s, in the middle of a sound.
gc.collect()
gc.freeze()
