"""Calls of the store by what works behind: it waits where the store is away, however long that is."""

import asyncio
import logging
from collections.abc import Callable
from typing import Final, TypeVar

import anyio.to_thread
from sqlalchemy.exc import SQLAlchemyError

_LOG: Final = logging.getLogger("jorvik")
_AWAY_S: Final = 1.0
"""How long to wait for a store that is away before asking again."""

T = TypeVar("T")


async def when_there(call: Callable[[], T]) -> T:
    """Return what a call of the store returns, however long the store is away."""
    while True:
        try:
            return await anyio.to_thread.run_sync(call)
        except SQLAlchemyError as error:
            _LOG.warning("what works behind waits for the store: %s", type(error).__name__)
            await asyncio.sleep(_AWAY_S)
