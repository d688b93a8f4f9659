"""The process that workers are forked from.

It imports and compiles everything once. This module imports little, so that it can be started first.
"""

import multiprocessing
from multiprocessing import forkserver
from typing import Any


def forked() -> Any:
    """Return the context whose processes begin with everything imported."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["jorvik.web.preload"])
    return context


def begin_forkserver() -> None:
    """Start the process, so that it imports while the caller does other things."""
    forked()
    forkserver.ensure_running()
