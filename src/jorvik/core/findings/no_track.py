"""A patch that listens to a hit which is not there: that signal stands at 0."""

from collections.abc import Iterator

from jorvik.core.document.patch import Patch, edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.signals import hit_of, hit_signal


def find(context: Context) -> Iterator[Finding]:
    """Yield a note for each track that is listened to and not there."""
    phrase = context.patch.phrase
    there = [hit.id for hit in phrase.hits] if phrase else []
    tracks = dict.fromkeys(hit_of(name) or "" for name in context.patch.hit_signals)
    for track in tracks:
        if track in there:
            continue
        where = f"{phrase.name} has no track {track}" if phrase else "it is played at its test note"
        yield Finding(
            rule="no_track",
            severity="note" if phrase is None else "caution",
            sentence=f"The patch listens to hits of {track}, and {where}.",
            why="That signal stands at 0: what it would move stays where it is.",
            about="",
            from_s=context.on_s,
            to_s=context.off_s,
            fix=_fix(context.patch, track, there),
            which=track,
        )


def _fix(patch: Patch, track: str, there: list[str]) -> Fix | None:
    """Listen to a track that is there; without one, to the note itself."""
    heard = {
        hit_signal(track, on): hit_signal(there[0], on) if there else ("trigger" if on else "gate")
        for on in (False, True)
    }
    modules = {}
    for module in patch.modules:
        changed = {
            path: heard[value] for path, value in module.input_signals() if isinstance(value, str) and value in heard
        }
        if changed and all("[" not in path and "." not in path for path in changed):
            modules[module.id] = changed
    routes = {r.id: {"source": heard[r.source]} for r in patch.routes if r.source in heard}
    routes |= {r.id: {**routes.get(r.id, {}), "via": heard[r.via]} for r in patch.routes if r.via in heard}
    if not modules and not routes:
        return None
    label = f"listen to {there[0]}" if there else "listen to the note itself"
    return Fix(label, edited(patch, modules=modules, routes=routes))
