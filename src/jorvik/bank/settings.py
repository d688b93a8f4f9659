"""What is to be done with a bank: which work, at which notes, and how."""

from collections.abc import Mapping
from typing import Annotated, Any, Final, Literal

from pydantic import AfterValidator, Field

from jorvik.bank.works import WORK_NAMES
from jorvik.core.limits import DEFAULT_RATE, MAX_RATE, MAX_TEXT, MIN_RATE
from jorvik.core.modules.base import PlainText, Strict, refusal
from jorvik.core.units.values import parse_value

MOST_VALUES = 128
"""Keys, velocities and the like, of each."""

MOST_PIECES = 2_000_000


def _check_work(name: str) -> str:
    if name not in WORK_NAMES:
        raise refusal(f"one of {', '.join(WORK_NAMES)}")
    return name


WorkName = Annotated[str, AfterValidator(_check_work), Field(json_schema_extra={"enum": list(WORK_NAMES)})]
Depth = Literal["16", "24", "32f"]

Key = Annotated[float, Field(ge=0, le=127)]
Velocity = Annotated[float, Field(ge=0, le=127)]
Seconds = Annotated[float, Field(gt=0, le=60)]


_TYPED: Final = {
    "keys": ("keys", "key"),
    "velocities": ("velocities", "velocity"),
    "lengths": ("lengths_s", "s"),
    "seeds": ("seeds", "count"),
}


def typed_notes(typed: Mapping[str, str | None], place: str = "") -> dict[str, list[float]]:
    """Return lists of values as they are typed, with commas between: under the names that the settings have for them.

    Raises Problem with which of them it is, what was found and what would do.

    >>> typed_notes({"keys": "C2, C3", "velocities": "", "lengths": "500ms", "seeds": "1, 2"})
    {'keys': [36.0, 48.0], 'lengths_s': [0.5], 'seeds': [1, 2]}
    """
    found: dict[str, list[float]] = {}
    for name, (field, unit) in _TYPED.items():
        said = [one.strip() for one in (typed.get(name) or "").split(",") if one.strip()]
        if said:
            values = [parse_value(one, unit, f"{place}{name}", note_values=False).value for one in said]
            found[field] = [round(float(value)) if unit == "count" else float(value) for value in values]
    return found


class SampleSettings(Strict):
    """How a sample set is cut."""

    silence_db: Annotated[float, Field(ge=-120, le=-20)] = -80.0
    """What lies under it, from the loudest sample, is trimmed away at both ends."""
    loops: bool = True
    round_robin: Annotated[int, Field(ge=1, le=16)] = 1
    """How many samples of each key and velocity, each of a seed of its own."""
    matched: bool = False
    """Whether all keys and velocities play at one loudness; left out, as loud as they are."""
    name: Annotated[str, Field(max_length=200)] = "{patch}-{key}-v{velocity}{round}"
    """What a file is called: {patch}, {key}, {number}, {velocity}, {round}."""


class BankSettings(Strict):
    """Which work, over which notes. What is left out is as the patch has it."""

    work: WorkName
    keys: list[Key] = Field(default_factory=list, max_length=MOST_VALUES)
    velocities: list[Velocity] = Field(default_factory=list, max_length=MOST_VALUES)
    lengths_s: list[Seconds] = Field(default_factory=list, max_length=MOST_VALUES)
    seeds: list[Annotated[int, Field(ge=0, le=2**53)]] = Field(default_factory=list, max_length=MOST_VALUES)
    phrases: list[dict[str, Any]] = Field(default_factory=list, max_length=MOST_VALUES)
    rate: Annotated[int, Field(ge=MIN_RATE, le=MAX_RATE)] = DEFAULT_RATE
    depth: Depth = "24"
    of: Annotated[PlainText, Field(max_length=160)] = "cutoff"
    """What is swept."""
    steps: Annotated[int, Field(ge=2, le=256)] = 24
    card: dict[str, Any] | None = None
    """The machine that patches are put on."""
    ending: Literal["pdf", "html", "svg"] = "pdf"
    paper: Literal["A4", "Letter"] = "A4"
    samples: SampleSettings = Field(default_factory=SampleSettings)
    lufs: Annotated[float, Field(ge=-60, le=0)] | None = None
    """How loud every patch is to be: the gain that makes it so is told."""
    notes: Annotated[str, Field(max_length=MAX_TEXT)] = ""
