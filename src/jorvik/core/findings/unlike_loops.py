"""Loops of unlike length, and when they meet again: after their least common multiple."""

from collections.abc import Iterator
from fractions import Fraction

from jorvik.core.findings.base import Context, Finding
from jorvik.core.measure.closed_forms import meeting
from jorvik.core.modules.base import time_text


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
        sentence=f"Loops of {said} beats meet again after {float(beats):g} beats, {time_text(float(beats) * beat)}.",
        why="Until then the pattern never repeats.",
        about=f"signal.{next(iter(loops))}",
        from_s=of.on_s,
        to_s=of.end_s,
    )


def _beats(value: float) -> Fraction:
    return Fraction(value).limit_denominator(960)
