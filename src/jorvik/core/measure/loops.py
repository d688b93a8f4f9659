"""How long the loops of a patch are."""

from fractions import Fraction

from jorvik.core.measure.context import Context


def loops(context: Context) -> dict[str, Fraction]:
    """Return the length in beats of each loop that is read: of steps, curves, values taken, and what is reset."""
    tempo = context.patch.performance.tempo
    beat = 60.0 / tempo.bpm
    found: dict[str, Fraction] = {}
    for module in context.patch.modules:
        reset_hz = context.rate_of(str(getattr(module, "reset", "")))
        # What begins again with another does so as often as that, however long it is itself.
        length_s = (
            1.0 / reset_hz if reset_hz else module.loop_s(tempo, context.rate_of(str(getattr(module, "clock", ""))))
        )
        if length_s and context.is_read(module.id):
            found[module.id] = _beats(length_s / beat)
    return found


def _beats(value: float) -> Fraction:
    return Fraction(value).limit_denominator(960)
