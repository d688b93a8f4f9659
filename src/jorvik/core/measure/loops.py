"""How long the loops of a patch are."""

from fractions import Fraction

from jorvik.core.measure.context import Context


def loops(context: Context) -> dict[str, Fraction]:
    """Return the length in beats of each loop that something reads: of steps, of drawn curves, of values taken."""
    tempo = context.patch.performance.tempo
    beat = 60.0 / tempo.bpm
    found: dict[str, Fraction] = {}
    for module in context.patch.modules:
        length_s = module.loop_s(tempo, context.rate_of(str(getattr(module, "clock", ""))))
        if length_s and context.is_read(module.id):
            found[module.id] = _beats(length_s / beat)
    return found


def _beats(value: float) -> Fraction:
    return Fraction(value).limit_denominator(960)
