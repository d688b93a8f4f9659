"""The process that plays: told what the hand does, it makes sound a little ahead of what is heard."""

import math
import os
import signal
import sys
import threading
import time
from collections.abc import Callable, Mapping
from concurrent.futures import Future, ThreadPoolExecutor, wait
from contextlib import suppress
from dataclasses import asdict
from multiprocessing.connection import Connection
from typing import Annotated, Any, Final, Literal

import numpy as np
from pydantic import Field, TypeAdapter, ValidationError

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.limits import DEFAULT_RATE, MAX_NAME, MAX_RATE, MIN_RATE
from jorvik.core.live.hands import Write
from jorvik.core.live.player import BLOCK, LivePlayer, Log
from jorvik.core.live.voices import Prepared
from jorvik.core.problems import Problem, from_validation
from jorvik.core.voice.limiter import Limited
from jorvik.web.forms.common import Document, Form

MOST_AHEAD_S: Final = 0.5
"""No more sound than this is made before it is heard, whatever is asked for."""

DRAWN_AT_ONCE: Final = 4
"""So many places are told at once: a message for each costs more than their sound."""

URGENT: Final = -10
"""How what sound goes through gives way to others: not."""

SWITCH_S: Final = 0.001
"""So long one thread of a process through which sound goes keeps the others from going on."""

LEFT_S: Final = 0.03
"""Where less is left to be heard, sound comes before what else the hand does: a chord of many notes makes no gap."""

_MAX_MARK: Final = 2**53
"""The greatest whole number that a page can tell from its neighbours."""

HEAD: Final = np.dtype([("first", "<f8"), ("frames", "<f8"), ("limited_db", "<f8"), ("load", "<f8")])
"""What stands before the samples of a block: its first sample, its length, what the limiter took, and the share of the
time it lasts that it took to be made."""


class PlayPatch(Form):
    """A patch to be played, at first or from the next note on."""

    do: Literal["play"]
    document: Document
    rate: Annotated[int, Field(ge=MIN_RATE, le=MAX_RATE)] = DEFAULT_RATE


class Strike(Form):
    """A key to be struck; ``mark`` comes back with the sample at which it took effect."""

    do: Literal["on"]
    key: float
    velocity: float
    mark: int = 0


class Release(Form):
    """A key to be let go."""

    do: Literal["off"]
    key: float
    mark: int = 0


class Turn(Form):
    """A control lane to be moved, or to be let go where there is no value."""

    do: Literal["control"]
    name: Annotated[str, Field(max_length=MAX_NAME)]
    value: float | None
    mark: int = 0


class Progress(Form):
    """How far the page has played, and how much it wants beyond that, in samples."""

    do: Literal["heard"]
    to: Annotated[int, Field(ge=0, le=2**50)]
    ahead: Annotated[int, Field(ge=0, le=96_000)]
    goes_on: Annotated[int, Field(ge=0, le=96_000)] = 0
    """So many more are heard from now on, sample by sample, should the next that is told of it be late."""


class Over(Form):
    """A phrase that is played over, in a loop: its hits, and where it ``plays`` its notes and lanes too; or none."""

    phrase: Document | None = None
    plays: bool = False
    count_in: Annotated[int, Field(ge=0, le=8)] = 0
    """Bars that are counted before it begins."""
    clicks: bool = False
    """Whether the clicks go on then."""
    mark: int = 0


class Beat(Over):
    """Something to be played over, from now on."""

    do: Literal["beat"]


class Record(Over):
    """Begin anew, in silence and at sample 0, to be recorded."""

    do: Literal["record"]


class Writes(Form):
    """How the hand writes over lanes that the phrase beside it plays."""

    do: Literal["write"]
    how: Write


class Panic(Form):
    """Silence."""

    do: Literal["panic"]


Message = Annotated[
    PlayPatch | Strike | Release | Turn | Progress | Beat | Record | Writes | Panic, Field(discriminator="do")
]
_MESSAGES: Final[TypeAdapter[PlayPatch | Strike | Release | Turn | Progress | Beat | Record | Writes | Panic]] = (
    TypeAdapter(Message)
)


def packed(block: Limited, first: int, load: float) -> bytes:
    """Return a block as it travels: the head, then left and right in turn, single precision."""
    head = np.array([(first, len(block.samples), block.taken_db, load)], dtype=HEAD)
    return head.tobytes() + block.samples.astype("<f4").tobytes()


class LiveSession:
    """What the process does with what it is told."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        """Begin without a patch; ``clock`` tells the seconds that pass."""
        self.player: LivePlayer | None = None
        self._clock = clock
        self._heard = Progress(do="heard", to=0, ahead=0)
        self._heard_at = clock()
        self.begins = 0
        """The sample of all that was sent with which what is played now began."""
        self._parting: bytes | None = None
        """The last block of what was played before that."""
        self._drawn: list[dict[str, Any]] = []
        """Where the destinations stood of late, which is told several blocks at once."""
        self._beside = ThreadPoolExecutor(1)
        self._edited: tuple[Patch, Future[Prepared]] | None = None
        self._waiting: Patch | None = None
        """The last edit, while the one before is made ready."""

    def told(self, message: Any) -> dict[str, Any] | None:
        """Do what a message says, and return what there is to answer.

        Raises Problem where it cannot be done.
        """
        try:
            asked = _MESSAGES.validate_python(message)
        except ValidationError as error:
            raise from_validation(error, ()) from None
        if isinstance(asked, PlayPatch):
            return self._play(asked)
        player = self.player
        if player is None:
            raise Problem("the message", asked.do, "told after a patch to play")
        if isinstance(asked, Progress):
            self._heard, self._heard_at = asked, self._clock()
            return None
        if isinstance(asked, Panic):
            player.panic()
            return None
        if isinstance(asked, Writes):
            player.write = asked.how
            return None
        if isinstance(asked, Record):
            return self._record(player, asked)
        if isinstance(asked, Strike):
            at = player.note_on(asked.key, asked.velocity)
        elif isinstance(asked, Release):
            at = player.note_off(asked.key)
        elif isinstance(asked, Beat):
            self._finish_edit()
            at = self._over(player, asked)
        else:
            at = player.control(asked.name, asked.value)
        return {"mark": asked.mark, "at": at + player.delay}

    def _play(self, asked: PlayPatch) -> dict[str, Any]:
        patch = check_patch(asked.document)
        if self.player is None:
            self.player = LivePlayer(patch, asked.rate)
            return {"playing": patch.name, "block": BLOCK, "delay": self.player.delay, "lanes": self.player.lanes}
        self._waiting = patch
        self._edit()
        return {"playing": patch.name}

    def _edit(self) -> None:
        """Make the last edit ready beside what plays, and go on with it once it is."""
        assert self.player is not None
        if self._edited is not None and self._edited[1].done():
            (patch, made), self._edited = self._edited, None
            try:
                self.player.adopt(patch, made.result())
            except Problem as problem:
                self.player.troubles.append(problem)
        if self._edited is None and self._waiting is not None:
            patch, self._waiting = self._waiting, None
            self._edited = patch, self._beside.submit(self.player.prepared(patch))

    def _finish_edit(self) -> None:
        """Go on with the last edit, which is waited for."""
        while self._edited is not None:
            wait([self._edited[1]])
            self._edit()

    @staticmethod
    def _over(player: LivePlayer, asked: Over) -> int:
        phrase = None if asked.phrase is None else check_phrase(asked.phrase)
        return player.beat(phrase, asked.plays, asked.count_in, asked.clicks)

    def _record(self, player: LivePlayer, asked: Record) -> dict[str, Any]:
        """Begin anew, so that what is recorded can be rendered from its first sample on."""
        self._finish_edit()
        anew = LivePlayer(player.own, player.rate)
        anew.go_on_from(player)
        begins = self._over(anew, asked)
        player.panic()
        self._parting = self._made(player)
        self.begins += player.now
        self.player, self._drawn = anew, []
        tempo = anew.patch.performance.tempo
        recording = {"first": self.begins, "bars_from": begins, "tempo_bpm": tempo.bpm}
        turn = anew.over.length if anew.over is not None else 0
        return {"recording": {**recording, "beats_per_bar": tempo.beats_per_bar, "turn": turn}}

    @property
    def waits_s(self) -> float:
        """In how many seconds another block is to be made, if nothing is told before: none where it is due."""
        if self.player is None:
            return math.inf
        rate, told = self.player.rate, self._heard
        # A longer block comes later as a whole, and takes longer to be made.
        ahead = told.ahead + 2 * (self.player.block_length - BLOCK)
        short = told.to + min(ahead, round(MOST_AHEAD_S * rate)) - self.begins - self.player.now
        if short > 0:
            return 0.0
        if short + told.goes_on <= 0:
            return math.inf
        return max(0.0, (1 - short) / rate - (self._clock() - self._heard_at))

    @property
    def left_s(self) -> float:
        """How many seconds of what was made are still to be heard, by the clock."""
        if self.player is None:
            return math.inf
        made = self.begins + self.player.now - self._heard.to
        return made / self.player.rate - (self._clock() - self._heard_at)

    def _made(self, player: LivePlayer) -> bytes:
        first, begun = self.begins + player.now, self._clock()
        block = player.block()
        return packed(block, first, (self._clock() - begun) * player.rate / len(block.samples))

    def block(self) -> tuple[bytes, list[dict[str, Any]]]:
        """Return the next block, and what there is to tell of it."""
        assert self.player is not None
        if self._parting is not None:
            parting, self._parting = self._parting, None
            return parting, []
        self._edit()
        player = self.player
        made = self._made(player)
        told: list[dict[str, Any]] = [{"refused": str(problem)} for problem in player.troubles]
        player.troubles = []
        log = player.log()
        if log != Log():
            told.append({"log": asdict(log)})
        self._drawn += [{"at": at, "lanes": lanes} for at, lanes in player.stood]
        if len(self._drawn) >= DRAWN_AT_ONCE:
            told.append({"drawn": self._drawn})
            self._drawn = []
        return made, told


def give_way(nice: int) -> int:
    """Let the present thread give way to others by so much, where the machine lets it; return by how much it did."""
    before = os.getpriority(os.PRIO_PROCESS, threading.get_native_id())
    with suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), nice)
    return before


def come_first() -> None:
    """Let the present process, which has no other threads yet, come before others as far as the machine lets it.

    Where the kernel groups processes by session (``sched_autogroup``), priorities count within one: in a session of
    its own it is weighed against all of the browser together. It is made real-time where that is allowed, though not
    on a single core: what takes more than there is would leave the page nothing, not even its panic key.
    """
    with suppress(OSError):
        os.setsid()
    give_way(URGENT)
    if len(os.sched_getaffinity(0)) > 1:
        with suppress(OSError):
            os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(os.sched_get_priority_min(os.SCHED_RR)))


def serve(pipe: Connection) -> None:
    """Play until nobody is there to play for."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    come_first()
    # Nor may it wait long here, for an edit that is made ready beside.
    sys.setswitchinterval(SWITCH_S)
    parent, session = os.getppid(), LiveSession()
    with suppress(EOFError, ConnectionError, OSError):
        while os.getppid() == parent:
            go_on(pipe, session)


def go_on(pipe: Connection, session: LiveSession) -> None:
    """Do one thing that is told, or make the next block where it is due, or wait for either, a second at most."""
    # What the hand does comes before more sound, as long as there is some.
    if pipe.poll(min(session.waits_s, 1.0)):
        _answer(pipe, session, pipe.recv())
        if session.left_s > LEFT_S:
            return
    if session.waits_s > 0.0:
        return
    sound, told = session.block()
    pipe.send(sound)
    for message in told:
        pipe.send(message)


def _answer(pipe: Connection, session: LiveSession, message: Mapping[str, Any]) -> None:
    try:
        told = session.told(message)
    except Problem as problem:
        mark = message.get("mark")
        told = {"refused": str(problem), "mark": mark if isinstance(mark, int) and abs(mark) <= _MAX_MARK else 0}
    if told is not None:
        pipe.send(told)
