"""Envelope: a shape that a note opens, holds and releases."""

import math
from collections.abc import Collection, Sequence
from typing import ClassVar, Literal

from jorvik.core.dsp.bend import bend_part, bend_whole
from jorvik.core.dsp.edges import rises
from jorvik.core.dsp.kernels import Floats, inline_kernel, unlikely
from jorvik.core.modules.base import (
    NOTE_OFF,
    NOTE_ON,
    START,
    Handle,
    Module,
    Reach,
    Signal,
    Time,
    bend_param,
    choice,
    param,
    reset_signal,
    seconds,
)
from jorvik.core.units.tempo import Tempo
from jorvik.core.units.words import time_text


class Envelope(Module):
    """Delay, attack, hold, decay, sustain and release, each stage bent as wished.

    Stages follow each other in continuous time: a stage that ends between two samples hands what is left of the
    sample to the next, so that the curve does not depend on the sample rate.
    """

    title: ClassVar[str] = "Envelope"
    on_panels: ClassVar[tuple[str, ...]] = ("attack_s", "decay_s", "sustain", "release_s")
    is_staged: ClassVar[bool] = True
    single_shape: ClassVar[bool] = True
    comes_to_end: ClassVar[bool] = True
    reads: ClassVar[tuple[str, ...]] = ("velocity",)

    kind: Literal["envelope"]
    delay_s: Time = seconds(0.0, "Wait before the attack.")
    attack_s: Time = seconds(0.005, "Time from the start value up to 1.")
    hold_s: Time = seconds(0.0, "Time at 1 before the decay.")
    decay_s: Time = seconds(0.2, "Time from 1 down to the sustain level.")
    sustain: float = param(0.7, "ratio", 0.0, 1.0, "Level while the note is held after the decay.")
    release_s: Time = seconds(0.2, "Time from wherever it is down to 0 after note-off.")
    attack_bend: float = bend_param("Above 0 the attack is quick at first, below 0 slow at first.")
    decay_bend: float = bend_param("Above 0 the decay is quick at first, below 0 slow at first.")
    release_bend: float = bend_param("Above 0 the release is quick at first, below 0 slow at first.")
    mode: Literal["gate", "trigger", "loop"] = choice(
        "gate",
        "gate waits at sustain until note-off; trigger runs through, deaf to note-off; loop repeats attack, hold "
        "and decay while the note is held.",
    )
    restart: Literal["zero", "current"] = choice(
        "zero", "Where a new note starts the attack from: 0, or the value that the envelope has."
    )
    velocity_depth: float = param(
        0.0, "ratio", 0.0, 1.0, "How far a soft note lowers the whole envelope: x (1 - d + d * velocity)."
    )
    reset: Signal = reset_signal()

    @property
    def is_renewed(self) -> bool:
        """It goes on from where a reset has brought it, where it is told to."""
        return self.restart == "zero" or not isinstance(self.reset, str)

    def hears_notes(self, moved: Collection[str]) -> bool:
        """A note-on begins its attack."""
        del moved
        return True

    def state_size(self) -> int:
        """Stage, when it began (s after note-on), its length, the value it began at, sample of note-on, the reset.

        Then the bend that was read last, and what it divides by.
        """
        return 8

    def handles(self, tempo: Tempo, on_s: float, off_s: float) -> list[Handle]:
        """The end of each stage, where the set times put it. Of two in one place the later listed is on top."""
        times = {
            name: self.slot_value(name, tempo) for name in ("delay_s", "attack_s", "hold_s", "decay_s", "release_s")
        }
        attack = on_s + times["delay_s"]
        hold = attack + times["attack_s"]
        decay = hold + times["hold_s"]
        release = decay + times["decay_s"] if self.mode == "trigger" else off_s
        found = [
            Handle("release ends", release + times["release_s"], 0.0, "release_s", None, release),
            Handle("attack ends", hold, 1.0, "attack_s", None, attack),
            Handle("decay ends", decay + times["decay_s"], self.sustain, "decay_s", "sustain", decay),
        ]
        if times["delay_s"] > 0.0:
            found.append(Handle("delay ends", attack, 0.0, "delay_s", None, on_s))
        if times["hold_s"] > 0.0:
            found.append(Handle("hold ends", decay, 1.0, "hold_s", None, hold))
        return found

    def reach(self, inputs: Sequence[Reach]) -> Reach:
        """Return 0 to 1, from nothing to its peak."""
        del inputs
        return 0.0, 1.0

    def summary(self) -> str:
        """Say the times and the level."""
        up = f"{time_text(self.attack_s)} up"
        if self.mode == "gate":
            return f"{up}, {time_text(self.decay_s)} to {self.sustain * 100:.3g} %"
        return f"{up}, {time_text(self.decay_s)} down, {'runs through' if self.mode == 'trigger' else 'loops'}"


_DELAY_S, _ATTACK_S, _HOLD_S = (Envelope.slot(n) for n in ("delay_s", "attack_s", "hold_s"))
_DECAY_S, _SUSTAIN, _RELEASE_S = (Envelope.slot(n) for n in ("decay_s", "sustain", "release_s"))
_ATTACK_BEND, _DECAY_BEND, _RELEASE_BEND = (Envelope.slot(f"{n}_bend") for n in ("attack", "decay", "release"))
_MODE, _RESTART, _DEPTH = (Envelope.slot(n) for n in ("mode", "restart", "velocity_depth"))
_TRIGGER, _LOOP = (Envelope.choices("mode").index(n) for n in ("trigger", "loop"))
_STAGE, _BEGAN, _LENGTH, _FROM, _NOTE, _BEFORE, _BEND, _WHOLE = range(8)
_RESET, _VELOCITY = range(2)
_IDLE, _IN_DELAY, _IN_ATTACK, _IN_HOLD, _IN_DECAY, _IN_SUSTAIN, _IN_RELEASE = range(7)
_MOST_STAGES = 16
_NEAR = 1e-10
"""In seconds. A stage whose end a sample misses by rounding has ended at that sample."""


@inline_kernel
def _enter(p: Floats, s: Floats, stage: int, began: float, value: float) -> None:
    """Begin a stage: its time is read here."""
    s[_STAGE] = stage
    s[_BEGAN] = began
    s[_FROM] = value
    if stage == _IN_DELAY:
        s[_LENGTH] = p[_DELAY_S]
    elif stage == _IN_ATTACK:
        s[_LENGTH] = p[_ATTACK_S]
    elif stage == _IN_HOLD:
        s[_LENGTH] = p[_HOLD_S]
    elif stage == _IN_DECAY:
        s[_LENGTH] = p[_DECAY_S]
    elif stage == _IN_RELEASE:
        s[_LENGTH] = p[_RELEASE_S]


@inline_kernel
def _turn(p: Floats) -> float:
    """Return the seconds of one turn of a loop."""
    return p[_ATTACK_S] + p[_HOLD_S] + p[_DECAY_S]


@inline_kernel
def _pass_ended_stages(p: Floats, s: Floats, now: float) -> None:
    """Go through every stage that has ended by ``now``.

    A loop of no length rests at its sustain level until it has one again. Whole turns of a loop that is shorter than
    a sample are passed at once.
    """
    if s[_STAGE] == _IN_SUSTAIN and p[_MODE] == _LOOP and _turn(p) > 0.0:
        _enter(p, s, _IN_ATTACK, now, p[_SUSTAIN])
    for turn in range(_MOST_STAGES):
        stage = int(s[_STAGE])
        end = s[_BEGAN] + s[_LENGTH]
        if stage == _IDLE or stage == _IN_SUSTAIN or now + _NEAR < end:
            return
        if turn == _MOST_STAGES - 1:
            end = now
        if stage == _IN_DELAY:
            _enter(p, s, _IN_ATTACK, end, s[_FROM])
        elif stage == _IN_ATTACK:
            _enter(p, s, _IN_HOLD, end, 1.0)
        elif stage == _IN_HOLD:
            _enter(p, s, _IN_DECAY, end, 1.0)
        elif stage == _IN_RELEASE:
            _enter(p, s, _IDLE, end, 0.0)
        elif p[_MODE] == _TRIGGER:
            _enter(p, s, _IN_RELEASE, end, p[_SUSTAIN])
        elif p[_MODE] == _LOOP and _turn(p) > 0.0:
            _enter(p, s, _IN_ATTACK, end + _turn(p) * math.floor(max(now - end, 0.0) / _turn(p)), p[_SUSTAIN])
        else:
            _enter(p, s, _IN_SUSTAIN, end, p[_SUSTAIN])


@inline_kernel
def _bent(x: float, k: float, s: Floats) -> float:
    """Return the bend of a share of a stage; what it divides by is worked out anew only where the bend is another."""
    if unlikely(k != s[_BEND]):
        s[_BEND], s[_WHOLE] = k, bend_whole(k)
    return bend_part(x, k, s[_WHOLE])


@inline_kernel
def _value(p: Floats, s: Floats, now: float) -> float:
    """Return the value within the present stage."""
    stage = int(s[_STAGE])
    if stage == _IDLE:
        return 0.0
    if stage == _IN_SUSTAIN:
        return p[_SUSTAIN]
    if stage == _IN_DELAY or stage == _IN_HOLD:
        return s[_FROM]
    x = max(now - s[_BEGAN], 0.0) / s[_LENGTH] if s[_LENGTH] > 0.0 else 1.0
    if stage == _IN_ATTACK:
        return s[_FROM] + (1.0 - s[_FROM]) * _bent(x, p[_ATTACK_BEND], s)
    if stage == _IN_DECAY:
        return 1.0 + (p[_SUSTAIN] - 1.0) * _bent(x, p[_DECAY_BEND], s)
    return s[_FROM] * (1.0 - _bent(x, p[_RELEASE_BEND], s))


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample of the envelope."""
    reset = rises(s, _BEFORE, x[_RESET])
    if reset or events & (START | NOTE_ON | NOTE_OFF):
        if reset or events & NOTE_ON:
            value = 0.0
            if p[_RESTART] != 0.0:
                _pass_ended_stages(p, s, (n - s[_NOTE]) * dt)
                value = _value(p, s, (n - s[_NOTE]) * dt)
            s[_NOTE] = n
            _enter(p, s, _IN_DELAY, 0.0, value)
        now = (n - s[_NOTE]) * dt
        _pass_ended_stages(p, s, now)
        stage = int(s[_STAGE])
        if events & NOTE_OFF and p[_MODE] != _TRIGGER and stage != _IDLE and stage != _IN_RELEASE:
            _enter(p, s, _IN_RELEASE, now, _value(p, s, now))
    now = (n - s[_NOTE]) * dt
    _pass_ended_stages(p, s, now)
    return _value(p, s, now) * (1.0 - p[_DEPTH] + p[_DEPTH] * x[_VELOCITY])
