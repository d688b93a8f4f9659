"""Played live over its connection: what comes out, what is refused, who plays, and what is left where it breaks off."""

import asyncio
import json
import math
import os
import signal
import threading
import unittest
from multiprocessing.connection import Connection
from types import SimpleNamespace
from typing import Any, cast
from unittest.mock import patch

import numpy as np
from starlette.websockets import WebSocket, WebSocketDisconnect

from jorvik.core.document.patch import check_patch
from jorvik.core.live.player import BLOCK, BLOCKS, LivePlayer
from jorvik.core.voice.limiter import Limited
from jorvik.web.routes.live import LOST, MOST_WAITING, TAKEN, live
from jorvik.web.services.live_process import DRAWN_AT_ONCE, HEAD, LiveSession, come_first, go_on, packed
from jorvik.web.services.live_slot import LiveSlot, Seat
from tests.support import Json, demos, wait_until
from tests.web.test_api import Api


class Hand:
    """The way from the server, with messages that wait: keeps the order in which strikes are taken and blocks sent."""

    def __init__(self, messages: list[Json]) -> None:
        self.messages = messages
        self.done: list[str] = []

    def poll(self, _: float) -> bool:
        return bool(self.messages)

    def recv(self) -> Json:
        self.done.append("S")
        return self.messages.pop(0)

    def send(self, said: object) -> None:
        if isinstance(said, bytes):
            self.done.append("b")


def may_be_real_time() -> bool:
    """Tell whether who runs the tests is allowed to make a thread real-time."""
    try:
        os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(1))
    except OSError:
        return False
    os.sched_setscheduler(0, os.SCHED_OTHER, os.sched_param(0))
    return True


class Paced(unittest.TestCase):
    """When the next block is due: by what is told, and by the clock for as long as was said."""

    def setUp(self) -> None:
        self.seconds = 0.0
        self.session = LiveSession(lambda: self.seconds)
        self.session.told({"do": "play", "document": demos()["barge-bell"], "rate": 48_000})

    def heard(self, to: int, ahead: int, goes_on: int = 0) -> None:
        self.session.told({"do": "heard", "to": to, "ahead": ahead, "goes_on": goes_on})

    def made(self) -> int:
        """How many blocks are due now, which are made."""
        count = 0
        while self.session.waits_s == 0.0:
            self.session.block()
            count += 1
        return count

    def test_no_more_is_made_than_is_wanted(self) -> None:
        self.assertEqual(self.session.waits_s, math.inf)
        self.heard(0, 3 * BLOCK)
        self.assertEqual(self.made(), 3)
        self.seconds = 5.0
        self.assertEqual((self.made(), self.session.waits_s), (0, math.inf))
        self.heard(BLOCK, 3 * BLOCK)
        self.assertEqual(self.made(), 1)

    def test_longer_blocks_are_made_further_ahead(self) -> None:
        [_, (many, length), _] = BLOCKS
        for key in range(many):
            self.session.told({"do": "on", "key": 40 + key, "velocity": 90})
        self.heard(0, length)
        # One that is heard, and beyond what is asked for twice what the long are longer by: another.
        self.assertEqual(2 * (length - BLOCK), length)
        self.assertEqual(self.made(), 2)

    def test_a_chord_is_struck_before_more_sound_unless_little_is_left_to_be_heard(self) -> None:
        for left, order in ((1, "SbSbSSbb"), (8, "SSSSbb")):
            with self.subTest(left=left):
                self.setUp()
                self.heard(0, left * BLOCK)
                self.made()
                self.heard(0, 10 * BLOCK)
                hand = Hand([{"do": "on", "key": 50 + key, "velocity": 90} for key in range(4)])
                while len(hand.done) < len(order):
                    go_on(cast(Connection, hand), self.session)
                self.assertEqual("".join(hand.done), order)

    def test_a_block_tells_in_what_share_of_its_time_it_was_made(self) -> None:
        player = self.session.player
        assert player is not None
        at_once = player.block

        def slowly() -> Limited:
            self.seconds += 0.25 * BLOCK / 48_000
            return at_once()

        with patch.object(player, "block", slowly):
            sound, _ = self.session.block()
        [load] = np.frombuffer(sound[: HEAD.itemsize], dtype=HEAD)["load"]
        self.assertAlmostEqual(load, 0.25, places=9)

    def test_a_report_that_is_late_keeps_nothing_back_for_as_long_as_it_was_said(self) -> None:
        self.heard(0, 2 * BLOCK, goes_on=4 * BLOCK)
        self.assertEqual(self.made(), 2)
        # The next is due once a sample of the first has been heard, and one for each block that passes.
        self.assertAlmostEqual(self.session.waits_s, 1 / 48_000, places=9)
        for made in (1, 2, 3, 4):
            self.seconds = (made - 0.5) * BLOCK / 48_000
            self.assertEqual(self.made(), 1)
        self.assertEqual(self.session.waits_s, math.inf)
        self.seconds = 60.0
        self.assertEqual(self.made(), 0)
        # It was heard no further than that: nothing more is made before it is.
        self.heard(2 * BLOCK, 2 * BLOCK)
        self.assertEqual(self.made(), 0)
        self.heard(5 * BLOCK, 2 * BLOCK)
        self.assertEqual(self.made(), 1)


class Live(Api):
    def setUp(self) -> None:
        super().setUp()
        self.addCleanup(self.stage.leave)

    @property
    def stage(self) -> LiveSlot:
        return cast(LiveSlot, self.client.app.state.stage)  # type: ignore[attr-defined]

    def connect(self, **options: Any) -> Any:
        return self.client.websocket_connect("ws://127.0.0.1:8420/api/live", **options)

    def begun(self, socket: Any, name: str = "barge-bell") -> Json:
        socket.send_json({"do": "play", "document": demos()[name], "rate": 48_000})
        return self.answer(socket)

    def answer(self, socket: Any) -> Json:
        """The next that is told which is no sound, nor said of it."""
        while True:
            message = socket.receive()
            if message["type"] == "websocket.close":
                raise WebSocketDisconnect(message["code"], message.get("reason"))
            told = json.loads(message["text"]) if message.get("text") is not None else {"drawn": {}}
            if not {"drawn", "log"} & set(told):
                return dict(told)

    def sound(self, socket: Any) -> bytes:
        """The next block of sound."""
        [block], _ = self.next_blocks(socket, 1)
        return block

    def next_blocks(self, socket: Any, count: int) -> tuple[list[bytes], list[Json]]:
        """The next blocks, and what is told until then."""
        sound: list[bytes] = []
        told: list[Json] = []
        while len(sound) < count:
            message = socket.receive()
            if message.get("bytes") is not None:
                sound.append(message["bytes"])
            else:
                told.append(json.loads(message["text"]))
        return sound, told

    def test_what_is_played_comes_out_block_by_block(self) -> None:
        player = LivePlayer(check_patch(demos()["barge-bell"]))
        with self.connect() as socket:
            told = self.begun(socket)
            self.assertEqual((told["playing"], told["block"], told["delay"]), ("Barge Bell", BLOCK, player.delay))
            self.assertEqual(told["lanes"], player.lanes)
            socket.send_json({"do": "on", "key": 60, "velocity": 100, "mark": 7})
            # What leaves is later than what was struck by what the limiter looks ahead.
            self.assertEqual(self.answer(socket), {"mark": 7, "at": player.delay})
            player.note_on(60, 100)
            socket.send_json({"do": "heard", "to": 0, "ahead": 3 * BLOCK})
            for number in range(3):
                self.assert_sound(self.sound(socket), player, number * BLOCK)
            # Nothing more is made before it is wanted.
            socket.send_json({"do": "control", "name": "macro:striker", "value": 1.0, "mark": 8})
            self.assertEqual(self.answer(socket), {"mark": 8, "at": 3 * BLOCK + player.delay})
            player.control("macro:striker", 1.0)
            socket.send_json({"do": "heard", "to": BLOCK, "ahead": 3 * BLOCK})
            self.assert_sound(self.sound(socket), player, 3 * BLOCK)
            socket.send_json({"do": "off", "key": 60})
            self.assertEqual(self.answer(socket)["at"], 4 * BLOCK + player.delay)
            player.note_off(60)

    def assert_sound(self, block: bytes, player: LivePlayer, first: int) -> None:
        """Fail where a block is not the next that the player makes, told to begin with a sample."""
        [load] = np.frombuffer(block[: HEAD.itemsize], dtype=HEAD)["load"]
        self.assertGreater(load, 0.0)
        self.assertEqual(block, packed(player.block(), first, load))

    def heard(self, socket: Any, blocks: int, ends: int) -> tuple[list[bytes], list[Json]]:
        """What comes until so many samples are there: blocks, and what is told."""
        sound: list[bytes] = []
        told: list[Json] = []
        while (left := blocks - len(sound)) > 0:
            # No more than that is made ahead, whatever is asked for.
            count = min(left, 40)
            socket.send_json({"do": "heard", "to": ends - left * BLOCK, "ahead": count * BLOCK})
            made, said = self.next_blocks(socket, count)
            sound, told = [*sound, *made], [*told, *said]
        return sound, told

    def test_what_is_recorded_begins_at_its_first_sample_and_is_told_as_it_is_played(self) -> None:
        over = {"format": "jorvik-phrase", "version": 1, "tempo_bpm": 240, "bars": 1, "played": [{"key": 50, "at": 1}]}
        with self.connect() as socket:
            self.begun(socket)
            socket.send_json({"do": "control", "name": "macro:striker", "value": 0.8})
            self.answer(socket)
            self.heard(socket, 6, 6 * BLOCK)
            socket.send_json({"do": "record", "phrase": over, "plays": True, "count_in": 1})
            recording = self.answer(socket)["recording"]
            # A block more, over which what was played before falls silent.
            first = 7 * BLOCK
            self.assertEqual(
                recording, {"first": first, "bars_from": 48_000, "tempo_bpm": 240, "beats_per_bar": 4, "turn": 48_000}
            )
            blocks = 1 + (48_000 + 12_000) // BLOCK + 2
            sound, told = self.heard(socket, blocks, 6 * BLOCK + blocks * BLOCK)
            heads = [np.frombuffer(block[: HEAD.itemsize], dtype=HEAD)[0]["first"] for block in sound]
            self.assertEqual(heads, [6 * BLOCK + n * BLOCK for n in range(blocks)])
            logs = [message["log"] for message in told if "log" in message]
            # Lanes stand where they were, from the first sample on; the phrase's own note is played with the hand's.
            self.assertEqual(logs[0]["lanes"]["macro:striker"], [[0, 0.8]])
            self.assertEqual([note for log in logs for note in log["on"]], [[0, 50, 96.0, 60_000]])
            # Where it stands is told several blocks at once, each with its sample.
            more = DRAWN_AT_ONCE + 1
            _, told = self.heard(socket, more, (6 + blocks + more) * BLOCK)
            drawn = next(message["drawn"] for message in told if "drawn" in message)
            self.assertEqual(np.diff([one["at"] for one in drawn]).tolist(), [BLOCK] * (DRAWN_AT_ONCE - 1))
            self.assertIn("cutoff", drawn[-1]["lanes"])

    def test_an_edit_is_made_ready_beside_what_plays(self) -> None:
        bell = demos()["barge-bell"]
        with self.connect() as socket:
            self.begun(socket)
            socket.send_json({"do": "on", "key": 60, "velocity": 100})
            self.answer(socket)
            self.heard(socket, 8, 8 * BLOCK)
            for level in (0.4, 0.2, 0.0):
                voice = {**bell["voice"], "base": {**bell["voice"].get("base", {}), "amplitude": level}}
                socket.send_json({"do": "play", "document": {**bell, "voice": voice}})
                self.assertEqual(self.answer(socket), {"playing": "Barge Bell"})

            edits: list[int] = []

            def quiet() -> bool:
                self.ends = getattr(self, "ends", 8 * BLOCK) + BLOCK
                [block], told = self.heard(socket, 1, self.ends)
                edits.extend(at for message in told for at in message.get("log", {}).get("edits", []))
                return float(np.abs(np.frombuffer(block[HEAD.itemsize :], dtype="<f4")).max()) < 1e-4

            wait_until(quiet, "the last edit was never heard")
            # Of edits that came while one was made ready only the last counts.
            self.assertIn(len(edits), (1, 2, 3))
            self.assertEqual(edits, sorted(set(edits)))
            self.assertEqual([at % BLOCK for at in edits], [0] * len(edits))
            self.assertTrue(all(8 * BLOCK <= at < self.ends for at in edits))

    def test_what_cannot_be_done_is_said_and_playing_goes_on(self) -> None:
        with self.connect() as socket:
            for text, said in (
                ("x", "JSON object"),
                ("[]", "JSON object"),
                (json.dumps({"do": "dance"}), "do"),
                (json.dumps({"do": "on", "key": 60, "velocity": 90}), "after a patch"),
                (json.dumps({"do": "play", "document": {"format": "jorvik-patch", "version": 9}}), "version"),
                (json.dumps({"do": "play", "document": demos()["barge-bell"], "rate": 10}), "rate"),
            ):
                socket.send_text(text)
                self.assertIn(said, self.answer(socket)["refused"])
            self.begun(socket)
            for message, said in (
                ({"do": "on", "key": 60, "velocity": 300}, "velocity 300"),
                ({"do": "control", "name": "macro:far", "value": 0}, "macro:far"),
                ({"do": "heard", "to": -1, "ahead": 0}, "to"),
                ({"do": "record", "count_in": 99}, "count_in"),
                ({"do": "write", "how": "smear"}, "touch"),
                ({"do": "on", "key": 60, "velocity": 90, "mark": "\ud83d"}, "mark"),
                ({"do": "on", "key": "\ud83d", "velocity": 90, "mark": 10**400}, "key"),
            ):
                socket.send_text(json.dumps(message))
                answer = self.answer(socket)
                self.assertTrue(said in answer["refused"] and answer["mark"] == 0, answer)
            for wrong in (b"\x00\x01", b""):
                socket.send_bytes(wrong)
                self.assertIn("must be a JSON object", self.answer(socket)["refused"])
            socket.send_json({"do": "on", "key": 60, "velocity": 90})
            self.assertIn("at", self.answer(socket))

    def test_one_page_plays_and_the_next_when_it_has_left(self) -> None:
        with self.connect() as first:
            self.begun(first)
            with self.connect() as second:
                self.assertIn("Another page is playing", second.receive_json()["refused"])
                with self.assertRaises(WebSocketDisconnect) as closed:
                    second.receive_json()
                self.assertEqual(closed.exception.code, TAKEN)
        wait_until(lambda: self.stage.pid is None, "the process went on playing for nobody")
        with self.connect() as third:
            self.assertEqual(self.begun(third)["playing"], "Barge Bell")

    def test_a_page_that_stops_and_begins_again_waits_for_itself(self) -> None:
        with self.connect() as first:
            self.begun(first)
            with self.connect() as second:
                first.close()
                self.assertEqual(self.begun(second)["playing"], "Barge Bell")

    def test_a_process_that_is_killed_is_told_of(self) -> None:
        with self.connect() as socket:
            self.begun(socket)
            pid = self.stage.pid
            assert pid is not None
            os.kill(pid, signal.SIGKILL)
            self.assertIn("stopped", self.answer(socket)["refused"])
            with self.assertRaises(WebSocketDisconnect) as closed:
                self.answer(socket)
            self.assertEqual(closed.exception.code, LOST)
        wait_until(lambda: self.stage.pid is None, "the stage was not free again")
        with self.connect() as again:
            self.begun(again)

    def test_what_plays_is_weighed_by_itself_and_real_time_where_it_may_be(self) -> None:
        with self.connect() as socket:
            self.begun(socket)
            pid = self.stage.pid
            assert pid is not None
            self.assertEqual(os.getsid(pid), pid)
            many = len(os.sched_getaffinity(pid)) > 1
            policy = os.SCHED_RR if many and may_be_real_time() else os.SCHED_OTHER
            self.assertEqual(os.sched_getscheduler(pid), policy)

    def test_on_a_single_core_something_is_left_for_the_page(self) -> None:
        with (
            patch("os.setsid"),
            patch("os.setpriority"),
            patch("os.sched_getaffinity", return_value={0}),
            patch("os.sched_setscheduler") as made_real_time,
        ):
            come_first()
        made_real_time.assert_not_called()

    def test_what_is_told_to_a_process_that_just_died_does_not_hide_that_it_died(self) -> None:
        """The page goes on telling how far it has played until it is told; the pipe may be broken before that."""
        ended = threading.Event()

        class Dead:
            def send(self, _: Any) -> None:
                ended.set()
                raise BrokenPipeError

            def recv(self) -> Any:
                ended.wait(10)
                raise EOFError

            def close(self) -> None:
                ended.set()

        dead = Seat(None, cast(Connection, Dead()))
        with patch.object(self.stage, "enter", lambda: dead), self.connect() as socket:
            socket.send_json({"do": "heard", "to": 0, "ahead": 0})
            self.assertIn("stopped", self.answer(socket)["refused"])

    def test_of_many_pages_at_once_one_plays_and_nothing_is_left_behind(self) -> None:
        for _ in range(5):
            stage, seats = LiveSlot(), []
            threads = [threading.Thread(target=lambda: seats.append(stage.enter())) for _ in range(8)]  # noqa: B023
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
            taken = [seat for seat in seats if seat is not None]
            self.assertEqual(len(taken), 1)
            pid = stage.pid
            assert pid is not None
            # Who has no seat, or had one before, ends nobody else's.
            stage.leave(Seat(None, cast(Connection, None)))
            self.assertEqual(stage.pid, pid)
            stage.leave(taken[0])
            self.assertIsNone(stage.pid)
            with self.assertRaises(ProcessLookupError):
                os.kill(pid, 0)

    def test_a_page_that_takes_no_sound_is_let_go_before_it_fills_the_memory(self) -> None:
        ended = threading.Event()

        class Endless:
            """A pipe whose process makes blocks as fast as they are taken."""

            made = 0

            def recv(self) -> bytes:
                if ended.wait(0.0001):
                    raise EOFError
                self.made += 1
                return b"block"

        class Stuck:
            """A page that was sent a block and takes no other."""

            app = SimpleNamespace(state=SimpleNamespace(stage=None))

            async def accept(self) -> None: ...

            async def receive(self) -> None:
                await asyncio.Event().wait()

            async def send_bytes(self, _: bytes) -> None:
                await asyncio.Event().wait()

        pipe, stage = Endless(), LiveSlot()
        page = Stuck()
        page.app.state.stage = stage
        seat = Seat(None, cast(Connection, pipe))
        with (
            patch.object(stage, "enter", lambda: seat),
            patch.object(stage, "leave", side_effect=lambda _: ended.set()) as left,
        ):
            asyncio.run(live(cast(WebSocket, page)))
        left.assert_called_once_with(seat)
        self.assertGreater(pipe.made, MOST_WAITING)

    def test_another_sites_page_is_not_let_in(self) -> None:
        for headers in ({"origin": "http://elsewhere.example"}, {"host": "elsewhere.example"}):
            with self.subTest(headers=headers), self.assertRaises(WebSocketDisconnect), self.connect(headers=headers):
                self.fail("it was let in")
        self.assertIsNone(self.stage.pid)


if __name__ == "__main__":
    unittest.main()
