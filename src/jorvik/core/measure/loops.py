"""How long the loops of a patch are."""

from fractions import Fraction

from jorvik.core.measure.context import Context


def loops(of: Context) -> dict[str, Fraction]:
    """Return the length in beats of each loop that something reads: of steps, of drawn curves, of values taken."""
    tempo = of.patch.performance.tempo
    beat = 60.0 / tempo.bpm
    found: dict[str, Fraction] = {}
    for module in of.modules("steps"):
        if module.loop and of.is_read(module.id):
            found[module.id] = _beats(len(module.values) * module.slot_value("step", tempo) / beat)
    for module in of.modules("curve"):
        if module.loop and of.is_read(module.id):
            length = module.points[module.loop[1]][0] - module.points[module.loop[0]][0]
            found[module.id] = _beats(length * module.slot_value("time", tempo) / beat)
    for module in of.modules("sample_hold"):
        rate = of.rate_of(str(module.clock))
        if module.loop and rate and of.is_read(module.id):
            found[module.id] = _beats(module.loop / rate / beat)
    return found


def _beats(value: float) -> Fraction:
    return Fraction(value).limit_denominator(960)
