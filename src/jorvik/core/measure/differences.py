"""What tells patches apart that are compared: destinations that stand elsewhere, moved or not, and every setting."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch
from jorvik.core.measure.lane import Measures
from jorvik.core.measure.patch import LaneMeasures, musical_unit

MAX_DIFFERENCES: Final = 200
"""Settings that are told; patches that have more apart have little in common."""

_LEFT_OUT: Final = ("format", "version", "name", "notes", "tags", "performance", "set_aside", "useful_ranges")


@dataclass(frozen=True)
class Difference:
    """A setting that is not the same everywhere."""

    path: str
    """Where it stands in the document; modules and routes by their id."""
    values: list[str]
    """As it is in each patch; nothing where it is not there."""


def set_apart(patches: Sequence[Patch]) -> list[str]:
    """Return the voice's destinations whose set value is not the same in all patches, in the order of the sheet."""
    return [name for name, at in VOICE.items() if len({patch.base(at) for patch in patches}) > 1]


def constants(patches: Sequence[Patch], moved: Sequence[Collection[str]]) -> list[dict[str, float]]:
    """Return for each patch what it sets of the voice and does not move, where others move it or set it elsewhere.

    ``moved`` has the names of the lanes of each patch. Beside each other all then have the same destinations.
    """
    told = {*set_apart(patches), *(name for names in moved for name in names)}
    return [
        {name: patch.base(at) for name, at in VOICE.items() if name in told and name not in names}
        for patch, names in zip(patches, moved, strict=True)
    ]


def constant_measures(name: str, value: float) -> LaneMeasures:
    """Return the figures of a destination of the voice that nothing moves."""
    at = VOICE[name]
    figures = Measures(
        start=value,
        at_off=value,
        peak=value,
        peak_s=0.0,
        least=value,
        least_s=0.0,
        settle=value,
        rise_s=None,
        fall_s=None,
        peak_above_sustain=0.0,
        overshoot=None,
        ring_after_off_s=None,
        after_off=0.0,
        rest_after_off_s=0.0,
        clamped=0.0,
        greatest_step=0.0,
        periodic=None,
    )
    return LaneMeasures(at.title, at.unit, figures, 0.0, musical_unit(at), {})


def differences(patches: Sequence[Patch]) -> list[Difference]:
    """Return every setting of voice, modules and routes that is not the same in all patches, at most so many."""
    flat = [dict(_settings(patch)) for patch in patches]
    paths = dict.fromkeys(path for settings in flat for path in settings)
    found = [Difference(path, [settings.get(path, "") for settings in flat]) for path in paths]
    return [one for one in found if len(set(one.values)) > 1][:MAX_DIFFERENCES]


def _settings(patch: Patch) -> Iterator[tuple[str, str]]:
    document = patch.model_dump(mode="json")
    # A destination that nobody set stands at its default, which is as much a setting.
    document["voice"]["base"] = {name: patch.base(at) for name, at in VOICE.items()}
    for name, value in document.items():
        if name not in _LEFT_OUT:
            yield from _flat(name, value)


def _flat(path: str, value: Any) -> Iterator[tuple[str, str]]:
    if isinstance(value, Mapping):
        for name, part in value.items():
            yield from _flat(f"{path} {name}", part)
    elif isinstance(value, list) and all(isinstance(part, Mapping) and "id" in part for part in value):
        for part in value:
            yield from _flat(f"{path} {part['id']}", {k: v for k, v in part.items() if k != "id"})
    else:
        text = f"{value:g}" if isinstance(value, float) else str(value)
        yield path, text if len(text) <= 60 else f"{text[:57]}..."
