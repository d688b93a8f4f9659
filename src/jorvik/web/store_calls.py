"""Calls of the store by what works behind: it waits where the store is away, however long that is."""

import asyncio
import logging
from collections.abc import Callable
from typing import Final, TypeVar

import anyio.to_thread
from sqlalchemy.exc import DBAPIError, InterfaceError, OperationalError, SQLAlchemyError, TimeoutError

_LOG: Final = logging.getLogger("jorvik")
_AWAY_S: Final = 1.0
"""How long to wait for a store that is away before asking again."""

T = TypeVar("T")


def is_away(error: SQLAlchemyError) -> bool:
    """Return True for an error of the connection: the same call may succeed later."""
    lost = isinstance(error, DBAPIError) and error.connection_invalidated
    return lost or isinstance(error, OperationalError | InterfaceError | TimeoutError)


async def when_there(call: Callable[[], T]) -> T:
    """Return what a call of the store returns, however long the store is away.

    Raises SQLAlchemyError where the store is there and refuses the call.
    """
    while True:
        try:
            return await anyio.to_thread.run_sync(call)
        except SQLAlchemyError as error:
            if not is_away(error):
                raise
            _LOG.warning("what works behind waits for the store: %s", type(error).__name__)
            await asyncio.sleep(_AWAY_S)
