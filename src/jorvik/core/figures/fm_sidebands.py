"""Sidebands of phase modulation: J_n(index) at f_c + n f_m, turned back at 0 (Chowning, JAES 21, 1973)."""

from collections.abc import Iterator

from jorvik.core.figures.base import Figure
from jorvik.core.measure.closed_forms import heard_sidebands
from jorvik.core.measure.context import Context
from jorvik.core.measure.modulation import strongest_index
from jorvik.core.units.levels import decibels
from jorvik.core.units.pitch import key_at
from jorvik.core.units.words import note_name

LEAST = 0.03
MOST = 9


def find(context: Context) -> Iterator[Figure]:
    """Yield the strongest sidebands at the greatest index that the note comes to."""
    index, carrier, modulator = strongest_index(context)
    if index <= 0.0:
        return
    found = [part for part in heard_sidebands(carrier, modulator, index) if part[2] >= LEAST and part[1] >= 1.0]
    for order, hz, level in sorted(sorted(found, key=lambda part: -part[2])[:MOST], key=lambda part: part[1]):
        name = "carrier" if order == 0 else f"{order:+d}".replace("-", "−")
        yield Figure(
            "fm_index",
            name,
            hz,
            "Hz",
            "J_n(index) at carrier + n × modulator, both sines; what would lie under 0 Hz is turned back.",
            f"Sidebands at index {index:.3g}",
            words=f"{hz:.4g} Hz, {note_name(key_at(hz))}, {decibels(level):.3g} dB".replace("-", "−"),
        )
