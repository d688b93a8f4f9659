"""Low end on top of a thud: the sound is louder under 150 Hz in the first 80 ms after strokes than between them.

From 3 dB more; told of tracks that the patch follows and that sound as thuds, with their own low end there.
"""

from collections.abc import Iterator
from functools import partial

from jorvik.core.findings.base import Finding, fix
from jorvik.core.findings.dips import with_dips
from jorvik.core.measure.beat import LOW_HZ, against_beat, followed_tracks
from jorvik.core.measure.context import Context

MORE_DB = 3.0
ROOM_DB = 18.0
"""Depth of the dip that the fix makes under each stroke."""


def find(context: Context) -> Iterator[Finding]:
    """Yield a note for each thud that the patch's own low end covers."""
    phrase = context.patch.phrase
    for hit in phrase.hits if phrase else ():
        more = against_beat(context).low_db.get(hit.id)
        if hit.sound != "thud" or more is None or more < MORE_DB or hit.id not in followed_tracks(context):
            continue
        yield Finding(
            rule="low_on_thud",
            severity="note",
            sentence=f"Under {LOW_HZ:g} Hz the sound is {more:.0f} dB louder under {hit.id} than between its strokes.",
            why="Two low ends at one moment cover each other; what leaves room there is heard with the stroke.",
            about="amplitude",
            from_s=context.on_s,
            to_s=context.off_s,
            fix=fix(
                f"dip the amplifier by {ROOM_DB:g} dB under {hit.id}",
                partial(with_dips, context.patch, hit.id, "amplitude", ROOM_DB),
            ),
            which=hit.id,
        )
