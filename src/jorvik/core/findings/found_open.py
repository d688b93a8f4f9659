"""A stroke that finds what it opens still open from the one before, so that it is hardly heard as a stroke.

From a quarter of the rise left at the next stroke, told for destinations of timbre and level.
"""

from collections.abc import Iterator

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.beat import against_beat, at_hits, listeners
from jorvik.core.measure.context import Context
from jorvik.core.units.words import rounded, share_text, time_text

LEFT = 0.25
SOONER = 0.4


def find(context: Context) -> Iterator[Finding]:
    """Yield a caution for each track and destination of which any stroke finds it open."""
    for track, name, strikes in at_hits(context, "timbre", "level"):
        open_ = [s for s in strikes[:-1] if s.left_at_next is not None and s.left_at_next >= LEFT]
        if not open_ or not _followers(context, name, track):
            continue
        first = open_[0]
        title = VOICE[name].title
        yield Finding(
            rule="found_open",
            severity="caution",
            sentence=f"{title} is still {share_text(first.left_at_next or 0.0)} open when the stroke of {track} after {time_text(first.at_s)} comes; so it is at {len(open_)} of {len(strikes) - 1}.",
            why="A stroke that finds it open does not open it; only what closes in between is heard as a beat.",
            about=name,
            from_s=context.in_window(first.at_s),
            to_s=context.off_s,
            fix=_fix(context, name, track),
            which=track,
        )


def _followers(context: Context, name: str, track: str) -> set[str]:
    """Return the modules that listen to a track and move a destination."""
    return listeners(context, track) & {route.source for route in context.routes_to(name)}


def _fix(context: Context, name: str, track: str) -> Fix | None:
    """Let what listens fall in so much less time that it has closed."""
    slow = [m for m in context.patch.modules if m.id in _followers(context, name, track) and "release_s" in m.slots()]
    if not slow:
        return None
    patch: Patch = context.patch
    for _ in range(8):
        modules = {
            m.id: {
                "release_s": rounded(
                    SOONER * patch.modules_by_id[m.id].slot_value("release_s", patch.performance.tempo)
                )
            }
            for m in slow
        }
        patch = edited(patch, modules=modules)
        strikes = against_beat(Context(patch, context.rate, context.cancelled, context.voice)).hits[track].get(name, [])
        if all((s.left_at_next or 0.0) < LEFT for s in strikes[:-1]):
            label = ", ".join(
                f"release of {m} {time_text(float(fields['release_s']))}" for m, fields in modules.items()
            )
            return Fix(label, patch)
    return None
