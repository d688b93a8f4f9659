"""How often a moving cutoff no longer changes the sound: every harmonic that counts passes within 1 dB.

The tone is the table's own harmonics at the set position, those within 60 dB of the strongest and under 20 kHz; the
filter is the voice's own at the set resonance. Levels are told apart from about 1 dB on (Jesteadt, Wier
and Green, JASA 61, 1977).
"""

from collections.abc import Iterator

from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.measure.moved_cutoff import MovedCutoff


def find(context: Context) -> Iterator[Figure]:
    """Yield the share of a moving cutoff that leaves the tone as it is."""
    moved = MovedCutoff.of(context)
    if moved is None:
        return
    share = moved.unchanged_share()
    if share == 0.0 and not moved.stepped:
        return
    yield Figure(
        "cutoff",
        "steps that change nothing" if moved.stepped else "time it changes nothing",
        share,
        "ratio",
        "Where every harmonic of oscillator 1 within 60 dB of its strongest passes within 1 dB.",
    )
