"""The threshold of one's own ear: two sounds, which of them is more; as far apart as tells the most.

An adaptive staircase whose steps are placed by all that was answered so far: the posterior of the threshold over a
logarithmic grid, its mean tried next (King-Smith et al., Vision Research 34, 1994, "ZEST"). The threshold is where
three answers of four are right, one of two being guessed.
"""

import math
from random import Random
from typing import Annotated, Final, Literal

import numpy as np
from pydantic import Field

from jorvik.core.dsp.kernels import Floats
from jorvik.core.modules.base import Strict
from jorvik.core.practice.patches import Json, small_patch
from jorvik.core.problems import Problem, shown
from jorvik.core.units.noticed import LEVEL_DB, STEADY_PITCH_ST, TIME_SHARE

Dimension = Literal["level", "pitch", "time", "brightness", "vibrato"]

GUESS: Final = 0.5
LAPSE: Final = 0.02
_GRID: Final = 401
ENOUGH: Final = 0.06
"""How sure is sure: the spread of the posterior, as a share of the threshold."""
MOST_TRIALS: Final = 160

_TELLS_MOST: Final = 1.25
"""Where an answer tells the most, in thresholds: where nine of ten are right, since half of the others are guessed."""

TEXTBOOK: Final[dict[str, float]] = {
    "level": LEVEL_DB,
    "pitch": 100 * STEADY_PITCH_ST,
    "time": 100 * TIME_SHARE,
    "brightness": 5.0,
    "vibrato": 6.0,
}
"""What most listeners tell apart, in the units of ``UNITS``."""

UNITS: Final[dict[str, str]] = {"level": "dB", "pitch": "cents", "time": "%", "brightness": "%", "vibrato": "cents"}

ASKS: Final[dict[str, str]] = {
    "level": "Which is louder?",
    "pitch": "Which is higher?",
    "time": "Which opens more slowly?",
    "brightness": "Which is brighter?",
    "vibrato": "Which one shakes?",
}

_MOST: Final[dict[str, float]] = {"level": 12.0, "pitch": 200.0, "time": 150.0, "brightness": 100.0, "vibrato": 120.0}


class Trial(Strict):
    """One pair that was heard: how far apart, and whether the answer was right."""

    difference: Annotated[float, Field(gt=0, le=1e4)]
    right: bool


class Threshold(Strict):
    """What is known of a threshold."""

    value: float
    spread: float
    """Of its logarithm: 0.1 is about a tenth of it to either side."""
    trials: int
    sure: bool


def _grid(dimension: str) -> Floats:
    return np.geomspace(TEXTBOOK[dimension] / 30.0, _MOST[dimension], _GRID)


def chance_of_right(difference: Floats | float, threshold: Floats | float) -> Floats:
    """Return how likely a right answer is: 3 of 4 at the threshold, a guess far under it.

    >>> round(float(chance_of_right(1.0, 1.0)), 3)
    0.75
    """
    ratio = np.asarray(difference) / np.asarray(threshold)
    # Weibull's function, of a slope of 3; so scaled that it is 0.75 at a ratio of 1.
    rate = -math.log(1.0 - (0.75 - GUESS) / (1.0 - GUESS - LAPSE))
    return np.asarray(GUESS + (1.0 - GUESS - LAPSE) * (1.0 - np.exp(-rate * ratio * ratio * ratio)))


def threshold(dimension: str, trials: list[Trial]) -> Threshold:
    """Return what some answers say of a threshold. Raises Problem where there is no such dimension."""
    if dimension not in TEXTBOOK:
        raise Problem("dimension", shown(dimension), f"one of {', '.join(TEXTBOOK)}")
    grid = _grid(dimension)
    # Before anything is known: within about four times of the textbook's.
    log = -0.5 * (np.log(grid / TEXTBOOK[dimension]) / math.log(4.0)) ** 2
    differences = np.array([trial.difference for trial in trials])[:, None]
    was_right = np.array([trial.right for trial in trials], dtype=bool)[:, None]
    chance = chance_of_right(differences, grid)
    log = log + np.log(np.where(was_right, chance, 1.0 - chance)).sum(axis=0)
    weight = np.exp(log - log.max())
    weight /= weight.sum()
    mean = float((weight * np.log(grid)).sum())
    spread = float(np.sqrt((weight * (np.log(grid) - mean) ** 2).sum()))
    sure = len(trials) >= 10 and (spread <= ENOUGH or len(trials) >= MOST_TRIALS)
    return Threshold(value=math.exp(mean), spread=spread, trials=len(trials), sure=sure)


def next_difference(dimension: str, trials: list[Trial]) -> float:
    """Return how far apart the next pair is to be: at first easy, then where the answer tells the most."""
    known = threshold(dimension, trials)
    easy = {0: 4.0, 1: 2.5, 2: 1.6}.get(len(trials), _TELLS_MOST)
    return min(known.value * easy, _MOST[dimension])


def pair(dimension: str, difference: float, seed: int) -> tuple[list[Json], int]:
    """Return two patches as far apart as that, in an order of chance, and which of them is more (0 or 1)."""
    rng = Random(f"{dimension} {seed}")
    patches = [_patch(dimension, 0.0, seed), _patch(dimension, difference, seed)]
    if rng.random() < 0.5:
        return patches, 1
    return patches[::-1], 0


def _patch(dimension: str, difference: float, seed: int) -> Json:
    """Return a held note of half a second, moved by a difference in one dimension."""
    rng = Random(seed)
    key, base = float(rng.randrange(50, 62)), {"cutoff": 1500.0, "wavetable_position": 0.5, "amplitude": 0.0}
    attack = 0.15 if dimension == "time" else 0.03
    level = 0.35
    modules: list[Json] = []
    routes: list[Json] = [{"source": "open", "destination": "amplitude", "amount": level}]
    if dimension == "level":
        routes[0]["amount"] = level * 10.0 ** (difference / 20.0)
    elif dimension == "pitch":
        base["pitch"] = difference / 100.0
    elif dimension == "time":
        attack *= 1.0 + difference / 100.0
    elif dimension == "brightness":
        base["cutoff"] *= 1.0 + difference / 100.0
    else:
        modules.append({"id": "shake", "kind": "lfo", "rate": 5.5})
        routes.append({"source": "shake", "destination": "pitch", "amount": difference / 100.0})
    modules.append({"id": "open", "kind": "envelope", "attack_s": attack, "sustain": 1.0, "release_s": 0.06})
    return small_patch("A pair", modules, routes, base, key=key, length_s=0.7, tail_s=0.12)
