"""Rooms that outlive a request."""

import unittest
from contextlib import ExitStack

from jorvik.core.engine.run import Room, Run
from jorvik.core.limits import MAX_ROOMS_BYTES
from jorvik.web.rooms import Rooms
from tests.support import note, patch


def run(length_s: float) -> Run:
    return Run(patch(performance=note(length_s, 0.0)))


class Lent(unittest.TestCase):
    def used(self, rooms: Rooms, of: Run) -> Room:
        """Return the room that was lent for a run, the run made in it."""
        with rooms.lent(of) as room:
            assert room is not None
            of.whole(room=room)
        return room

    def test_the_room_of_the_last_run_of_that_size_is_lent_again(self) -> None:
        rooms = Rooms()
        short, long = self.used(rooms, run(0.1)), self.used(rooms, run(0.2))
        self.assertIsNot(short, long)
        self.assertIs(self.used(rooms, run(0.1)), short)
        self.assertIs(self.used(rooms, run(0.2)), long)

    def test_a_room_is_lent_to_one_at_a_time(self) -> None:
        rooms, of = Rooms(), run(0.1)
        self.used(rooms, of)
        with rooms.lent(of) as one, rooms.lent(of) as other:
            self.assertIsNot(one, other)

    def test_what_fails_in_a_room_gives_it_back(self) -> None:
        rooms, of = Rooms(), run(0.1)
        room = self.used(rooms, of)
        with self.assertRaises(ZeroDivisionError), rooms.lent(of):
            raise ZeroDivisionError
        self.assertIs(self.used(rooms, of), room)

    def test_no_more_are_kept_than_there_is_memory_for_the_oldest_go(self) -> None:
        rooms = Rooms()
        runs = [run(4.0 + 0.05 * i) for i in range(20)]
        made = [self.used(rooms, of) for of in runs]
        self.assertGreater(sum(room.nbytes for room in made), MAX_ROOMS_BYTES)
        with ExitStack() as stack:
            kept = [stack.enter_context(rooms.lent(of)) is room for of, room in zip(runs, made, strict=True)]
        self.assertLessEqual(
            sum(room.nbytes for room, is_kept in zip(made, kept, strict=True) if is_kept), MAX_ROOMS_BYTES
        )
        self.assertEqual(kept, sorted(kept), "an older one stayed and a newer one went")
        self.assertGreater(sum(kept), 2)

    def test_a_run_too_long_to_be_kept_gets_none(self) -> None:
        for of, too_long in ((run(0.1), False), (run(59.0), True)):
            with self.subTest(seconds=of.length / of.rate), Rooms().lent(of) as room:
                self.assertEqual(room is None, too_long)


if __name__ == "__main__":
    unittest.main()
