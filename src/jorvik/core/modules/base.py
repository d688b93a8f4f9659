"""What every module kind has in common, and how a kind says what it is.

A kind is one file in this folder: a class, its parameters as fields, and a function ``step`` that makes one sample.
Everything else (the engine, the JSON Schema, the catalogue, the forms on the screen, the documentation) reads it
from there.
"""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Annotated, Any, ClassVar, Final, Literal, get_args

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationInfo, field_validator
from pydantic_core import PydanticCustomError

from jorvik.core.limits import MAX_BEND, MAX_POINTS, MAX_SECONDS
from jorvik.core.signals import PERFORMANCE_SIGNALS
from jorvik.core.units.tempo import Tempo, is_note_value

START: Final = 1
"""Event: the first sample of the run."""
NOTE_ON: Final = 2
"""Event: a note begins, and sources that restart with the note do so."""
NOTE_OFF: Final = 4
"""Event: the gate falls."""
GATE: Final = 8
"""Event: the note is held."""

Reach = tuple[float, float]
"""The least and the greatest value that a signal can come to."""

Law = Literal["sum", "octaves", "semitones"]
"""How what moves a value adds to it: in its own unit, or as a ratio of 2 to the sum of octaves or semitones."""


def check_text(value: str) -> str:
    """Return text that can be kept and sent: without NUL, which a database refuses, and whole letters only."""
    if "\0" in value:
        raise PydanticCustomError("text", "text without the letter NUL")
    if not value.isascii() and any("\ud800" <= letter <= "\udfff" for letter in value):
        raise PydanticCustomError("text", "text of whole letters; half of one is among them")
    return value


PlainText = Annotated[str, AfterValidator(check_text)]
"""Text that can be kept and sent."""


def _check_id(value: str) -> str:
    if value != value.strip() or any(c in ".:" or not c.isprintable() for c in value):
        raise PydanticCustomError("id", "an id without dots, colons or blanks at its ends")
    if value in PERFORMANCE_SIGNALS:
        raise PydanticCustomError("id", "another id: this one is the name of a performance signal")
    return value


def _check_note_value(value: str) -> str:
    if not is_note_value(value):
        raise PydanticCustomError("note_value", "a number, or a note value as 1/4, 1/8d, 1/16t or 2bar")
    return value


Identifier = Annotated[str, Field(min_length=1, max_length=64), AfterValidator(_check_id)]
NoteValue = Annotated[str, AfterValidator(_check_note_value)]
Time = float | NoteValue
"""A time in seconds, or a note value."""
Rate = float | NoteValue
"""A rate in hertz, or the note value of one period."""
Signal = str | float
"""The id of a module, the name of a performance signal, or a number."""


def param(
    default: float | str,
    unit: str,
    low: float,
    high: float,
    text: str,
    *,
    law: Law = "sum",
    at_stage: bool = False,
    movable: bool = True,
    only_for: Mapping[str, Sequence[str]] | None = None,
) -> Any:
    """Declare a number as a field: its default, unit, range, help, and how it can be moved.

    ``at_stage`` says that it is read when a stage begins instead of at every sample, ``only_for`` of which values of
    another field it has a meaning.
    """
    about: dict[str, Any] = {"role": "number", "unit": unit, "minimum": low, "maximum": high, "law": law}
    about |= {"movable": movable, "at_stage": at_stage, **({"only_for": only_for} if only_for else {})}
    return Field(default, description=text, json_schema_extra=about)


def refusal(wanted: str) -> PydanticCustomError:
    """Return the error of a validator that refuses a value.

    Parameters
    ----------
    wanted : str
        The values that it takes, as the sentence of the refusal ends: "0 to 1", "a note value".
    """
    return PydanticCustomError("refused", "{wanted}", {"wanted": wanted})


def more_than_nothing(what: str) -> AfterValidator:
    """Return the check of a length that must not be 0; ``what`` says in the refusal what would do.

    >>> from pydantic import TypeAdapter
    >>> TypeAdapter(Annotated[float, more_than_nothing("longer than 0 s")]).validate_python(0.5)
    0.5
    """

    def check(value: float) -> float:
        if value <= 0.0:
            raise refusal(what)
        return value

    return AfterValidator(check)


def seconds(default: float, text: str, *, low: float = 0.0, at_stage: bool = True) -> Any:
    """Declare a time, in seconds or as a note value."""
    return param(default, "s", low, MAX_SECONDS, text, at_stage=at_stage)


def hertz(default: float | str, text: str, *, high: float = 96_000.0, low: float = 0.0) -> Any:
    """Declare a rate or a frequency; it is moved in octaves."""
    return param(default, "Hz", low, high, text, law="octaves")


def bend_param(text: str) -> Any:
    """Declare a bend, -12..12."""
    return param(0.0, "bend", -MAX_BEND, MAX_BEND, text)


def choice(default: str | bool | int | None, text: str, **limits: Any) -> Any:
    """Declare a choice or a count: a value of the patch that nothing moves.

    ``limits`` may hold ``minimum`` and ``maximum``, ``with_points`` where it is set where the points are drawn.
    """
    extra: dict[str, Any] = {"role": "choice", "movable": False, **limits}
    return Field(default, description=text, json_schema_extra=extra)


def signal(text: str) -> Any:
    """Declare an input: the id of a module, a performance signal, or a number (0 when left out)."""
    return Field(0.0, description=text, json_schema_extra={"role": "signal"})


def reset_signal() -> Any:
    """Declare the input that starts a module anew wherever it rises through 0.5."""
    return signal("Where this rises through 0.5 it starts as at note-on; left out, only its own start rule does that.")


Stream = Annotated[PlainText, Field(max_length=64)] | int


def stream_name() -> Any:
    """Declare the name of a random stream; the module's id where it is left out."""
    text = "The stream that it draws from: sources with one stream and one rate draw the same. Left out, its own name."
    return Field(None, description=text, json_schema_extra={"role": "stream"})


def joined_flag() -> Any:
    """Declare whether a source shares its random stream on purpose."""
    text = "It draws the same numbers as the other sources of its stream on purpose."
    return Field(False, description=text, json_schema_extra={"role": "joined"})


Across = Literal["", "cycle", "time", "level"]
"""The axis of points: a cycle from 0 to 1, time from 0, or an input's level."""


def data(
    default: Any,
    text: str,
    role: str = "points",
    *,
    across: Across = "",
    only_for: Mapping[str, Sequence[str]] | None = None,
    with_points: bool = False,
) -> Any:
    """Declare a list that the step reads as packed numbers.

    ``only_for`` says of which values of another field it has a meaning, ``with_points`` that it is set where the points
    are drawn.
    """
    facts: dict[str, Any] = {"across": across, "with_points": with_points, "only_for": only_for}
    said = {name: value for name, value in facts.items() if value}
    return Field(default, description=text, json_schema_extra={"role": role, **said})


def field_facts(field: Any) -> Mapping[str, Any]:
    """Return what a field's declaration says of it beyond its type."""
    extra = field.json_schema_extra
    return extra if isinstance(extra, dict) else {}


def field_title(name: str) -> str:
    """Return what a field is called in a sentence.

    >>> field_title("fade_in_s")
    'fade in'
    """
    for unit in ("_s", "_hz", "_ms", "_st", "_bpm"):
        name = name.removesuffix(unit)
    return name.replace("_", " ")


@dataclass(frozen=True)
class Handle:
    """A place on a module's own curve that can be dragged."""

    name: str
    time_s: float
    value: float
    across: str | None
    """The time that dragging it sideways sets, counted from ``began_s``."""
    up: str | None
    """The level that dragging it up and down sets."""
    began_s: float
    point: int | None = None
    """The drawn point that it is, where it is one."""
    unit_s: float = 1.0
    """Seconds of one unit of that point's time."""


class Strict(BaseModel):
    """A part of a document: unknown keys, numbers as text, NaN and infinities are refused; it never changes."""

    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, allow_inf_nan=False)

    @field_validator("*", mode="after")
    @classmethod
    def _in_range(cls, value: Any, info: ValidationInfo) -> Any:
        if isinstance(value, str):
            return check_text(value)
        facts = field_facts(cls.model_fields[info.field_name or ""])
        low, high = facts.get("minimum"), facts.get("maximum")
        if low is None or high is None or isinstance(value, bool) or not isinstance(value, int | float):
            return value
        if not low <= value <= high:
            unit = facts.get("unit", "")
            wanted = f"{low:g} to {high:g}{' ' + unit if unit in ('s', 'Hz', 'bpm', 'ms') else ''}"
            raise refusal(wanted)
        return value


class Module(Strict):
    """A source or a processor: an id, parameters, inputs, and one output signal."""

    title: ClassVar[str]
    """What the kind is called on the screen."""
    role: ClassVar[Literal["source", "processor", "control"]] = "source"
    reads: ClassVar[tuple[str, ...]] = ()
    """Performance signals (or the pitch lane) that the step reads after its own inputs."""
    control: ClassVar[tuple[str, str] | None] = None
    """A parameter whose base a control lane may play, and the lane's prefix before the id."""
    kernel: ClassVar[Callable[..., float]]
    """The compiled sample step, set from the file's function of that name."""

    # What rules and figures may know of a kind without naming it.
    is_random: ClassVar[bool] = False
    """Whether it draws from a random stream, anew for each note or moment."""
    is_tone: ClassVar[bool] = False
    """Whether it is made to swing at audio rate."""
    single_shape: ClassVar[bool] = False
    """Whether it goes through one shape a note, whose rise and fall can be timed."""
    keeps_shape: ClassVar[bool] = False
    """Whether it rises and falls where its inputs do, sooner or later, and ends where they end."""
    comes_to_end: ClassVar[bool] = False
    """Whether it comes to an end of its own, unless it is looped."""
    rings: ClassVar[bool] = False
    """Whether it rings when it is struck, at a ``frequency_hz`` and with a ``q``."""
    is_staged: ClassVar[bool] = False
    """Whether it goes through an attack, a decay and a release."""
    on_panels: ClassVar[tuple[str, ...]] = ()
    """The parameters that nearly every instrument which has one of it has a control for."""
    may_overshoot: ClassVar[bool] = False
    """True of what follows its ``input`` and may pass it."""
    is_sampled: ClassVar[bool] = False
    """Whether it takes its ``input`` when its ``clock`` rises, and holds it."""
    is_scaled: ClassVar[bool] = False
    """Whether it gives its ``input`` times a ``gain`` plus an ``offset``."""
    compares: ClassVar[bool] = False
    """True of a comparator, which switches where one input passes the other."""
    rate_field: ClassVar[str] = ""
    """The parameter that says how often it repeats, in hertz, where it has one."""
    draws_at_rate: ClassVar[bool] = False
    """Whether it draws a value ``rate`` times a second."""
    gives_octaves: ClassVar[bool] = False
    """Whether it gives notes of a scale, an octave for each 1."""

    id: Identifier
    kind: str

    @classmethod
    def slots(cls) -> tuple[str, ...]:
        """Return the scalar parameters in the order in which the step finds them in ``p``."""
        roles = ("number", "choice")
        return tuple(n for n, f in cls.model_fields.items() if field_facts(f).get("role") in roles)

    @classmethod
    def slot(cls, name: str) -> int:
        """Return the place of a scalar parameter in ``p``.

        After the parameters come ``stream``, the number of the module's random stream, and ``note``, the number of
        the note that a voice plays first.
        """
        return (*cls.slots(), "stream", "note").index(name)

    @classmethod
    def choices(cls, name: str) -> tuple[Any, ...]:
        """Return the values that a choice may take, in the order of the numbers that the step sees."""
        return get_args(cls.model_fields[name].annotation)

    @property
    def passes_standing(self) -> bool:
        """True where a standing input comes through a ringing source, times its gain."""
        return False

    def slot_values(self, tempo: Tempo) -> list[float]:
        """Return the base of every scalar parameter: seconds, hertz, numbers; a choice as its place, none as -1."""
        return [self.slot_value(name, tempo) for name in self.slots()]

    def slot_value(self, name: str, tempo: Tempo) -> float:
        """Return the base of one scalar parameter."""
        value = getattr(self, name)
        if value is None:
            return -1.0
        if not isinstance(value, str):
            return float(value)
        facts = field_facts(type(self).model_fields[name])
        if facts["role"] == "choice":
            return float(self.choices(name).index(value))
        return tempo.hertz(value) if facts["unit"] == "Hz" else tempo.seconds(value)

    @property
    def stream_word(self) -> str:
        """What names its random stream, beside the seed."""
        said = getattr(self, "stream", None)
        return self.id if said is None else str(said)

    def input_signals(self) -> list[tuple[str, Signal]]:
        """Return the path and the value of each input, in the order in which the step finds them in ``x``."""
        fields = type(self).model_fields.items()
        return [(n, getattr(self, n)) for n, f in fields if field_facts(f).get("role") == "signal"]

    def reads_now(self) -> tuple[str, ...]:
        """Return the signals of ``reads`` that these settings need."""
        return self.reads

    def packed(self) -> list[float]:
        """Return the lists of the patch as the flat numbers ``d`` that the step reads.

        ``d``, like ``p``, ``x`` and ``s``, may be longer than what is put there: a list says its own length first.
        """
        return []

    def state_size(self) -> int:
        """Return how many numbers the step keeps from sample to sample."""
        return 0

    def span(self) -> tuple[float, float]:
        """Return the nominal least and greatest output, for a scale to draw it on."""
        return (0.0, 1.0)

    @property
    def is_control(self) -> bool:
        """Whether a player moves it by hand."""
        return self.role == "control"

    @property
    def runs_free(self) -> bool:
        """Whether it goes on from note to note, so that none begins where the one before did."""
        return getattr(self, "start", "") == "free"

    @property
    def is_renewed(self) -> bool:
        """Whether a note-on begins it anew, so that nothing of what came before is left in it."""
        return False

    def hears_notes(self, moved: Collection[str]) -> bool:
        """Tell whether a note-on changes what it does; ``moved`` are the parameters that something moves."""
        del moved
        return self.is_renewed

    @property
    def repeats(self) -> str | None:
        """The parameter in hertz that says how often it repeats, where one does."""
        return None

    def repeats_hz(self, tempo: Tempo) -> float | None:
        """Return how often it repeats as it is set, in hertz."""
        return None if self.repeats is None else self.slot_value(self.repeats, tempo)

    def loop_s(self, tempo: Tempo, clock_hz: float | None) -> float | None:
        """Return how long its loop is in seconds, where it has one; ``clock_hz`` is the rate of what clocks it."""
        del tempo, clock_hz
        return None

    def looped_longer(self, times: Fraction) -> dict[str, Any] | None:
        """Return the settings whose loop is so many times as long and says the same; None where there are none."""
        del times
        return None

    def reach(self, inputs: Sequence[Reach]) -> Reach | None:
        """Return the least and greatest output for inputs of some reach; None where only trying tells."""
        del inputs
        return None

    def is_even(self, inputs: Sequence[Reach]) -> bool:
        """Tell whether every output in reach is as likely as any other, where every input is."""
        del inputs
        return False

    def summary(self) -> str:
        """Return one line that says what this module does, in a practitioner's words."""
        return self.title

    def handles(self, tempo: Tempo, on_s: float, off_s: float) -> list[Handle]:
        """Return the places of its own curve that can be dragged, for a note held from ``on_s`` to ``off_s``."""
        return []


def signal_text(value: Signal) -> str:
    """Return an input as it is read: the name, or the number."""
    return value.replace("_", " ") if isinstance(value, str) else f"{value:g}"


def check_points(points: list[list[float]], least: int) -> list[list[float]]:
    """Return drawn points when each is [x, y] or [x, y, bend], x never falls, and there are enough of them."""
    if not least <= len(points) <= MAX_POINTS:
        raise PydanticCustomError("points", f"{least} to {MAX_POINTS} points")
    before = -float("inf")
    for index, point in enumerate(points):
        if not 2 <= len(point) <= 3:
            raise PydanticCustomError("points", f"point {index} as [x, y] or [x, y, bend]")
        if point[0] < before:
            raise PydanticCustomError("points", f"point {index} at or after the one before it")
        if len(point) == 3 and abs(point[2]) > MAX_BEND:
            raise PydanticCustomError("points", f"the bend of point {index} within -12 to 12")
        before = point[0]
    return points
