"""What differs from an earlier run of the same bank: a regression check for a sound library."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Final

from jorvik.bank.results import Record

PLACE: Final = ("patch", "file", "key", "velocity", "length_s", "seed", "phrase")
"""What a record is of."""

TOLERANCES: Final[dict[str, tuple[float, str]]] = {
    "loudness_lufs": (0.1, "LU"),
    "true_peak_db": (0.2, "dB"),
    "crest_db": (0.3, "dB"),
    "limited_db": (0.2, "dB"),
    "centroid_hz": (0.01, "share"),
    "inaudible_after_s": (0.005, "s"),
    "seconds": (0.005, "s"),
    "worst_cents": (1.0, "cents"),
    "loop_start": (0.0, "samples"),
    "loop_end": (0.0, "samples"),
    "bytes": (0.02, "share"),
}
"""By how much a figure may differ and count as the same; a share is of the greater. Under what is just heard."""

_OTHER: Final = (0.001, "share")
_NOT_COMPARED: Final = {*PLACE, "seconds_taken", "id", "findings", "said", "gain_db", "moved"}


@dataclass(frozen=True)
class Moved:
    """A figure that is not what it was."""

    place: dict[str, Any]
    name: str
    before: Any
    after: Any

    @property
    def sentence(self) -> str:
        """What changed, as text."""
        where = [f"{name} {value:g}" for name, value in self.place.items() if isinstance(value, int | float)]
        at = f" at {', '.join(where)}" if where else ""
        name = self.place["patch"] or self.place["file"]
        return f"{name}{at}: {self.name} {_said(self.after)}, was {_said(self.before)}"


def moved(before: Sequence[Record], after: Sequence[Record], scale: float = 1.0) -> list[Moved]:
    """Return what moved further than its tolerance, times ``scale``; what is new or gone counts as moved too."""
    return list(_moved(before, after, scale))


def _moved(before: Sequence[Record], after: Sequence[Record], scale: float) -> Iterator[Moved]:
    known = {_key(record): record for record in before}
    for record in after:
        was = known.pop(_key(record), None)
        place = {name: record.get(name) for name in PLACE if record.get(name) is not None}
        if was is None:
            yield Moved(place, "state", "not there", record["state"])
            continue
        for name in dict.fromkeys((*was, *record)):
            old, new = was.get(name), record.get(name)
            if name not in _NOT_COMPARED and not _same(name, old, new, scale):
                yield Moved(place, name, old, new)
    for record in known.values():
        place = {name: record.get(name) for name in PLACE if record.get(name) is not None}
        yield Moved(place, "state", record["state"], "gone")


def _key(record: Record) -> tuple[Any, ...]:
    return tuple(record.get(name) for name in PLACE)


def _same(name: str, old: Any, new: Any, scale: float) -> bool:
    if isinstance(old, int | float) and isinstance(new, int | float):
        tolerance, unit = TOLERANCES.get(name, _OTHER)
        most = tolerance * max(abs(old), abs(new)) if unit == "share" else tolerance
        return abs(new - old) <= scale * most + 1e-12
    return bool(old == new) or (not old and not new)


def _said(value: Any) -> str:
    if isinstance(value, float):
        return f"{value:.6g}"
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value)
