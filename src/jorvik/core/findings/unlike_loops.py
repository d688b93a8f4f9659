"""Loops of unlike length, and when they meet again: after their least common multiple."""

import math
from collections.abc import Iterator
from fractions import Fraction

from jorvik.core.findings.base import Context, Finding, seconds_text


def meeting(lengths: list[Fraction]) -> Fraction:
    """Return the least common multiple of lengths.

    >>> meeting([Fraction(3), Fraction(4), Fraction(5, 2)])
    Fraction(60, 1)
    """
    numerator = math.lcm(*(length.numerator for length in lengths))
    return Fraction(numerator, math.gcd(*(length.denominator for length in lengths)))


def find(of: Context) -> Iterator[Finding]:
    """Yield a note where loops differ in length."""
    tempo = of.patch.performance.tempo
    beat = 60.0 / tempo.bpm
    loops: dict[str, Fraction] = {}
    for module in of.modules("steps"):
        if module.loop and of.is_read(module.id):
            loops[module.id] = _beats(len(module.values) * module.slot_value("step", tempo) / beat)
    for module in of.modules("curve"):
        if module.loop and of.is_read(module.id):
            length = module.points[module.loop[1]][0] - module.points[module.loop[0]][0]
            loops[module.id] = _beats(length * module.slot_value("time", tempo) / beat)
    for module in of.modules("sample_hold"):
        clock = of.patch.modules_by_id.get(str(module.clock))
        if module.loop and clock is not None and clock.kind == "clock":
            step = float(getattr(clock, "divide", 1)) / float(getattr(clock, "multiply", 1))
            loops[module.id] = _beats(module.loop * step / clock.slot_value("rate", tempo) / beat)
    if len(set(loops.values())) < 2:
        return
    beats = meeting(list(loops.values()))
    said = ", ".join(f"{name} {float(length):g}" for name, length in loops.items())
    yield Finding(
        rule="unlike_loops",
        severity="note",
        sentence=f"Loops of {said} beats meet again after {float(beats):g} beats, {seconds_text(float(beats) * beat)}.",
        why="Until then the pattern never repeats.",
        about=f"signal.{next(iter(loops))}",
        from_s=of.on_s,
        to_s=of.end_s,
    )


def _beats(value: float) -> Fraction:
    return Fraction(value).limit_denominator(960)
