"""How far pitch spreads, and how fast detuned voices beat: f (2^(c/1200) - 1) for a pair that lies c cents apart."""

from collections.abc import Iterator

from jorvik.core.dsp.kernels import Floats
from jorvik.core.figures.base import Figure
from jorvik.core.measure.closed_forms import beat_hz
from jorvik.core.measure.context import Context
from jorvik.core.units.pitch import key_hz
from jorvik.core.units.words import in_words, rate_text

NEAR_CENTS = 100.0


def find(context: Context) -> Iterator[Figure]:
    """Yield the spread of the pitch in cents, and the beat of each detuned pair."""
    lane = context.lane("pitch")
    if lane is not None:
        held = context.held(lane.value)
        yield Figure(
            "pitch",
            "spread while held",
            100.0 * float(held.max() - held.min()),
            "cents",
            "From the lowest to the highest pitch while the note is held; the shares below say who made it.",
        )
    if context.patch.voice.oscillators.unison > 1 and context.patch.at_work("detune"):
        pitch, half = context.held(context.values("pitch")), context.held(context.values("detune")) / 200.0
        yield Figure(
            "pitch" if lane is not None else "",
            "spread with the unison",
            100.0 * float((pitch + half).max() - (pitch - half).min()),
            "cents",
            "From the lowest pitch of the lowest voice to the highest of the highest, while the note is held.",
        )
    note_hz = key_hz(context.note.key)
    if context.patch.voice.oscillators.unison > 1:
        yield from _beat(context, "detune", "outer unison voices beat at", note_hz, context.values("detune"), 0.5)
    if float(context.values("osc2_level").max()) > 0.0:
        cents = 100.0 * context.values("osc2_pitch")
        if float(abs(cents).max()) <= NEAR_CENTS:
            yield from _beat(context, "osc2_pitch", "oscillators 1 and 2 beat at", note_hz, cents, 0.0)


def _beat(context: Context, stave: str, name: str, note_hz: float, cents: Floats, below: float) -> Iterator[Figure]:
    """Yield a pair's beat; the lower of the two lies a share of the distance under the note.

    What nothing moves has no stave of its own: its beat stands on the page of the patch.
    """
    ends = [float(context.held(cents).min()), float(context.held(cents).max())]
    hz = [abs(beat_hz(note_hz * 2.0 ** (-below * c / 1200.0), c)) for c in ends]
    if max(hz) == 0.0:
        return
    moving = abs(hz[1] - hz[0]) > 1e-6 * max(hz)
    yield Figure(
        stave if context.lane(stave) else "",
        name,
        max(hz),
        "Hz",
        "f (2^(c/1200) − 1), for two tones c cents apart; their harmonic n beats n times as fast.",
        words=f"{rate_text(min(hz))} to {rate_text(max(hz))}" if moving else in_words(hz[0], "Hz"),
    )
