"""An audio-rate wave on pitch whose mean is not zero: it shifts the note.

From 5 cents, about the least difference between successive tones that is heard (Moore, JASA 54, 1973).
"""

from collections.abc import Iterator

from jorvik.core.findings.base import Context, Finding, Mend, edited

LEAST_ST = 0.05
AUDIO_HZ = 20.0


def find(of: Context) -> Iterator[Finding]:
    """Yield a finding for each fast source that moves the average pitch."""
    lane = of.lane("pitch")
    if lane is None:
        return
    for route in lane.lane.routes:
        swing = of.measures.signals.get(route.source)
        fast = swing is not None and swing.periodic is not None and swing.periodic.rate_hz >= AUDIO_HZ
        module = of.patch.modules_by_id.get(route.source)
        if not fast and not (module is not None and module.kind == "oscillator"):
            continue
        mean = float(of.held(lane.contributions[route.id]).mean())
        if abs(mean) < LEAST_ST:
            continue
        whole = float(of.held(of.trace.signals[route.source]).mean()) if route.source in of.trace.signals else 0.0
        mend = None
        if route.polarity == "as_is" and 0.2 < whole < 0.8:
            half = {"polarity": "bipolar", "amount": route.amount / 2.0}
            mend = Mend(f"{route.source} swings both ways", edited(of.patch, routes={route.id: half}))
        yield Finding(
            rule="shifted_pitch",
            severity="caution",
            sentence=f"{route.source} shifts the average pitch by {100 * mean:+.0f} cents.",
            why="At audio rate the swing is heard as timbre and its mean as pitch; a wave that swings evenly leaves the note in tune.",
            about=f"route.{route.id}",
            from_s=of.on_s,
            to_s=of.off_s,
            mend=mend,
        )
