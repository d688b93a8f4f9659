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


def is_away(error: Exception) -> bool:
    """Return True where the server is away and the same call may succeed later.

    These are lost connections, no free connection, and SQLSTATE 08, 57P, 53300 or none at all.
    """
    if isinstance(error, TimeoutError):
        return True
    if not isinstance(error, DBAPIError):
        return False
    state = getattr(error.orig, "sqlstate", None)
    unanswered = isinstance(error, OperationalError | InterfaceError)
    return error.connection_invalidated or (unanswered and (state is None or state.startswith(("08", "57P", "53300"))))


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
