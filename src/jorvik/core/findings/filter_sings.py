"""A filter that sounds by itself: one that may, with a resonance over 97 % while the note is held.

It is loud, goes on where the tone falls silent, and follows the cutoff wherever that goes: a caution, not a fault.
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.document.destinations import FILTERS
from jorvik.core.document.patch import edited
from jorvik.core.document.schema import SECTION_TITLES
from jorvik.core.dsp.svf import SINGS_FROM
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.units.words import rate_text


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each filter that sings."""
    for part, (cutoff, resonance) in FILTERS.items():
        title = SECTION_TITLES[part]
        settings = getattr(context.patch.voice, part)
        over = context.values(resonance)[: context.note_end] > SINGS_FROM
        if not settings.sings or not over.any():
            continue
        where = np.flatnonzero(over)
        hz = context.values(cutoff)[where]
        least, most = rate_text(float(hz.min())), rate_text(float(hz.max()))
        kept = {**settings.model_dump(mode="json", exclude_unset=True), "sings": False}
        yield Finding(
            rule="filter_sings",
            severity="caution",
            sentence=f"{title} sings by itself, at {least if least == most else f'{least} to {most}'}.",
            why="It sounds without a tone, as loud as one, and jumps as far as its cutoff does.",
            about=cutoff,
            from_s=float(where[0]) / context.rate,
            to_s=float(where[-1] + 1) / context.rate,
            fix=Fix(f"{title.lower()} that only resonates", edited(context.patch, voice={part: kept})),
        )
