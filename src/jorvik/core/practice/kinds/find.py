"""Find it: a patch with one thing wrong; which it is, and a patch in which it is right.

Marked by the rule itself: it must find nothing any more; and by what the cure did to the rest: curves that had nothing
to do with it stay as they were.
"""

from collections.abc import Callable
from copy import deepcopy
from random import Random
from typing import Any, Final

from jorvik.core.practice.patches import AMPLIFIER, SOURCES, between, named, small_patch
from jorvik.core.practice.task import Made, Question, Task, TaskAnswer

TITLE: Final = "Find it"
Json = dict[str, Any]
_Wrong = Callable[[Json, Random], None]


def make(level: int, seed: int, rng: Random) -> Made:
    """Return a sound patch in which one thing was made wrong; of a higher level, among more that is right."""
    rule = rng.choice(list(WRONG)[: 2 + 2 * level])
    right = _sound_patch(level, rng)
    WRONG[rule][1](right, rng)
    wrong = deepcopy(right)
    WRONG[rule][2](wrong, rng)
    others = [one for one in WRONG if one != rule]
    titles = sorted(WRONG[one][0] for one in (rule, *rng.sample(others, 3)))
    return Made(
        task=Task(
            kind="find",
            level=level,
            seed=seed,
            title=TITLE,
            asks="One thing is wrong with this patch. Say which, open it, and put it right with as little as you can.",
            patch=wrong,
            shown=["pitch", "cutoff", "amplitude"],
            questions=[Question(name="wrong", asks="What is wrong?", choices=titles)],
            about=rule,
        ),
        answer=TaskAnswer(values={"wrong": WRONG[rule][0]}, patch=right),
        worked=[f"{WRONG[rule][0].capitalize()}: {WRONG[rule][3]}"],
        rule=rule,
        fewest=1,
    )


def _sound_patch(level: int, rng: Random) -> Json:
    """Return a patch in which nothing is wrong: an amplifier, an envelope on cutoff, and at higher levels an LFO."""
    sources = rng.sample(SOURCES, 3)
    envelope = {
        "id": sources[0],
        "kind": "envelope",
        "attack_s": between(rng, 0.02, 0.15),
        "decay_s": between(rng, 0.1, 0.3),
        "sustain": round(rng.uniform(0.4, 0.7), 2),
        "release_s": 0.1,
    }
    amplifier = {**AMPLIFIER, "attack_s": between(rng, 0.01, 0.04)}
    modules, routes = (
        [amplifier, envelope],
        [
            {"source": AMPLIFIER["id"], "destination": "amplitude", "amount": 0.7},
            {"source": sources[0], "destination": "cutoff", "amount": float(rng.randrange(12, 30))},
        ],
    )
    if level > 1:
        modules.append({"id": sources[1], "kind": "lfo", "rate": between(rng, 4.5, 7.0), "delay_s": 0.2})
        routes.append({"source": sources[1], "destination": "pitch", "amount": round(rng.uniform(0.1, 0.25), 2)})
    base = {"cutoff": between(rng, 400.0, 900.0), "amplitude": 0.0}
    return small_patch(named(rng), modules, routes, base, key=float(rng.randrange(45, 58)), length_s=1.0, tail_s=0.4)


def _nothing(_: Json, __: Random) -> None:
    pass


def _clicks(patch: Json, _: Random) -> None:
    patch["modules"][0]["attack_s"] = 0.0


def _with_macro(patch: Json, rng: Random) -> None:
    patch["modules"].append({"id": "warm", "kind": "macro", "value": round(rng.uniform(0.2, 0.8), 2)})
    patch["routes"].append({"id": "rw", "source": "warm", "destination": "wavetable_position", "amount": 0.3})


def _dead(patch: Json, rng: Random) -> None:
    next(route for route in patch["routes"] if route["source"] == "warm")["amount"] = round(rng.uniform(2.0, 4.0), 1)


def _never_closes(patch: Json, _: Random) -> None:
    patch["modules"][0]["release_s"] = 60.0


def _clamped(patch: Json, rng: Random) -> None:
    patch["routes"][0]["amount"] = round(rng.uniform(1.6, 2.4), 2)


def _slow(patch: Json, rng: Random) -> None:
    patch["modules"][1]["attack_s"] = between(rng, 1.5, 4.0)


def _with_late_vibrato(patch: Json, rng: Random) -> None:
    patch["modules"].append({"id": "shake", "kind": "lfo", "rate": between(rng, 4.5, 6.5), "delay_s": 0.2})
    patch["routes"].append({"id": "rs", "source": "shake", "destination": "fold", "amount": 0.2})
    patch["voice"]["base"]["fold"] = 0.3


def _muted(patch: Json, _: Random) -> None:
    next(module for module in patch["modules"] if module["id"] == "shake")["delay_s"] = 3.0


WRONG: Final[dict[str, tuple[str, _Wrong, _Wrong, str]]] = {
    "click": (
        "it clicks when it begins",
        _nothing,
        _clicks,
        "the amplifier opens at once; a few milliseconds cure it.",
    ),
    "clamped_lane": (
        "a curve is cut off at the end of its range",
        _nothing,
        _clamped,
        "less amount brings the curve back inside.",
    ),
    "slow_envelope": (
        "an envelope does not get to its top before the note ends",
        _nothing,
        _slow,
        "its attack is longer than the note.",
    ),
    "never_closes": (
        "the amplifier never closes",
        _nothing,
        _never_closes,
        "its release goes on for a minute: a tenth of a second will do.",
    ),
    "dead_macro": (
        "part of a macro's way does nothing",
        _with_macro,
        _dead,
        "it takes what it moves to the end of its range early on: less amount.",
    ),
    "no_effect": (
        "a source comes too late to be heard",
        _with_late_vibrato,
        _muted,
        "its delay is longer than the note.",
    ),
}
"""Rules, by what they find: as it is said, what a right patch needs for it, what makes it wrong, what cures it."""
