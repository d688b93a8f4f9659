"""What can be swept in a patch: a destination, a parameter, an amount, or a control lane held still."""

from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, edited, fresh_id
from jorvik.core.limits import MAX_SECONDS
from jorvik.core.measure.sweep import at_step, with_control
from jorvik.core.modules.base import Module, field_facts
from jorvik.core.problems import Problem, shown
from jorvik.core.signals import CONTROL_RANGES, lane_kind
from jorvik.core.units.words import in_words

LEAST_STEPS: Final = 3
MOST_STEPS: Final = 128

SKIP_S: Final = 0.05
"""After note-on, what is not listened to: the onset."""

_LEAST: Final = 1e-3
"""The shortest time and the lowest frequency of a sweep that nobody bounded, in seconds and hertz."""
_WIDEST: Final = 1000.0
"""How far that is swept which has no range of its own."""
_LONGEST_S: Final = 10.0


@dataclass(frozen=True)
class Swept:
    """One thing that is moved through a range while everything else stays."""

    name: str
    title: str
    unit: str
    low: float
    """Least value that it can have in a sweep."""
    high: float
    log: bool
    """Whether it is swept in octaves."""

    def values(self, low: float | None, high: float | None, steps: int) -> list[float]:
        """Return the values from one end to the other, even by its law.

        Raises Problem where an end is out of its range, or they lie the wrong way round, or there are too many.
        """
        if not LEAST_STEPS <= steps <= MOST_STEPS:
            raise Problem("the steps", f"{steps}", f"{LEAST_STEPS} to {MOST_STEPS}")
        first, last = self.low if low is None else low, self.high if high is None else high
        for value in (first, last):
            if not self.low <= value <= self.high:
                allowed = f"within {in_words(self.low, self.unit)} to {in_words(self.high, self.unit)}"
                raise Problem(f"the sweep of {self.title.lower()}", in_words(value, self.unit), allowed)
        if not first < last:
            found = f"{in_words(first, self.unit)} to {in_words(last, self.unit)}"
            raise Problem(f"the sweep of {self.title.lower()}", found, "from a lesser value to a greater one")
        spaced = np.geomspace(first, last, steps) if self.log else np.linspace(first, last, steps)
        # What comes of rounding must not lie past an end.
        return [min(max(float(value), first), last) for value in spaced]

    def place(self, value: float) -> float:
        """Return where a value stands, in octaves or as it is."""
        return float(np.log2(value)) if self.log else value

    def value_at(self, place: float) -> float:
        """Return the value of a place."""
        return float(2.0**place) if self.log else place


def swept(patch: Patch, name: str) -> Swept:
    """Return what a name stands for in a sweep: ``cutoff``, ``swell.attack_s``, ``route:r1.amount``, ``macro:warm``.

    Raises Problem where the patch has nothing of that name that can be moved.
    """
    played = _played_modules(patch)
    if name in played or (":" not in name and lane_kind(name)):
        low, high = CONTROL_RANGES[lane_kind(name)]
        return Swept(name, name.rpartition(":")[2].replace("_", " "), "ratio", low, high, log=False)
    at = patch.destination(name)
    if at is None:
        some = ", ".join([next(iter(VOICE)), *[*played][:3]])
        raise Problem("what is swept", shown(name), f"a destination, a module's parameter or a macro, such as {some}")
    log = at.law != "sum" or at.unit == "s"
    high = min(at.high, _LONGEST_S if at.unit == "s" and at.high == MAX_SECONDS else _WIDEST if not log else at.high)
    low = max(at.low, _LEAST) if log else max(at.low, -_WIDEST)
    return Swept(name, at.title, at.unit, low, high, log)


def _played_modules(patch: Patch) -> dict[str, Module]:
    """Return the modules that a control lane may play, by the name of the lane."""
    return {module.control[1] + module.id: module for module in patch.modules if module.control}


def patch_at(patch: Patch, of: Swept, value: float, keep_routes: bool = False) -> Patch:
    """Return a patch with what is swept at a value; what moves it is off, unless it is kept."""
    if lane_kind(of.name):
        return at_step(patch, of.name, value)
    onto = [route.id for route in patch.live_routes if route.destination == of.name and not keep_routes]
    off: dict[str, dict[str, Any]] = {name: {"enabled": False} for name in onto}
    head, _, tail = of.name.partition(".")
    if not tail:
        return edited(patch, base={head: value}, routes=off)
    if head.startswith("route:"):
        routes = {**off, head.removeprefix("route:"): {tail: value}}
        return edited(patch, routes=routes)
    return edited(patch, modules={head: {tail: value}}, routes=off)


def set_to(patch: Patch, of: Swept, value: float) -> Patch:
    """Return a patch in which what is swept is set to a value for good: a macro's own value, where it is one."""
    module = _played_modules(patch).get(of.name)
    if module is None or module.control is None:
        return patch_at(patch, of, value, keep_routes=True)
    document = edited(patch, modules={module.id: {module.control[0]: value}}).document()
    document.get("performance", {}).get("controls", {}).pop(of.name, None)
    return patch.with_document(document)


def gliding(patch: Patch, of: Swept, low: float, high: float, seconds: float) -> Patch:
    """Return a patch whose one note lasts so long, while what is swept goes evenly from one value to another.

    Raises Problem for what a note cannot hear moving: a time that is read when a stage begins.
    """
    long = one_note(patch.with_note(length_s=seconds))
    if lane_kind(of.name):
        return with_control(long, of.name, [[0.0, low], [seconds, high]])
    head, _, tail = of.name.partition(".")
    module = patch.modules_by_id.get(head)
    if module is not None and field_facts(type(module).model_fields[tail]).get("at_stage"):
        found = "read when a stage begins"
        raise Problem(f"the glide of {of.title}", found, "something that moves within a note; its steps can be heard")
    onto = [route.id for route in patch.live_routes if route.destination == of.name]
    macro = fresh_id("swept", [*patch.modules_by_id, *patch.routes_by_id])
    route = {"id": macro, "source": macro, "destination": of.name, "mode": "range", "low": low, "high": high}
    moved = edited(
        long,
        routes={name: {"enabled": False} for name in onto},
        more_modules=({"id": macro, "kind": "macro"},),
        more_routes=(route,),
    )
    return with_control(moved, f"macro:{macro}", [[0.0, 0.0], [seconds, 1.0]])


def one_note(patch: Patch, key: float | None = None, velocity: float | None = None) -> Patch:
    """Return a patch at the first of its test notes alone, without a tail, which is what a sweep listens to.

    Raises Problem where it is held too briefly to be listened to.
    """
    test = patch.under(None)
    first = test.performance.notes[0]
    alone = test.performance.model_copy(update={"notes": [first.model_copy(update={"start_s": 0.0})], "tail_s": 0.0})
    noted = test.model_copy(update={"performance": alone}).with_note(key=key, velocity=velocity)
    noted.model_fields_set.add("performance")
    if first.length_s < 4 * SKIP_S:
        raise Problem("the test note", in_words(first.length_s, "s"), f"held {in_words(4 * SKIP_S, 's')} at least")
    return noted


def coarse_first(count: int) -> list[int]:
    """Return the numbers 0 to count - 1 such that the first few lie over the whole range, and each next one between.

    >>> coarse_first(9)
    [0, 8, 4, 2, 6, 1, 3, 5, 7]
    """
    found = [0, count - 1]
    stride = 1
    while stride < count:
        stride *= 2
    while stride > 1:
        stride //= 2
        found += range(stride, count - 1, stride)
    return list(dict.fromkeys(found))[:count]
