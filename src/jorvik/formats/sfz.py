"""A map of samples as an SFZ file: which of them a key at a velocity sounds; and such a file read back."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

from jorvik.core.problems import Problem
from jorvik.core.units.words import note_name


@dataclass(frozen=True)
class Mapped:
    """A sample, and the keys and velocities that sound it."""

    file: str
    key: int
    """Of which it is."""
    low_key: int
    high_key: int
    low_velocity: int
    high_velocity: int
    volume_db: float = 0.0
    loop: tuple[int, int] | None = None
    """Its first sample, and the one after its last."""
    position: int = 1
    """Of as many samples as are played in turn, which it is."""
    length: int = 1

    def sounds(self, key: int, velocity: int) -> bool:
        """Tell whether a key at a velocity sounds it."""
        return self.low_key <= key <= self.high_key and self.low_velocity <= velocity <= self.high_velocity


def spans(values: Sequence[float], low: int, high: int, to_next: bool) -> dict[float, tuple[int, int]]:
    """Return for each value the whole numbers that are its own; together they are all from ``low`` to ``high``.

    ``to_next``: what lies between two goes to the nearer; else up to each value it is its own.

    >>> spans([36, 48], 0, 127, True), spans([40, 80], 1, 127, False)
    ({36: (0, 42), 48: (43, 127)}, {40: (1, 40), 80: (41, 127)})
    """
    ordered = sorted(set(values))
    edges = [int((a + b) / 2) if to_next else int(a) for a, b in pairwise(ordered)]
    edges = [min(max(edge, low), high - 1) for edge in edges]
    firsts, lasts = [low, *(edge + 1 for edge in edges)], [*edges, high]
    found = {value: (first, last) for value, first, last in zip(ordered, firsts, lasts, strict=True)}
    for value, (first, last) in found.items():
        if first > last:
            raise Problem("the map", f"{value:g} beside another as near", "values that are a whole number apart")
    return found


def sfz_text(name: str, samples: Sequence[Mapped]) -> str:
    """Return the map as text. Velocity chooses the sample and changes its level no further."""
    parts = [f"// {' '.join(name.split())}", "<global> amp_veltrack=0", ""]
    for one in samples:
        said = [f"<region> sample={one.file}", f"lokey={one.low_key} hikey={one.high_key} pitch_keycenter={one.key}"]
        said.append(f"lovel={one.low_velocity} hivel={one.high_velocity}")
        if one.volume_db:
            said.append(f"volume={one.volume_db:.2f}")
        if one.length > 1:
            said.append(f"seq_length={one.length} seq_position={one.position}")
        if one.loop is not None:
            said.append(f"loop_mode=loop_sustain loop_start={one.loop[0]} loop_end={one.loop[1] - 1}")
        parts.append("\n".join(said) + "\n")
    return "\n".join(parts)


_PAIR = re.compile(r"(\w+)=(.*?)(?=\s+\w+=|\s*$)", re.M)


def read_sfz(text: str) -> list[Mapped]:
    """Return the regions of a map that :func:`sfz_text` wrote. Raises Problem where one lacks what it needs."""
    return list(_regions(text))


def _regions(text: str) -> Iterator[Mapped]:
    for number, part in enumerate(re.sub(r"//.*", "", text).split("<region>")[1:], 1):
        said = {name: value.strip() for name, value in _PAIR.findall(part)}
        try:
            start = said.get("loop_start")
            yield Mapped(
                file=said["sample"],
                key=int(said["pitch_keycenter"]),
                low_key=int(said["lokey"]),
                high_key=int(said["hikey"]),
                low_velocity=int(said["lovel"]),
                high_velocity=int(said["hivel"]),
                volume_db=float(said.get("volume", 0.0)),
                loop=None if start is None else (int(start), int(said["loop_end"]) + 1),
                position=int(said.get("seq_position", 1)),
                length=int(said.get("seq_length", 1)),
            )
        except (KeyError, ValueError) as error:
            raise Problem(f"region {number}", f"no {error}", "a region with its sample, keys and velocities") from None


def unsounded(samples: Sequence[Mapped]) -> list[str]:
    """Return what is wrong with a map, in sentences: a key at a velocity that sounds no sample, or more than one."""
    said = []
    for velocity in range(1, 128):
        for key in range(128):
            found = [one for one in samples if one.sounds(key, velocity)]
            turns = sorted(one.position for one in found)
            if turns != list(range(1, (found[0].length if found else 1) + 1)):
                said.append(f"{note_name(key)} at velocity {velocity} sounds {len(found)} samples")
    return said
