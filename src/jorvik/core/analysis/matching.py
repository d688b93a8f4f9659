"""A patch brought near to a recorded note: its envelopes, its vibrato and its set values, and how far it still is.

Level and pitch are taken from what least squares found in the recording. Brightness becomes cutoff by the relation
that is measured between the two: the patch is played at that pitch at many cutoffs.
"""

from collections.abc import Callable
from dataclasses import asdict, dataclass, field
from typing import Any, Final

import numpy as np

from jorvik.core.analysis.bands import spectrum
from jorvik.core.analysis.envelope_fit import bent
from jorvik.core.analysis.recording import Flags, Recorded
from jorvik.core.analysis.sound_lanes import SoundLanes, sound_lanes
from jorvik.core.analysis.swept import SKIP_S
from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, check_patch, edited, fresh_id
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.run import Cancelled, never
from jorvik.core.limits import DEFAULT_RATE, MAX_BEND, MAX_SECONDS
from jorvik.core.units.levels import amplitude_of
from jorvik.core.units.words import in_words, note_name, time_text
from jorvik.core.voice.render import render

_CUTOFFS: Final = tuple(float(hz) for hz in np.geomspace(60.0, 18_000.0, 20))
_HELD_S: Final = 0.3
_LEAST_ST: Final = 2.0
"""A cutoff that moves less is set, and not moved."""
_BODY_DB: Final = 20.0
"""What lies so far under the peak is not what its level is set by."""
_HEARD_DB: Final = 40.0
"""So far under its peak a level is compared."""
_TOLD_DB: Final = 0.5
_AGAIN: Final = 2
"""How often level and cutoff are set anew by what is heard of them."""

PLAIN: Final[dict[str, Any]] = {
    "format": "jorvik-patch",
    "version": 1,
    "name": "From a recording",
    "voice": {
        "base": {"cutoff": 1200, "wavetable_position": 0.7, "amplitude": 0.7},
        "oscillators": {"osc1": {"table": "ladder"}},
    },
}
"""What a patch begins with that is made of a recording: a bright tone, and a filter to darken it."""


@dataclass(frozen=True)
class Distance:
    """How far a patch is from a recording: each the root of the mean square over the note, and where it is worst."""

    level_db: float
    level_worst_s: float
    pitch_cents: float | None
    pitch_worst_s: float | None
    brightness_oct: float | None
    brightness_worst_s: float | None


@dataclass(frozen=True)
class Matched:
    """A patch that was brought near to a recording."""

    patch: Patch
    distance: Distance
    before: Distance | None
    """Of the patch as it was; None for a new one."""
    changes: list[str] = field(default_factory=list)
    lanes: SoundLanes | None = None
    """Of its own sound, from its note-on on."""

    def facts(self) -> dict[str, Any]:
        """Return it as the object that is written in JSON, without the patch."""
        before = None if self.before is None else asdict(self.before)
        return {"distance": asdict(self.distance), "before": before, "changes": self.changes}

    @property
    def sentence(self) -> str:
        """How far it is from the recording, and where most."""
        at = self.distance
        said = [f"level {at.level_db:.1f} dB, most at {time_text(round(at.level_worst_s, 3))}"]
        if at.pitch_cents is not None and at.pitch_worst_s is not None:
            said.append(f"pitch {at.pitch_cents:.1f} cents, most at {time_text(round(at.pitch_worst_s, 3))}")
        if at.brightness_oct is not None and at.brightness_worst_s is not None:
            said.append(
                f"brightness {at.brightness_oct:.2f} octaves, most at {time_text(round(at.brightness_worst_s, 3))}"
            )
        return f"Left over the note: {'; '.join(said)}."


def matched(
    target: Recorded,
    patch: Patch | None = None,
    cancelled: Callable[[], bool] = never,
    tell: Callable[[float], None] | None = None,
) -> Matched:
    """Return a patch, or a new one, brought as near to a recording as its envelopes, LFO and set values can be.

    Raises Problem where the patch can hold no more modules; Cancelled.
    """
    steps = 4.0 + _AGAIN
    done = 0.0

    def went(by: float = 1.0) -> None:
        nonlocal done
        if cancelled():
            raise Cancelled
        done += by
        if tell is not None:
            tell(done / steps)

    begun = check_patch(PLAIN) if patch is None else patch.under(None)
    changes: list[str] = []
    made = _at_its_note(begun, target, changes)
    before = None if patch is None else distance(target, heard(made, target))
    went()
    made = _level(made, target, changes)
    made = _pitch(made, target, changes)
    went()
    relation = _relation(made)
    went()
    made = _cutoff(made, target, relation, changes)
    went()
    lanes = heard(made, target)
    for _ in range(_AGAIN):
        made = _nearer(made, target, lanes, relation)
        lanes = heard(made, target)
        went()
    louder = _louder(target, lanes)
    base = {name: made.base(VOICE[name]) for name in ("amplitude", "cutoff")}
    if louder >= _TOLD_DB and base["amplitude"] >= 1.0:
        changes.append(f"it is {louder:.1f} dB quieter than the recording, and can be no louder")
    changes.append(
        f"amplitude set at {in_words(base['amplitude'], 'ratio')}, cutoff at {in_words(base['cutoff'], 'Hz')}"
    )
    return Matched(made, distance(target, lanes), before, changes, lanes)


def heard(patch: Patch, target: Recorded) -> SoundLanes:
    """Return the lanes of a patch's own sound, from note-on on."""
    return sound_lanes(render(patch, DEFAULT_RATE).samples, DEFAULT_RATE, target.pitch_hz)


def distance(target: Recorded, lanes: SoundLanes) -> Distance:
    """Return how far a sound's lanes, from note-on on, lie from those of a recording, while that is heard and held."""
    wanted, got, times = _aligned(target, lanes)
    loud = wanted.level_db > wanted.level_db.max() - _HEARD_DB
    level = np.where(loud, np.clip(got.level_db - wanted.level_db, -_HEARD_DB, _HEARD_DB), np.nan)
    cents = octaves = np.full(times.size, np.nan)
    if target.pitch_hz is not None:
        cents = np.where(loud, 1200.0 * np.log2(got.pitch_hz / wanted.pitch_hz), np.nan)
    octaves = np.where(loud, np.log2(got.brightness_hz / wanted.brightness_hz), np.nan)
    level_is, level_at = _far(level, times)
    pitch_is, pitch_at = _far(cents, times)
    bright_is, bright_at = _far(octaves, times)
    return Distance(level_is or 0.0, level_at or 0.0, pitch_is, pitch_at, bright_is, bright_at)


def _far(off: Floats, times: Floats) -> tuple[float | None, float | None]:
    known = np.isfinite(off)
    if not known.any():
        return None, None
    return float(np.sqrt(np.mean(off[known] ** 2))), float(times[int(np.nanargmax(np.abs(off)))])


def _aligned(target: Recorded, lanes: SoundLanes) -> tuple[SoundLanes, SoundLanes, Floats]:
    """Return both over the note, on the patch's own moments, which begin with note-on."""
    off = target.note_off_s if target.note_off_s is not None else target.seconds
    times = lanes.times[lanes.times < off - target.note_on_s]

    def at(lane: Floats) -> Floats:
        return np.asarray(np.interp(times + target.note_on_s, target.lanes.times, lane))

    of = target.lanes
    wanted = SoundLanes(at(of.level_db), at(of.brightness_hz), at(of.pitch_hz), at(of.voiced))
    got = SoundLanes(
        *(lane[: times.size] for lane in (lanes.level_db, lanes.brightness_hz, lanes.pitch_hz, lanes.voiced))
    )
    return wanted, got, times


def _at_its_note(patch: Patch, target: Recorded, changes: list[str]) -> Patch:
    """Return a patch whose test note is the recording's: its key, its length, its tail."""
    note = patch.performance.notes[0]
    off = target.note_off_s if target.note_off_s is not None else target.seconds
    held = max(off - target.note_on_s, 4 * SKIP_S)
    key = note.key if target.key is None else float(round(target.key))
    tail = min(max(target.seconds - off, 0.1), MAX_SECONDS - held)
    performance = {
        **patch.document().get("performance", {}),
        "notes": [{"key": key, "velocity": note.velocity, "start_s": 0.0, "length_s": round(held, 4)}],
        "tail_s": round(tail, 4),
    }
    performance.pop("controls", None)
    changes.append(f"the test note is {note_name(key)}, held {time_text(round(held, 3))}")
    made = patch.with_document({**patch.document(), "performance": performance})
    if target.key is None:
        return made
    off_st = round(target.key - key, 4)
    changes.append(f"pitch set at {in_words(off_st, 'st')}")
    return edited(made, base={"pitch": off_st})


def _with_source(
    patch: Patch, kind: str, name: str, destination: str, fields: dict[str, Any], route: dict[str, Any]
) -> tuple[Patch, str]:
    """Return a patch in which one source of a kind alone moves a destination, and the source's name."""
    onto = [one for one in patch.live_routes if one.destination == destination]
    known = next((one for one in onto if getattr(patch.modules_by_id.get(one.source), "kind", "") == kind), None)
    others = {one.id: {"enabled": False} for one in onto if one is not known}
    if known is not None:
        changed = {**others, known.id: {**route, "via": None, "bend": 0.0, "polarity": "as_is"}}
        return edited(patch, modules={known.source: fields}, routes=changed), known.source
    new = fresh_id(name, [*patch.modules_by_id, *patch.routes_by_id])
    added = {"id": f"{new} to {destination}", "source": new, "destination": destination, **route}
    made = edited(patch, routes=others, more_modules=({"id": new, "kind": kind, **fields},), more_routes=(added,))
    return made, new


def _level(patch: Patch, target: Recorded, changes: list[str]) -> Patch:
    level = target.level
    release = level.release_s if level.release_s is not None else 0.05
    fields = {
        **_stages(level.attack_s, level.attack_bend, level.decay_s, level.decay_bend, level.sustain),
        "release_s": _time(release),
        "release_bend": _bend(level.release_bend if level.release_s is not None else 0.0),
        "velocity_depth": 0.0,
    }
    made, source = _with_source(patch, "envelope", "amp", "amplitude", fields, {"mode": "scale", "amount": 1.0})
    changes.append(
        f"{source}: {time_text(fields['attack_s'])} up, {time_text(fields['decay_s'])} to "
        f"{in_words(fields['sustain'], 'ratio')}, {time_text(fields['release_s'])} to nothing"
    )
    return made


def _pitch(patch: Patch, target: Recorded, changes: list[str]) -> Patch:
    made = patch
    if (vibrato := target.vibrato) is not None:
        fields = {
            "shape": "sine",
            "polarity": "bipolar",
            "start": "note",
            "rate": float(f"{vibrato.rate_hz:.5g}"),
            "phase": round(vibrato.phase, 4) % 1.0,
            "delay_s": _time(vibrato.start_s),
            "fade_in_s": _time(vibrato.fade_s),
        }
        depth = round(vibrato.depth / 100.0, 4)
        made, source = _with_source(made, "lfo", "shake", "pitch", fields, {"mode": "add", "amount": depth})
        changes.append(
            f"{source}: {fields['rate']:g} Hz, {100 * depth:.3g} cents to either side, "
            f"from {time_text(_time(vibrato.start_s))} on"
        )
    if target.onset is not None:
        # The fall to a tenth comes half-way through a stage that is bent so far.
        fields = {**_stages(0.0, 0.0, 2.0 * target.onset.glide_s, 4.6, 0.0), "release_s": 0.01}
        new = fresh_id("slide", [*made.modules_by_id, *made.routes_by_id])
        route = {
            "id": f"{new} to pitch",
            "source": new,
            "destination": "pitch",
            "amount": round(target.onset.cents / 100, 3),
        }
        made = edited(made, more_modules=({"id": new, "kind": "envelope", **fields},), more_routes=(route,))
        changes.append(
            f"{new}: begins {in_words(round(target.onset.cents / 100, 2), 'st')} off, and comes to its pitch"
        )
    return made


def _relation(patch: Patch) -> tuple[Floats, Floats]:
    """Return the octaves of cutoffs, and the octaves of the brightness that is heard at each, rising."""
    onto = {
        one.id: {"enabled": False} for one in patch.live_routes if one.destination in ("cutoff", "amplitude", "pitch")
    }
    steady = edited(patch, routes=onto).with_note(length_s=_HELD_S, tail_s=0.0)
    found = []
    for cutoff in _CUTOFFS:
        sound = render(edited(steady, base={"cutoff": cutoff, "amplitude": 0.5}), DEFAULT_RATE).samples
        found.append(max(spectrum(sound[round(SKIP_S * DEFAULT_RATE) :], DEFAULT_RATE).centroid_hz, 1.0))
    rising = np.maximum.accumulate(np.log2(found)) + 1e-6 * np.arange(len(found))
    return np.log2(_CUTOFFS), rising


def _cutoff(patch: Patch, target: Recorded, relation: tuple[Floats, Floats], changes: list[str]) -> Patch:
    """Return a patch whose cutoff goes as the recording's brightness asks: set, or moved by an envelope."""
    off = target.note_off_s if target.note_off_s is not None else target.seconds
    of = target.lanes
    at = np.flatnonzero(
        (of.times >= target.note_on_s)
        & (of.times < off)
        & np.isfinite(of.brightness_hz)
        & (of.level_db > of.level_db.max() - _HEARD_DB)
    )
    if at.size < 4:
        return patch
    octaves = np.interp(np.log2(of.brightness_hz[at]), relation[1], relation[0])
    steps = 12.0 * (octaves - octaves.min())
    fields, base, amount = _moved_by(of.times[at] - target.note_on_s, steps)
    lowest = 2.0 ** float(octaves.min())
    if float(np.ptp(steps)) < _LEAST_ST or abs(amount) < _LEAST_ST:
        onto = {one.id: {"enabled": False} for one in patch.live_routes if one.destination == "cutoff"}
        return edited(patch, routes=onto, base={"cutoff": _hz(2.0 ** float(np.median(octaves)))})
    made, source = _with_source(
        patch, "envelope", "opening", "cutoff", fields, {"mode": "add", "amount": round(amount, 2)}
    )
    changes.append(
        f"{source}: cutoff {in_words(round(amount, 1), 'st')}, {time_text(fields['attack_s'])} up, "
        f"{time_text(fields['decay_s'])} to {in_words(fields['sustain'], 'ratio')}"
    )
    return edited(made, base={"cutoff": _hz(lowest * 2.0 ** (base / 12.0))})


def _moved_by(times: Floats, steps: Floats) -> tuple[dict[str, Any], float, float]:
    """Return the envelope, the set value and the amount that come nearest to a lane in semitones."""
    from scipy.optimize import least_squares

    end = float(times[-1])

    def shape(q: Floats) -> Floats:
        up = bent(np.clip(times / max(float(q[0]), 1e-4), 0.0, 1.0), float(q[1]))
        down = 1.0 - (1.0 - q[4]) * bent(np.clip((times - q[0]) / max(float(q[2]), 1e-4), 0.0, 1.0), float(q[3]))
        return np.asarray(np.where(times < q[0], up, down))

    def parts(q: Floats) -> tuple[Floats, Floats]:
        basis = np.stack([np.ones(times.size), shape(q)], axis=1)
        return basis, np.asarray(np.linalg.lstsq(basis, steps, rcond=None)[0], dtype=np.float64)

    def misses(q: Floats) -> Floats:
        basis, much = parts(q)
        return np.asarray(basis @ much - steps)

    low = np.array([0.0, -8.0, 5e-3, -8.0, 0.0])
    high = np.array([max(end, 0.02), 8.0, max(2 * end, 0.05), MAX_BEND, 1.0])
    top = float(times[int(np.argmax(steps))])
    tries = [
        np.clip([attack, 0.5, decay, 2.0, 0.3], low + 1e-6, high - 1e-6)
        for attack in (0.005, max(top, 0.01), 0.9 * end)
        for decay in (0.1 * end + 0.01, 0.6 * end + 0.02)
    ]
    found = [least_squares(misses, q, bounds=(low, high), loss="soft_l1") for q in tries]
    q = min(found, key=lambda one: float(one.cost)).x
    _, (base, amount) = parts(q)
    return {**_stages(*(float(value) for value in q)), "velocity_depth": 0.0}, float(base), float(amount)


def _nearer(patch: Patch, target: Recorded, lanes: SoundLanes, relation: tuple[Floats, Floats]) -> Patch:
    """Return a patch with amplitude and cutoff set by what is left between it and the recording."""
    wanted, got, _ = _aligned(target, lanes)
    loud = _both_heard(wanted, got)
    if not loud.any():
        return patch
    louder = amplitude_of(_louder(target, lanes))
    base = {"amplitude": min(float(f"{patch.base(VOICE['amplitude']) * louder:.5g}"), 1.0)}
    brighter = np.log2(wanted.brightness_hz / got.brightness_hz)[loud]
    known = brighter[np.isfinite(brighter)]
    if known.size:
        # By how much the cutoff has to move for that, where it stands.
        now = float(np.median(np.log2(got.brightness_hz[loud & np.isfinite(got.brightness_hz)])))
        places = np.interp([now, now + float(np.mean(known))], relation[1], relation[0])
        base["cutoff"] = _hz(patch.base(VOICE["cutoff"]) * 2.0 ** float(np.clip(np.diff(places)[0], -2.0, 2.0)))
    return edited(patch, base=base)


def _both_heard(wanted: SoundLanes, got: SoundLanes) -> Flags:
    loud = wanted.level_db > wanted.level_db.max() - _BODY_DB
    return np.asarray(loud & (got.level_db > got.level_db.max() - _HEARD_DB))


def _louder(target: Recorded, lanes: SoundLanes) -> float:
    """Return by how many dB a recording is louder than a sound, while both are heard."""
    wanted, got, _ = _aligned(target, lanes)
    loud = _both_heard(wanted, got)
    return float(np.mean((wanted.level_db - got.level_db)[loud])) if loud.any() else 0.0


def _stages(attack: float, attack_bend: float, decay: float, decay_bend: float, sustain: float) -> dict[str, Any]:
    return {
        "delay_s": 0.0,
        "attack_s": _time(attack),
        "attack_bend": _bend(attack_bend),
        "hold_s": 0.0,
        "decay_s": _time(decay),
        "decay_bend": _bend(decay_bend),
        "sustain": round(min(max(sustain, 0.0), 1.0), 4),
        "mode": "gate",
    }


def _time(seconds: float) -> float:
    return float(f"{min(max(seconds, 0.0), MAX_SECONDS):.4g}")


def _bend(value: float) -> float:
    return round(min(max(value, -MAX_BEND), MAX_BEND), 3)


def _hz(value: float) -> float:
    at = VOICE["cutoff"]
    return float(f"{min(max(value, at.low), at.high):.5g}")
