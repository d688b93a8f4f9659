"""Hear it: a note is heard; its curve is chosen among four, or its figures are set by ear."""

import math
from collections.abc import Mapping
from copy import deepcopy
from random import Random
from typing import Any, Final

from jorvik.core.practice.patches import SOURCES, between, named, small_patch
from jorvik.core.practice.task import Instead, Made, Question, Task, TaskAnswer
from jorvik.core.practice.tolerance import CUTOFF, TIME, eased

TITLE: Final = "Hear it"
_APART: Final = (3.0, 1.9, 1.4)
"""By how much the curves differ from each other, at each level: ratios of times, and of ways in semitones."""


def with_values(patch: dict[str, Any], values: Mapping[str, float]) -> dict[str, Any]:
    """Return the patch of a task with figures of somebody's own, where they were said: to be heard beside it."""
    changed = deepcopy(patch)
    (module,), (route,) = changed["modules"], changed["routes"]
    if "attack" in values:
        module["attack_s"] = min(max(values["attack"], 0.0), 10.0)
    if values.get("settles", 0.0) > 0.0:
        way = 12.0 * math.log2(values["settles"] / changed["voice"]["base"]["cutoff"])
        module["sustain"] = min(max(way / route["amount"], 0.0), 1.0)
    return changed


def make(level: int, seed: int, rng: Random) -> Made:
    """Return a note whose cutoff opens and falls; the other curves are slower, quicker, or go another way."""
    source, apart = rng.choice(SOURCES), _APART[level - 1]
    attack, decay = between(rng, 0.06, 0.2), between(rng, 0.15, 0.4)
    amount, sustain = float(rng.randrange(24, 40)), round(rng.uniform(0.2, 0.5), 2)
    base, name = between(rng, 150.0, 350.0), named(rng)

    def patch(stretch: float, sustained: float) -> dict[str, Any]:
        shape = {"attack_s": round(attack * stretch, 4), "decay_s": round(decay * stretch, 4), "sustain": sustained}
        module = {"id": source, "kind": "envelope", **shape}
        route = {"source": source, "destination": "cutoff", "amount": amount}
        return small_patch(name, [module], [route], {"cutoff": base, "wavetable_position": 0.7})

    other = min(sustain * apart, 0.95)
    options = [patch(1.0, sustain), patch(apart, sustain), patch(1.0 / apart, sustain), patch(1.0, other)]
    order = list(range(4))
    rng.shuffle(order)
    letters = ["A", "B", "C", "D"]
    questions = [Question(name="curve", asks="Which curve is the cutoff that you hear?", choices=letters)]
    values: dict[str, float | str] = {"curve": letters[order.index(0)]}
    tolerances = {}
    if level > 1:
        questions.append(Question(name="attack", asks="How long is the attack?", unit="s"))
        values["attack"], tolerances["attack"] = attack, eased(TIME)
    if level > 2:
        questions.append(Question(name="settles", asks="Where does cutoff settle?", unit="Hz"))
        values["settles"], tolerances["settles"] = base * 2.0 ** (amount * sustain / 12.0), eased(CUTOFF)
    return Made(
        task=Task(
            kind="hear",
            level=level,
            seed=seed,
            title=TITLE,
            asks="Listen as often as you like, then choose its curve"
            + (", and set its figures." if level > 1 else "."),
            patch=options[0],
            shown=["cutoff"],
            heard=True,
            instead=Instead(kind="read", seed=seed),
            options=[options[one] for one in order],
            questions=questions,
            about="vibrato_heard",
        ),
        answer=TaskAnswer(values=values),
        tolerances=tolerances,
        places={"curve": ("cutoff", attack), "attack": ("cutoff", attack), "settles": ("cutoff", attack + decay)},
        worked=[
            f"It opens for {attack:g} s and falls for {decay:g} s to {sustain:g} of its way.",
            f"The others take {apart:g} times as long, or as short, or settle at {other:.2g} of the way.",
        ],
    )
