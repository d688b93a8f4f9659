"""Work behind others waits for a store that is away, and not for one that refuses."""

import asyncio
import unittest
from typing import Any

from sqlalchemy.exc import DataError, IntegrityError, InterfaceError, OperationalError, SQLAlchemyError, TimeoutError

from jorvik.web.services import store_calls
from jorvik.web.services.store_calls import is_away, when_there

REFUSED = [DataError("INSERT", {}, ValueError("half a letter")), IntegrityError("INSERT", {}, ValueError("a key"))]
AWAY = [OperationalError("SELECT", {}, OSError("gone")), InterfaceError("SELECT", {}, OSError("gone")), TimeoutError()]


class WhenThere(unittest.TestCase):
    def setUp(self) -> None:
        waited, store_calls._AWAY_S = store_calls._AWAY_S, 0.0  # type: ignore[misc]
        self.addCleanup(lambda: setattr(store_calls, "_AWAY_S", waited))

    def call(self, *errors: SQLAlchemyError) -> tuple[Any, int]:
        """Return what a call comes to that raises some errors first, and how often it was made."""
        left, count = [*errors], 0

        def store() -> str:
            nonlocal count
            count += 1
            if left:
                raise left.pop(0)
            return "kept"

        try:
            return asyncio.run(when_there(store)), count
        except SQLAlchemyError as error:
            return error, count

    def test_a_store_that_is_away_is_asked_again(self) -> None:
        with self.assertLogs("jorvik", "WARNING"):
            self.assertEqual(self.call(*AWAY), ("kept", 1 + len(AWAY)))

    def test_a_store_that_refuses_is_asked_once(self) -> None:
        for error in REFUSED:
            with self.subTest(error=type(error).__name__):
                self.assertFalse(is_away(error))
                self.assertEqual(self.call(error), (error, 1))

    def test_a_lost_connection_is_away_whatever_the_error_is_called(self) -> None:
        lost = DataError("SELECT", {}, OSError("reset"), connection_invalidated=True)
        self.assertTrue(is_away(lost))


if __name__ == "__main__":
    unittest.main()
