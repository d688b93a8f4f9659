"""Note values in time: what 1/8d, 1/16t or 2bar lasts at the patch's tempo, and how often it comes."""

from collections.abc import Iterator

from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.modules.base import field_facts
from jorvik.core.units.words import rate_text, time_text


def find(context: Context) -> Iterator[Figure]:
    """Yield seconds and hertz of each time or rate that is said as a note value."""
    tempo = context.patch.performance.tempo
    for module in context.patch.modules:
        for name in module.slots():
            value = getattr(module, name)
            if not isinstance(value, str) or field_facts(type(module).model_fields[name])["role"] != "number":
                continue
            lasts = tempo.seconds(value)
            yield Figure(
                f"signal.{module.id}",
                name,
                lasts,
                "s",
                f"{value} at {tempo.bpm:g} beats a minute.",
                words=f"{time_text(lasts)}, {rate_text(1.0 / lasts)}",
            )
