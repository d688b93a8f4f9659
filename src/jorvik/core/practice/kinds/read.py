"""Read it: a curve is shown; its figures are asked for."""

from random import Random
from typing import Final

from jorvik.core.practice.patches import SOURCES, between, named, small_patch
from jorvik.core.practice.task import Made, Question, Task, TaskAnswer
from jorvik.core.practice.tolerance import CUTOFF, PITCH, RATE, TIME

TITLE: Final = "Read it"


def make(level: int, seed: int, rng: Random) -> Made:
    """Return an envelope on cutoff; a vibrato; or a late one among other sources."""
    return (_envelope, _vibrato, _late)[level - 1](level, seed, rng)


def _task(level: int, seed: int, **fields: object) -> Task:
    return Task.model_validate({"kind": "read", "level": level, "seed": seed, "title": TITLE, **fields})


def _envelope(level: int, seed: int, rng: Random) -> Made:
    source, (attack, decay) = rng.choice(SOURCES), (between(rng, 0.05, 0.5), between(rng, 0.05, 0.4))
    sustain, amount = round(rng.uniform(0.2, 0.8), 2), float(rng.randrange(12, 40))
    base = between(rng, 150.0, 600.0)
    module = {"id": source, "kind": "envelope", "attack_s": attack, "decay_s": decay, "sustain": sustain}
    route = {"source": source, "destination": "cutoff", "amount": amount}
    patch = small_patch(named(rng), [module], [route], {"cutoff": base})
    peak, rest = base * 2.0 ** (amount / 12.0), base * 2.0 ** (amount * sustain / 12.0)
    questions = [
        Question(name="attack", asks="How long is the attack?", unit="s"),
        Question(name="peak", asks="Where is cutoff at its highest?", unit="Hz"),
        Question(name="settles", asks="Where does cutoff settle?", unit="Hz"),
    ]
    return Made(
        task=_task(
            level,
            seed,
            asks="Read the attack, the peak and where it settles.",
            patch=patch,
            shown=["cutoff"],
            questions=questions,
            about="reach",
        ),
        answer=TaskAnswer(values={"attack": attack, "peak": peak, "settles": rest}),
        tolerances={"attack": TIME, "peak": CUTOFF, "settles": CUTOFF},
        places={"attack": ("cutoff", attack), "peak": ("cutoff", attack), "settles": ("cutoff", attack + decay)},
        worked=[
            f"It is highest after {attack:g} s: that is the attack.",
            f"{base:g} Hz raised {amount:g} st is {base:g} · 2^({amount:g}/12) = {peak:.4g} Hz.",
            f"It settles at {sustain:g} of that way: {base:g} · 2^({amount * sustain:.4g}/12) = {rest:.4g} Hz.",
        ],
    )


def _vibrato(level: int, seed: int, rng: Random) -> Made:
    source, rate = rng.choice(SOURCES), between(rng, 2.0, 9.0)
    depth, shape = round(rng.uniform(0.2, 1.5), 2), rng.choice(("sine", "triangle", "square", "saw_up"))
    module = {"id": source, "kind": "lfo", "rate": rate, "shape": shape}
    route = {"source": source, "destination": "pitch", "amount": depth}
    patch = small_patch(named(rng), [module], [route], key=float(rng.randrange(40, 64)))
    shapes = ["sine", "triangle", "square", "saw up", "saw down"]
    questions = [
        Question(name="rate", asks="How many cycles a second?", unit="Hz"),
        Question(name="depth", asks="How far does it go to either side?", unit="st"),
        Question(name="shape", asks="Which shape is it?", choices=shapes),
    ]
    return Made(
        task=_task(
            level,
            seed,
            asks="Read rate, depth and shape of what moves the pitch.",
            patch=patch,
            shown=["pitch"],
            questions=questions,
            about="vibrato_heard",
        ),
        answer=TaskAnswer(values={"rate": rate, "depth": depth, "shape": shape.replace("_", " ")}),
        tolerances={"rate": RATE, "depth": PITCH},
        places={"rate": ("pitch", 1.0 / rate), "depth": ("pitch", None), "shape": ("pitch", None)},
        worked=[
            f"A cycle takes {1.0 / rate:.3g} s: {rate:g} a second.",
            f"It goes {depth:g} st over the key and as far under it: that is its amount.",
        ],
    )


def _late(level: int, seed: int, rng: Random) -> Made:
    sources = rng.sample(SOURCES, 3)
    rate, delay = between(rng, 4.0, 8.0), round(rng.uniform(0.2, 0.7), 2)
    depth, unipolar = round(rng.uniform(0.4, 2.0), 2), rng.random() < 0.5
    late = {
        "id": sources[0],
        "kind": "lfo",
        "rate": rate,
        "delay_s": delay,
        "polarity": "unipolar" if unipolar else "bipolar",
    }
    envelope = {"id": sources[1], "kind": "envelope", "attack_s": between(rng, 0.02, 0.2), "sustain": 0.5}
    slow = {"id": sources[2], "kind": "lfo", "rate": between(rng, 0.5, 1.2), "shape": "triangle"}
    routes = [
        {"source": sources[0], "destination": "pitch", "amount": depth},
        {"source": sources[1], "destination": "cutoff", "amount": 24.0},
        {"source": sources[2], "destination": "wavetable_position", "amount": 0.2},
    ]
    modules = [late, envelope, slow]
    rng.shuffle(modules)
    patch = small_patch(named(rng), modules, routes, length_s=2.0)
    questions = [
        Question(name="delay", asks="After how long does the pitch begin to move?", unit="s"),
        Question(name="rate", asks="How many cycles a second?", unit="Hz"),
        Question(name="polarity", asks="To which sides does it go?", choices=["both sides", "up only"]),
        Question(name="source", asks="Which source does it?", choices=sorted(sources)),
    ]
    return Made(
        task=_task(
            level,
            seed,
            asks="Read what moves the pitch, and which of the sources it is.",
            patch=patch,
            shown=["pitch", "cutoff", "wavetable_position"],
            questions=questions,
            about="vibrato_heard",
        ),
        answer=TaskAnswer(
            values={
                "delay": delay,
                "rate": rate,
                "polarity": "up only" if unipolar else "both sides",
                "source": sources[0],
            }
        ),
        tolerances={"delay": TIME, "rate": RATE},
        places={"delay": ("pitch", delay), "rate": ("pitch", delay), "polarity": ("pitch", None)},
        worked=[
            f"Nothing moves for {delay:g} s: that is the delay of {sources[0]}.",
            f"From then on a cycle takes {1.0 / rate:.3g} s: {rate:g} a second.",
        ],
    )
