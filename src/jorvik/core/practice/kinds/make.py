"""Make it: a patch is to reach the curves of another, or its sound, with as few changes as there have to be.

At the second level every other task is heard, and its curves are not shown. At the third it is to be so at soft and at
hard: velocity scales what opens the cutoff.
"""

from copy import deepcopy
from random import Random
from typing import Any, Final

from jorvik.core.practice.patches import SOURCES, between, named, small_patch
from jorvik.core.practice.task import Instead, Made, Task, TaskAnswer
from jorvik.core.units.velocities import HARD, SOFT

TITLE: Final = "Make it"
Json = dict[str, Any]


def make(level: int, seed: int, rng: Random) -> Made:
    """Return a patch from which another is as many settings away as the level says."""
    by_ear = level == 2 and seed % 2 == 1
    sources = rng.sample(SOURCES, 2)
    envelope = {
        "id": sources[0],
        "kind": "envelope",
        "attack_s": between(rng, 0.05, 0.3),
        "decay_s": between(rng, 0.1, 0.4),
        "sustain": round(rng.uniform(0.3, 0.7), 2),
    }
    lfo = {"id": sources[1], "kind": "lfo", "rate": between(rng, 2.0, 7.0)}
    routes = [
        {"source": sources[0], "destination": "cutoff", "amount": float(rng.randrange(12, 30))},
        {"source": sources[1], "destination": "pitch", "amount": round(rng.uniform(0.3, 1.2), 2)},
    ]
    if level > 2:
        routes[0]["via"] = "velocity"
    start = small_patch(named(rng), [envelope, lfo], routes, {"cutoff": between(rng, 200.0, 600.0)})
    if by_ear:
        # Bright enough to hear what a filter does to it.
        start["voice"] |= {"oscillators": {"osc1": {"table": "ladder"}}}
        start["voice"]["base"] |= {"wavetable_position": 0.8}
    target = deepcopy(start)
    worked = _change(target, level, rng)
    will_do = "1 change will do" if level == 1 else f"{level} changes will do"
    asks = "Make this patch sound like the other" if by_ear else "Bring the curves of this patch onto those behind them"
    return Made(
        task=Task(
            kind="make",
            level=level,
            seed=seed,
            title=TITLE,
            asks=f"{asks}. {will_do}.",
            patch=start,
            shown=["pitch", "cutoff"],
            target=target,
            by_ear=by_ear,
            instead=Instead(kind="make", seed=seed - 1) if by_ear else None,
            velocities=[SOFT, HARD] if level > 2 else [],
            about="vibrato_heard" if by_ear else "reach",
        ),
        answer=TaskAnswer(patch=target),
        worked=worked,
        fewest=level,
    )


def _change(target: Json, count: int, rng: Random) -> list[str]:
    """Change so many settings of a patch, chosen by chance, and return what each was; none is too small to see."""
    envelope, lfo = target["modules"]
    to_cutoff, to_pitch = target["routes"]
    less, more = (0.4, 0.6), (1.7, 2.6)
    ways: list[tuple[Json, str, tuple[float, float], str]] = [
        (envelope, "attack_s", rng.choice((less, more)), "{id}'s attack is {new:g} s, was {old:g} s."),
        (envelope, "sustain", less, "{id}'s sustain is {new:g}, was {old:g}."),
        (lfo, "rate", rng.choice((less, more)), "{id}'s rate is {new:g} Hz, was {old:g} Hz."),
        (to_cutoff, "amount", rng.choice((less, (1.3, 1.6))), "{source} raises cutoff {new:g} st, was {old:g} st."),
        (to_pitch, "amount", rng.choice((less, more)), "{source} moves pitch {new:g} st, was {old:g} st."),
    ]
    said = []
    for part, name, factors, words in rng.sample(ways, count):
        old = part[name]
        part[name] = float(f"{old * rng.uniform(*factors):.3g}")
        said.append(words.format(new=part[name], old=old, **part))
    return said
