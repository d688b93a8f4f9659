"""The tone generators: two oscillators, the first in unison and modulated by the second, a sub, and noise."""

import math
from dataclasses import dataclass
from functools import cache
from typing import Final

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.voice_settings import MAX_UNISON
from jorvik.core.dsp.kernels import Floats, inline_kernel, kernel, unowned
from jorvik.core.dsp.randomness import uniform
from jorvik.core.dsp.wavetables import SAMPLES
from jorvik.core.units.pitch import KEY60_HZ
from jorvik.core.voice.oscillator import KNOWN, ready, tone
from jorvik.core.voice.recording import Recorded, Replay

ROWS: Final = {name: i for i, name in enumerate((*VOICE, "key", "open", "signal"))}
"""Where each lane stands in the table that the voice reads.

``open`` is how far the gate has opened, ``signal`` the signal of a module that is heard as sound.
"""

SIGNAL_DC_HZ: Final = 10.0
"""Corner of the one-pole high-pass that takes the DC out of a signal that is heard."""

SINE_PEAK: Final = 0.3 * math.sqrt(2.0)
"""Peak of a sine from a table: what modulates fully, and what is folded fully."""

_NONE: Final = np.zeros(0)

_SECOND: Final = frozenset({"osc2_level", "fm_index"})
"""By what oscillator 2 is heard: where nothing moves these it is heard always or never."""


@dataclass(frozen=True)
class Generators:
    """What the tone generators read and nothing moves."""

    table1: Floats
    table2: Floats
    table_sub: Floats
    pulsed1: bool
    pulsed2: bool
    sub_octaves: float
    unison: int
    pink: bool
    noise_stream: float
    recorded: Recorded | None = None


class _Lanes:
    """The lanes of a block by their names: only those that are asked for are looked up."""

    def __init__(self, lanes: Floats) -> None:
        self._lanes = lanes

    def __getitem__(self, name: str) -> Floats:
        return self._lanes[ROWS[name]]


class Phase:
    """Where an oscillator stands in its cycle, and the cycle that it has ready."""

    def __init__(self, start: float) -> None:
        self.at = np.array([start])
        self.known = np.full(KNOWN, -1.0)
        self.cycle = np.zeros(SAMPLES)


@kernel
def _play(
    table: Floats,
    pulsed: bool,
    position: Floats,
    width: Floats,
    cycles: Floats,
    level: Floats,
    swing: Floats,
    at: Floats,
    known: Floats,
    cycle: Floats,
    out: Floats,
) -> None:
    """Write one oscillator over a block; ``out`` holds as many samples for each of the lanes' as its size says.

    ``swing`` is added to the phase, in cycles, where it holds anything.
    """
    table, position, width, cycles, level = (
        unowned(table),
        unowned(position),
        unowned(width),
        unowned(cycles),
        unowned(level),
    )
    swing, known, cycle, out = unowned(swing), unowned(known), unowned(cycle), unowned(out)
    factor = out.size // position.size
    swings = swing.size > 0
    phase = at[0]
    for n in range(position.size):
        is_ready = ready(table, position[n], level[n], known, cycle)
        for i in range(n * factor, (n + 1) * factor):
            place = phase
            if swings:
                place += swing[i]
                place -= np.floor(place)
            out[i] = tone(table, pulsed, position[n], place, width[n], level[n], is_ready, cycle)
            phase += cycles[n]
            phase -= np.floor(phase)
    at[0] = phase


@kernel
def _add(tones: Floats, left: Floats, right: Floats, made: Floats) -> None:
    """Add tones to one channel or two of ``made``, with a gain for each: it holds until the next one's sample."""
    tones, left, right = unowned(tones), unowned(left), unowned(right)
    factor = tones.size // left.size
    for n in range(left.size):
        for i in range(n * factor, (n + 1) * factor):
            made[0, i] += left[n] * tones[i]
        if made.shape[0] == 2:
            for i in range(n * factor, (n + 1) * factor):
                made[1, i] += right[n] * tones[i]


def _add_alike(tones: Floats, gain: Floats, made: Floats) -> None:
    """Add tones to all channels at the same gain."""
    _add(tones, gain, gain, made)


@kernel
def _swung(index: Floats, before: float, tones: Floats, swing: Floats) -> None:
    """Write by how many cycles tones move a phase; the FM index goes straight from one sample's to the next one's."""
    index, tones, swing = unowned(index), unowned(tones), unowned(swing)
    factor = tones.size // index.size
    for n in range(index.size):
        step = (index[n] - before) / factor
        for i in range(factor):
            swing[n * factor + i] = (before + (i + 1) * step) * tones[n * factor + i] / (SINE_PEAK * 2.0 * math.pi)
        before = index[n]


@inline_kernel
def _pink(s: Floats, white: float) -> float:
    """Return pink noise: three one-poles over white (Kellet's economy filter)."""
    s[0] = 0.99765 * s[0] + white * 0.0990460
    s[1] = 0.96300 * s[1] + white * 0.2965164
    s[2] = 0.57000 * s[2] + white * 1.0526913
    return s[0] + s[1] + s[2] + white * 0.1848


@kernel
def _hiss(of_stream: float, first: int, pink: bool, s: Floats, out: Floats) -> None:
    """Write noise at rms 0.3 from sample ``first`` of its stream on."""
    for i in range(out.size):
        white = uniform(of_stream, 0, first + i)
        out[i] = 0.3 * _pink(s, white) if pink else 0.3 * math.sqrt(3.0) * white


def _between(before: Floats, now: Floats, factor: int) -> Floats:
    """Return so many samples for each of a row's, straight from what was before it to it."""
    out, gap = np.empty(now.size * factor), now - before
    for i in range(factor):
        out[i::factor] = before + gap * ((i + 1) / factor)
    return out


@cache
def _without_dc(rate: float) -> tuple[Floats, Floats]:
    """Return the coefficients of the high-pass at :data:`SIGNAL_DC_HZ`, designed once for all voices."""
    from scipy.signal import butter

    b, a = butter(1, SIGNAL_DC_HZ, "highpass", fs=rate)
    return b, a


class Heard:
    """A module's signal on its way to being sound: without its DC, at the fine rate."""

    def __init__(self, rate: float, factor: int) -> None:
        self.factor = factor
        self.coefficients = _without_dc(rate)
        self.state = np.zeros(1)
        self.last = 0.0

    def block(self, signal: Floats) -> Floats:
        """Return a block of it; between two samples it goes straight."""
        from scipy.signal import lfilter

        made, self.state = lfilter(*self.coefficients, signal, zi=self.state)
        if self.factor == 1:
            return np.asarray(made)
        before = np.concatenate([[self.last], made[:-1]])
        self.last = float(made[-1])
        return _between(before, made, self.factor)


class Tones:
    """The tone generators of one voice, from block to block."""

    def __init__(
        self, of: Generators, starts: dict[str, list[float]], rate: float, factor: int, moved: frozenset[str]
    ) -> None:
        """Begin with each phase where ``starts`` has it, at ``factor`` times the rate; ``moved`` lanes do not rest."""
        self.of = of
        self.moved = moved
        self.factor = factor
        self.octaves_at_key60 = math.log2(KEY60_HZ / (rate * factor))
        self.unison = [Phase(start) for start in starts["osc1"]]
        self.second, self.sub = Phase(starts["osc2"][0]), Phase(0.0)
        self.last_index = 0.0
        self.pink = np.zeros(3)
        self.heard = Heard(rate, factor)
        self.replay = Replay(of.recorded, rate * factor) if of.recorded is not None else None
        self.sides = np.linspace(-1.0, 1.0, of.unison) if of.unison > 1 else np.zeros(1)
        assert of.unison <= MAX_UNISON

    def go_on_from(self, other: "Tones") -> None:
        """Take up the phases and what is kept of another's noise and signal, of as many voices in unison."""
        for mine, theirs in zip(
            (*self.unison, self.second, self.sub), (*other.unison, other.second, other.sub), strict=True
        ):
            mine.at = theirs.at.copy()
        if self.replay is not None and other.replay is not None:
            self.replay.at = other.replay.at.copy()
        self.last_index, self.pink = other.last_index, other.pink.copy()
        self.heard.state, self.heard.last = other.heard.state.copy(), other.heard.last

    def block(self, lanes: Floats, first: int, channels: int) -> Floats:
        """Return the tones of a block that begins at a sample, shape (channels, samples x factor).

        Frequencies hold over a sample; the FM index goes straight from one to the next.
        """
        of, lane = self.of, _Lanes(lanes)
        octaves = self.octaves_at_key60 + lane["key"] + self._short(lane, "pitch") / 12.0
        octaves2 = octaves + self._short(lane, "osc2_pitch") / 12.0 + np.log2(self._short(lane, "fm_ratio"))
        modulated = self.last_index != 0.0 or self._on(lane, "fm_index")
        made, swing = np.zeros((channels, lanes.shape[1] * self.factor)), _NONE
        if modulated or self._on(lane, "osc2_level"):
            y = self._tone(of.table2, of.pulsed2, lane, "osc2_", octaves2, octaves2, _NONE, self.second)
            _add_alike(y, self._short(lane, "osc2_level"), made)
            if modulated:
                swing = np.empty(y.size)
                _swung(lane["fm_index"], self.last_index, y, swing)
                self.last_index = float(lane["fm_index"][-1])
        elif self.moved & _SECOND:
            self._pass_by(octaves2, self.second)
        self._first(made, lane, octaves, octaves2, swing)
        if self._on(lane, "sub_level"):
            under = octaves - of.sub_octaves
            y = self._tone(of.table_sub, False, lane, "sub_", under, under, _NONE, self.sub)
            _add_alike(y, self._short(lane, "sub_level"), made)
        elif "sub_level" in self.moved:
            self._pass_by(octaves - of.sub_octaves, self.sub)
        if self._on(lane, "noise_level"):
            hiss = np.empty(made.shape[1])
            _hiss(of.noise_stream, first * self.factor, of.pink, self.pink, hiss)
            _add_alike(hiss, self._short(lane, "noise_level") * math.sqrt(self.factor), made)
        if self.replay is not None:
            tune = lane["key"] + self._short(lane, "pitch") / 12.0
            _add_alike(self.replay.block(tune, self.factor), self._short(lane, "recording_level"), made)
        if self._on(lane, "signal_level"):
            _add_alike(self.heard.block(lane["signal"]), self._short(lane, "signal_level"), made)
        return made

    def _first(self, made: Floats, lane: "_Lanes", octaves: Floats, octaves2: Floats, swing: Floats) -> None:
        """Add oscillator 1: every voice of its unison, tuned and placed apart."""
        of = self.of
        spread = self._short(lane, "detune") / 2400.0
        reach = octaves + spread
        if swing.size:
            # Carson's rule: what is modulated reaches up by the index times the modulator's frequency.
            reach = np.log2(np.exp2(reach) + self._short(lane, "fm_index") * np.exp2(octaves2))
        gain = self._short(lane, "osc1_level") / math.sqrt(of.unison)
        for side, phase in zip(self.sides, self.unison, strict=True):
            own = octaves + side * spread
            if not self._on(lane, "osc1_level"):
                self._pass_by(own, phase)
                continue
            y = self._tone(of.table1, of.pulsed1, lane, "", own, reach, swing, phase)
            if made.shape[0] == 1:
                _add(y, gain, gain, made)
            else:
                angle = 0.25 * math.pi * (1.0 + side * self._short(lane, "stereo_spread"))
                louder = gain * math.sqrt(2.0)
                _add(y, louder * np.cos(angle), louder * np.sin(angle), made)

    def _tone(
        self,
        table: Floats,
        pulsed: bool,
        lane: "_Lanes",
        which: str,
        octaves: Floats,
        reach: Floats,
        swing: Floats,
        phase: Phase,
    ) -> Floats:
        """Return one oscillator at its pitch, its table kept under half the rate at the pitch that it reaches."""
        out = np.empty(octaves.size * self.factor)
        level = np.maximum(table.shape[0] + 1.0 + reach, 0.0)
        if self.factor > 1:
            # What would fade from one level to the next lies over twice the highest pitch that is heard.
            level = np.floor(level)
        position = lane["sub_position" if which == "sub_" else f"{which}wavetable_position"]
        width, cycles = lane[f"{which}pulse_width" if pulsed else "pulse_width"], np.exp2(octaves)
        _play(table, pulsed, position, width, cycles, level, swing, phase.at, phase.known, phase.cycle, out)
        return out

    def _pass_by(self, octaves: Floats, phase: Phase) -> None:
        """Move a phase on over a block in which nothing of it is heard."""
        phase.at[0] = (phase.at[0] + float(np.exp2(octaves).sum()) * self.factor) % 1.0

    def _on(self, lane: "_Lanes", name: str) -> bool:
        """Tell whether a lane that is off at 0 is on anywhere in a block."""
        return bool(lane[name].any()) if name in self.moved else bool(lane[name][0] != 0.0)

    def _short(self, lane: "_Lanes", name: str) -> Floats:
        """Return a lane; one value that stands for all of its samples where nothing moves it."""
        return lane[name] if name in self.moved else lane[name][:1]
