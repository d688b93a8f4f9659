"""Work it out: a figure that follows from others, by a formula of the field."""

import math
from collections.abc import Callable
from fractions import Fraction
from random import Random
from typing import Any, Final

from jorvik.core.measure.meeting import meet
from jorvik.core.practice.patches import SOURCES, between, named, small_patch
from jorvik.core.practice.task import Made, Question, Task, TaskAnswer
from jorvik.core.practice.tolerance import CUTOFF, EXACT, PITCH, Tolerance
from jorvik.core.units.tempo import Tempo, quarters

TITLE: Final = "Work it out"
_VALUES: Final = ("1/2", "1/4", "1/8", "1/16", "1/4d", "1/8d", "1/16d", "1/4t", "1/8t", "1/16t")


def make(level: int, seed: int, rng: Random) -> Made:
    """Return one of the two questions of a level: never the same twice in a row."""
    return _OF_LEVEL[level - 1][seed % 2](level, seed, rng)


def _made(
    level: int,
    seed: int,
    asks: str,
    question: Question,
    value: float | str,
    worked: list[str],
    patch: dict[str, Any] | None = None,
    tolerance: Tolerance = EXACT,
    about: str = "",
) -> Made:
    task = Task(
        kind="work_out", level=level, seed=seed, title=TITLE, asks=asks, patch=patch, questions=[question], about=about
    )
    tolerances = {} if question.choices else {question.name: tolerance}
    return Made(task=task, answer=TaskAnswer(values={question.name: value}), tolerances=tolerances, worked=worked)


def _by_velocity(level: int, seed: int, rng: Random) -> Made:
    velocity, amount = float(rng.randrange(30, 127)), float(rng.randrange(12, 48))
    base, sustain = between(rng, 100.0, 800.0), round(rng.uniform(0.3, 1.0), 2)
    source = rng.choice(SOURCES)
    module = {"id": source, "kind": "envelope", "attack_s": 0.05, "decay_s": 0.2, "sustain": sustain}
    route = {"source": source, "destination": "cutoff", "amount": amount, "via": "velocity"}
    patch = small_patch(named(rng), [module], [route], {"cutoff": base}, velocity=velocity)
    way = amount * sustain * velocity / 127.0
    value = base * 2.0 ** (way / 12.0)
    asks = (
        f"{source} raises cutoff {amount:g} st, scaled by velocity, from {base:g} Hz; its sustain is {sustain:g}."
        f" Where does cutoff settle at velocity {velocity:g}?"
    )
    worked = [
        f"{amount:g} st · {sustain:g} · {velocity:g}/127 = {way:.4g} st.",
        f"{base:g} Hz · 2^({way:.4g}/12) = {value:.4g} Hz.",
    ]
    question = Question(name="cutoff", asks="Cutoff settles at", unit="Hz")
    return _made(level, seed, asks, question, value, worked, patch, CUTOFF, "reach")


def _note_value(level: int, seed: int, rng: Random) -> Made:
    bpm, value = float(rng.randrange(60, 160)), rng.choice(_VALUES)
    seconds = Tempo(bpm).seconds(value)
    others = [one for one in _VALUES if one != value]
    choices = sorted([value, *rng.sample(others, 3)], key=quarters)
    asks = f"At {bpm:g} bpm something lasts {1000 * seconds:.0f} ms. Which note value is that?"
    worked = [
        f"A quarter lasts 60/{bpm:g} = {60 / bpm:.4g} s; {seconds:.4g} s are {quarters(value):.4g} of it.",
        f"That is {value}: d is one and a half times as long, t two thirds.",
    ]
    return _made(level, seed, asks, Question(name="value", asks="It is", choices=choices), value, worked)


def _cancels(level: int, seed: int, rng: Random) -> Made:
    up, sustain, velocity = float(rng.randrange(6, 30)), round(rng.uniform(0.3, 0.9), 2), float(rng.randrange(40, 127))
    value = -up * sustain / (velocity / 127.0)
    asks = (
        f"An envelope with a sustain of {sustain:g} raises cutoff {up:g} st. Which amount of velocity"
        f" (0 to 1, here {velocity:g}) brings it back to the set value while it is held?"
    )
    worked = [
        f"Held, the envelope gives {up:g} · {sustain:g} = {up * sustain:.4g} st.",
        f"Velocity is {velocity:g}/127 = {velocity / 127:.4g}.",
        f"−{up * sustain:.4g} / {velocity / 127:.4g} = {value:.4g} st.",
    ]
    question = Question(name="amount", asks="The amount", unit="st")
    return _made(level, seed, asks, question, value, worked, None, PITCH, "cancelling")


def _cycles(level: int, seed: int, rng: Random) -> Made:
    cycles, hertz = float(rng.randrange(2, 9)), between(rng, 3.0, 15.0)
    value = cycles * math.pi / math.log(20.0)
    asks = (
        f"A control filter at {hertz:g} Hz rings after a stroke. Which Q gives {cycles:g} audible cycles,"
        " swings of more than 5 %?"
    )
    worked = [
        "The swings fall by e^(−π/Q) a cycle; they are over 5 % for Q · ln(20)/π cycles.",
        f"{cycles:g} · π/ln(20) = {value:.4g}.",
    ]
    question = Question(name="q", asks="Q", unit="ratio")
    return _made(level, seed, asks, question, value, worked, None, EXACT, "ringing")


def _meet(level: int, seed: int, rng: Random) -> Made:
    values = rng.sample([one for one in _VALUES if one != "1/2"], 3)
    bpm = float(rng.randrange(60, 160))
    periods = {one: Fraction(quarters(one)).limit_denominator(960) for one in values}
    found = meet(periods, 60.0 / bpm, 4)
    assert found is not None
    asks = f"Three LFOs repeat every {', '.join(values)}. After how many beats do all three meet again?"
    said = ", ".join(str(period) for period in periods.values())
    worked = [
        f"In beats they last {said}.",
        f"Their least common multiple is {found.beats:g} beats.",
    ]
    question = Question(name="beats", asks="They meet after", unit="beats")
    return _made(level, seed, asks, question, float(found.beats), worked, None, EXACT, "sources_meet")


def _follows_key(level: int, seed: int, rng: Random) -> Made:
    base, share = between(rng, 200.0, 1200.0), round(rng.choice((0.25, 0.4, 0.5, 0.6, 0.75)), 2)
    key = float(rng.choice([one for one in range(30, 90) if abs(one - 60) > 4]))
    value = base * 2.0 ** (share * (key - 60.0) / 12.0)
    asks = (
        f"Cutoff stands at {base:g} Hz at C4 and follows the key by {100 * share:g} %."
        f" Where does it stand at MIDI key {key:g}?"
    )
    worked = [
        f"The key is {key - 60:+g} st from C4; {100 * share:g} % of that is {share * (key - 60):+.4g} st.",
        f"{base:g} Hz · 2^({share * (key - 60):.4g}/12) = {value:.4g} Hz.",
    ]
    question = Question(name="cutoff", asks="Cutoff stands at", unit="Hz")
    return _made(level, seed, asks, question, value, worked, None, CUTOFF, "key_follow")


_OF_LEVEL: Final[tuple[tuple[Callable[[int, int, Random], Made], ...], ...]] = (
    (_by_velocity, _note_value),
    (_cancels, _cycles),
    (_meet, _follows_key),
)
