"""What can be moved: the voice's destinations in one table, and the parameters and route amounts of a patch."""

import math
from dataclasses import dataclass
from typing import Any, Final, Literal

from jorvik.core.modules.base import Law, Module, field_facts, field_title
from jorvik.core.units.noticed import DETUNE_CENTS, LEVEL_DB, MOVED_CUTOFF_ST, PITCH_ST, RATE_SHARE

STEPS_PER_OCTAVE: Final = {"sum": 0.0, "octaves": 1.0, "semitones": 12.0}
"""How many of a law's modulation units double the value; 0 for a plain sum."""

UNBOUNDED: Final = 1e9
"""The range of what has none of its own: large enough never to be met, small enough to stay finite."""

_MOST_OCTAVES: Final = 900.0
"""A value moved by so many octaves is past every range, and still a number."""


Part = Literal["pitch", "level", "timbre", "place", "control"]
"""Of a sound its pitch, the loudness of it or a part, its timbre, where it stands in space; or a module's setting."""

_FIRST_AMOUNTS: Final = {"st": 7.0, "oct": 1.0, "s": 0.05, "dB": 6.0, "cents": 10.0, "rad": 1.0}
"""By the unit that something is moved in."""

_FIRST_AMOUNT: Final = 0.3


def first_amount(unit: str) -> float:
    """Return what a new route begins with on a destination that says nothing else, by the unit it is moved in."""
    return _FIRST_AMOUNTS.get(unit, _FIRST_AMOUNT)


_NOTICED: Final = {
    "st": MOVED_CUTOFF_ST,
    "oct": math.log2(1.0 + RATE_SHARE),
    "dB": LEVEL_DB,
    "cents": DETUNE_CENTS,
    "rad": 0.1,
    "s": 0.0025,
}
"""Just-noticeable differences, by the unit that something is moved in."""

_NOTICED_SHARE: Final = 0.02


def noticed(unit: str, span: float) -> float:
    """Return a just-noticeable difference by its unit, or a fiftieth of the range.

    Parameters
    ----------
    unit : str
        The unit that it is moved in.
    span : float
        How far its range goes, in that unit; that of 1 is taken where it has no ends.
    """
    return _NOTICED.get(unit, _NOTICED_SHARE * (span if span < UNBOUNDED else 1.0))


@dataclass(frozen=True)
class Destination:
    """One thing that routes may move."""

    name: str
    title: str
    unit: str
    """Unit of the value."""
    low: float
    high: float
    base: float
    """The value when the patch leaves it out."""
    law: Law = "sum"
    moved_in: str = ""
    """Unit of what moves it; the unit itself where that is empty."""
    part: Part = "control"
    """What of the sound it is."""
    first_amount: float = 0.0
    """What a new route on it begins with: enough to be heard, little enough not to startle."""
    first_mode: Literal["add", "scale"] = "add"
    fuller_up: bool = False
    """Whether more of it is more sound: louder, brighter or richer."""
    noticed: float = 0.0
    """The just-noticeable difference, in the unit that moves it."""
    heard_through: tuple[str, ...] = ()
    """Destinations of which one must be above 0 for it to be heard.

    A fix opens the first.
    """
    needs: Literal["", "unison", "recording", "signal"] = ""
    """The part of the voice without which it is not heard."""
    pulse_of: Literal["", "osc1", "osc2"] = ""
    """The oscillator whose pulse it is the width of."""
    filter: Literal["", "filter", "filter2"] = ""
    """The filter that it is the corner of, or the resonance."""
    runs_at: int = 1
    """Oversampling factor of its part of the voice while it is above 0."""
    bare_at_0: bool = False
    """Whether a note with none of it is silent, or not shaped at all."""
    adds_partials: bool = False
    """Whether it puts partials into the tone that its table does not have."""
    takes_hertz: bool = False
    """Whether a route may add hertz to it, after what moves it in octaves."""
    reads_as: Literal["value", "note", "level"] = "value"
    """The way a lane shows it: a value, a note from the key, or a level in dB."""
    also_called: tuple[str, ...] = ()
    """Other words that a typed sentence may have for it."""
    follows: str = ""
    """The destination whose way it goes where nothing sets or moves it."""
    always_shown: bool = False
    """Whether its stave stands on every sheet, moved or not."""
    help: str = ""
    """What it does, in a sentence."""

    @property
    def amount_unit(self) -> str:
        """Unit of a route's amount and of its contribution."""
        return self.moved_in or self.unit

    @property
    def steps_per_octave(self) -> float:
        """How many of the modulation unit double the value; 0 for a plain sum."""
        return STEPS_PER_OCTAVE[self.law]

    def moved(self, base: float, distance: float) -> float:
        """Return a value moved by a distance in the modulation unit.

        >>> VOICE["cutoff"].moved(1000.0, 12.0)
        2000.0
        """
        n = self.steps_per_octave
        return base * 2.0 ** min(max(distance / n, -_MOST_OCTAVES), _MOST_OCTAVES) if n else base + distance

    def distance(self, a: float, b: float) -> float:
        """Return how far b lies from a in the modulation unit; of frequencies, both over 0.

        >>> VOICE["cutoff"].distance(1000.0, 500.0)
        -12.0
        """
        n = self.steps_per_octave
        return n * math.log2(b / a) if n else b - a


def _row(
    name: str, title: str, unit: str, ends: tuple[float, float], base: float, part: Part, help: str, **more: Any
) -> Destination:
    """Return a row of the table; frequencies and ratios of them are moved in semitones where ``more`` says so."""
    moved_in = more.get("moved_in", unit)
    more.setdefault("first_amount", first_amount(moved_in))
    more.setdefault("noticed", noticed(moved_in, ends[1] - ends[0]))
    return Destination(name, title, unit, *ends, base, part=part, help=help, **more)


_SHARE: Final = (0.0, 1.0)
_CUTOFFS: Final = (16.0, 20_000.0)
_KEYS: Final = (-60.0, 60.0)
_WIDTHS: Final = (0.01, 0.99)
_IN_ST: Final[dict[str, Any]] = {"law": "semitones", "moved_in": "st"}
_CORNER: Final[dict[str, Any]] = {**_IN_ST, "takes_hertz": True}
_GAINS: Final = (-24.0, 24.0)
_QS: Final = (0.3, 20.0)
_OSC1: Final = ("osc1_level",)
_OSC2: Final = ("osc2_level", "fm_index")

# A row is one line, as it is read.
# fmt: off
_TABLE: Final = (
    _row("pitch", "Pitch", "st", _KEYS, 0.0, "pitch", "How far all oscillators stand from the key.", first_amount=0.5, noticed=PITCH_ST, reads_as="note", always_shown=True),
    _row("cutoff", "Cutoff", "Hz", _CUTOFFS, 1_000.0, "timbre", "Corner of the first filter.", also_called=("filter", "filter cutoff"), fuller_up=True, filter="filter", **_CORNER, always_shown=True),
    _row("wavetable_position", "Wavetable position", "ratio", _SHARE, 0.0, "timbre", "Where in its table oscillator 1 reads.", also_called=("wavetable", "position"), fuller_up=True, always_shown=True),
    _row("amplitude", "Amplitude", "ratio", _SHARE, 1.0, "level", "How far the amplifier at the end is open.", also_called=("volume", "level", "loudness"), fuller_up=True, first_amount=1.0, first_mode="scale", bare_at_0=True, reads_as="level", always_shown=True),
    _row("osc2_pitch", "Oscillator 2 pitch", "st", _KEYS, 0.0, "pitch", "How far oscillator 2 stands from oscillator 1.", noticed=PITCH_ST, heard_through=_OSC2),
    _row("resonance", "Resonance", "ratio", _SHARE, 0.0, "timbre", "How far the first filter lifts what lies at its corner.", filter="filter"),
    _row("filter2_cutoff", "Filter 2 cutoff", "Hz", _CUTOFFS, 20_000.0, "timbre", "Corner of the second filter.", filter="filter2", **_CORNER),
    _row("filter2_resonance", "Filter 2 resonance", "ratio", _SHARE, 0.0, "timbre", "How far the second filter lifts what lies at its corner.", filter="filter2"),
    _row("fold", "Fold", "ratio", _SHARE, 0.0, "timbre", "How far the tone is turned back on itself, which adds harmonics.", fuller_up=True, adds_partials=True, bare_at_0=True, runs_at=4),
    _row("osc1_level", "Oscillator 1 level", "ratio", _SHARE, 1.0, "level", "How much of oscillator 1 is in the tone.", bare_at_0=True),
    _row("osc2_level", "Oscillator 2 level", "ratio", _SHARE, 0.0, "level", "How much of oscillator 2 is in the tone.", adds_partials=True),
    _row("sub_level", "Sub level", "ratio", _SHARE, 0.0, "level", "How much of the sub oscillator is in the tone.", adds_partials=True),
    _row("noise_level", "Noise level", "ratio", _SHARE, 0.0, "level", "How much noise is in the tone.", adds_partials=True),
    _row("filter_mix", "Filter mix", "ratio", _SHARE, 0.0, "timbre", "0 puts the filters in series, 1 beside each other."),
    _row("send_delay", "Delay send", "ratio", _SHARE, 0.0, "place", "How much goes to the delay."),
    _row("send_chorus", "Chorus send", "ratio", _SHARE, 0.0, "place", "How much goes to the chorus."),
    _row("send_reverb", "Reverb send", "ratio", _SHARE, 0.0, "place", "How much goes to the reverb."),
    _row("fm_index", "FM index", "rad", (0.0, 20.0), 0.0, "timbre", "How far oscillator 2 turns the phase of oscillator 1.", fuller_up=True, adds_partials=True, heard_through=_OSC1, runs_at=2),
    _row("fm_ratio", "FM ratio", "ratio", (0.125, 32.0), 1.0, "timbre", "Oscillator 2's frequency, in multiples of oscillator 1's.", heard_through=_OSC2, **_IN_ST),
    _row("pulse_width", "Pulse width", "ratio", _WIDTHS, 0.5, "timbre", "Share of the cycle that oscillator 1's pulse is up.", heard_through=_OSC1, pulse_of="osc1"),
    _row("osc2_pulse_width", "Oscillator 2 pulse width", "ratio", _WIDTHS, 0.5, "timbre", "Share of the cycle that oscillator 2's pulse is up.", heard_through=_OSC2, pulse_of="osc2"),
    _row("drive", "Drive", "dB", (0.0, 36.0), 0.0, "timbre", "Gain into soft clipping, which adds harmonics.", adds_partials=True, runs_at=4),
    _row("detune", "Detune", "cents", (0.0, 100.0), 0.0, "pitch", "How far the outermost voices of the unison stand from each other.", needs="unison"),
    _row("pan", "Pan", "ratio", (-1.0, 1.0), 0.0, "place", "Left to right.", also_called=("panning",)),
    _row("osc2_wavetable_position", "Oscillator 2 wavetable position", "ratio", _SHARE, 0.0, "timbre", "Where in its table oscillator 2 reads; where oscillator 1 does, until it is set or moved.", heard_through=_OSC2, follows="wavetable_position"),
    _row("sub_position", "Sub wavetable position", "ratio", _SHARE, 0.0, "timbre", "Where in its table the sub oscillator reads.", heard_through=("sub_level",)),
    _row("peak1_frequency", "Peak 1 frequency", "Hz", _CUTOFFS, 1_000.0, "timbre", "Middle of the first band after the filters.", heard_through=("peak1_gain",), **_CORNER),
    _row("peak1_gain", "Peak 1 gain", "dB", _GAINS, 0.0, "timbre", "How far the first band is raised or cut; at 0 it is out of the path."),
    _row("peak1_q", "Peak 1 Q", "ratio", _QS, 1.0, "timbre", "How narrow the first band is: its middle over its width.", heard_through=("peak1_gain",)),
    _row("peak2_frequency", "Peak 2 frequency", "Hz", _CUTOFFS, 3_000.0, "timbre", "Middle of the second band after the filters.", heard_through=("peak2_gain",), **_CORNER),
    _row("peak2_gain", "Peak 2 gain", "dB", _GAINS, 0.0, "timbre", "How far the second band is raised or cut; at 0 it is out of the path."),
    _row("peak2_q", "Peak 2 Q", "ratio", _QS, 1.0, "timbre", "How narrow the second band is: its middle over its width.", heard_through=("peak2_gain",)),
    _row("signal_level", "Signal level", "ratio", _SHARE, 0.0, "level", "How much of the module named as the voice's signal is heard as sound.", adds_partials=True, needs="signal"),
    _row("recording_level", "Recording level", "ratio", _SHARE, 0.0, "level", "How much of the voice's recording is heard.", needs="recording"),
    _row("stereo_spread", "Stereo spread", "ratio", _SHARE, 0.0, "place", "How far the voices of the unison stand apart.", needs="unison"),
)
# fmt: on


VOICE: Final = {destination.name: destination for destination in _TABLE}
"""The voice's destinations by name, in the order in which the sheet shows them."""

ALWAYS_SHOWN: Final = tuple(name for name, at in VOICE.items() if at.always_shown)
"""The staves that stand on every sheet."""

FILTERS: Final = {
    section: tuple(at.name for at in VOICE.values() if at.filter == section)
    for section in dict.fromkeys(at.filter for at in VOICE.values() if at.filter)
}
"""The corner and the resonance of each filter, by its section of the voice."""

PULSE_WIDTHS: Final = {at.pulse_of: at.name for at in VOICE.values() if at.pulse_of}
"""The pulse width of each oscillator, by the oscillator."""

MOVED_IN: Final = {"octaves": "oct", "semitones": "st", "sum": ""}


def of_parameter(module: Module, name: str) -> Destination | None:
    """Return a module's parameter as a destination, or None when it has no such parameter or nothing may move it."""
    field = type(module).model_fields.get(name)
    facts = field_facts(field) if field else {}
    if not facts.get("movable"):
        return None
    return Destination(
        name=f"{module.id}.{name}",
        title=f"{module.id} {field_title(name)}",
        unit=facts["unit"],
        low=facts["minimum"],
        high=facts["maximum"],
        base=0.0,
        law=facts["law"],
        moved_in=MOVED_IN[facts["law"]],
        first_amount=first_amount(MOVED_IN[facts["law"]] or facts["unit"]),
        noticed=noticed(MOVED_IN[facts["law"]] or facts["unit"], facts["maximum"] - facts["minimum"]),
        help=field.description or "" if field else "",
    )
