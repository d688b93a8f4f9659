"""A recorded note as a target: what is found in it, how sure it is, and what cannot be told."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, field
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from jorvik.core.analysis.bands import spectrum
from jorvik.core.analysis.envelope_fit import FittedEnvelope, fitted_envelope
from jorvik.core.analysis.sound_lanes import HOP_S, LEVEL_S, SoundLanes, mono_of, sound_lanes
from jorvik.core.analysis.vibrato_fit import Vibrato, vibrato_within
from jorvik.core.dsp.kernels import Floats
from jorvik.core.problems import Problem
from jorvik.core.units.pitch import key_at
from jorvik.core.units.words import in_words, note_name, rate_text, share_text, time_text

Flags = NDArray[np.bool_]
"""Of each moment whether something is so."""

MAX_S: Final = 30.0
LEAST_S: Final = 0.1
QUIETEST: Final = 1e-4
"""A recording that stays 80 dB under full scale is silence."""

_VOICED: Final = 0.5
"""How much of the sounding time must have a pitch for there to be one."""
_HARMONIC: Final = 0.7
"""Of the power, what must lie on the partials of one note."""
_CLIPPED: Final = 20
"""Samples at the very top, side by side, that are told as clipping."""
_PARTIALS: Final = 60
_VIBRATO_CENTS: Final = 3.0
_TREMOLO_DB: Final = 0.3
_SETTLED_S: Final = 0.15
"""After note-on, by when a pitch that slides in has come to its own."""
_ONSET_CENTS: Final = 10.0


@dataclass(frozen=True)
class Brightness:
    """The spectral centroid at the beginning, where it is greatest, and over the last fifth before note-off."""

    start_hz: float
    peak_hz: float
    peak_s: float
    settle_hz: float


@dataclass(frozen=True)
class Onset:
    """Where the pitch begins, from where it settles, and how long until a tenth of that is left."""

    cents: float
    glide_s: float


@dataclass(frozen=True)
class Recorded:
    """What is found in the recording of one note. Times are from its first sample on."""

    seconds: float
    note_on_s: float
    note_off_s: float | None
    """None where it has ended by itself before."""
    pitch_hz: float | None
    level: FittedEnvelope
    brightness: Brightness
    onset: Onset | None
    vibrato: Vibrato | None
    tremolo: Vibrato | None
    """Both counted from note-on."""
    sure: dict[str, float]
    """How sure each is, 0 to 1: of a pitch the share of the time that has one, of a vibrato what it explains."""
    lanes: SoundLanes
    remarks: list[str] = field(default_factory=list)

    @property
    def key(self) -> float | None:
        """The pitch as a key."""
        return None if self.pitch_hz is None else key_at(self.pitch_hz)

    @property
    def pitch_cents(self) -> Floats:
        """The pitch over time, from where it settles."""
        if self.pitch_hz is None:
            return np.full(self.lanes.level_db.size, np.nan)
        return np.asarray(1200.0 * np.log2(self.lanes.pitch_hz / self.pitch_hz))

    @property
    def sentences(self) -> list[str]:
        """What was found, each in a sentence with how sure it is, and what cannot be told."""
        stages = self.level
        off = "" if stages.release_s is None else f", {_short(stages.falls_to_tenth_s)} to a tenth after note-off"
        said = [
            f"Level: {_short(stages.attack_s)} up, half down after {_short(stages.falls_s(0.5))}, "
            f"holds {share_text(stages.sustain)}{off}; {stages.rms_db:.1f} dB off what was recorded."
        ]
        if self.pitch_hz is not None:
            said.append(
                f"Pitch: {rate_text(float(f'{self.pitch_hz:.5g}'))}, {note_name(self.key or 0.0)}; "
                f"sure by {share_text(self.sure['pitch'])}."
            )
        if self.onset is not None:
            off = in_words(round(self.onset.cents), "cents")
            said.append(f"It slides in from {off} within {_short(self.onset.glide_s)}.")
        for name, of, unit in (("Vibrato", self.vibrato, "cents"), ("Tremolo", self.tremolo, "dB")):
            if of is not None:
                said.append(
                    f"{name}: {of.rate_hz:.3g} Hz, {of.depth:.3g} {unit} to either side, from {_short(of.start_s)} on, "
                    f"full after {_short(of.fade_s)} more; sure by {share_text(of.sure)}."
                )
        bright = self.brightness
        said.append(
            f"Brightness: begins at {_hz(bright.start_hz)}, greatest {_hz(bright.peak_hz)} after "
            f"{_short(bright.peak_s)}, settles at {_hz(bright.settle_hz)}."
        )
        return [*said, *self.remarks]

    def facts(self) -> dict[str, Any]:
        """Return it as the object that is written in JSON; the keys are those of the command line."""

        def listed(lane: Floats, digits: int) -> list[float | None]:
            return [round(float(value), digits) if np.isfinite(value) else None for value in lane]

        def moved(of: Vibrato | None, unit: str) -> dict[str, float] | None:
            if of is None:
                return None
            return {"rate_hz": of.rate_hz, f"depth_{unit}": of.depth, "start_s": of.start_s, "fade_s": of.fade_s}

        stages = asdict(self.level)
        return {
            "seconds": self.seconds,
            "note_on_s": self.note_on_s,
            "note_off_s": self.note_off_s,
            "pitch_hz": self.pitch_hz,
            "key": self.key,
            **{name: stages[name] for name in ("attack_s", "decay_s", "sustain", "release_s")},
            "half_s": self.level.falls_s(0.5),
            "tenth_s": self.level.falls_s(0.1),
            "release_tenth_s": None if self.level.release_s is None else self.level.falls_to_tenth_s,
            "level": stages,
            "onset": None if self.onset is None else asdict(self.onset),
            "vibrato": moved(self.vibrato, "cents"),
            "tremolo": moved(self.tremolo, "db"),
            "brightness": asdict(self.brightness),
            "sure": self.sure,
            "remarks": self.remarks,
            "lanes": {
                "time_s": listed(self.lanes.times, 4),
                "pitch_cents": listed(self.pitch_cents, 2),
                "level_db": listed(self.lanes.level_db, 2),
                "brightness_hz": listed(self.lanes.brightness_hz, 1),
            },
        }


def _short(seconds: float) -> str:
    return time_text(float(f"{max(seconds, 0.0):.3g}"))


def _hz(hz: float) -> str:
    return rate_text(float(f"{hz:.3g}"))


def recorded(samples: Floats, rate: int, note_off_s: float | None = None, remarks: Sequence[str] = ()) -> Recorded:
    """Return what is found in the recording of one note, shape (frames, 1 or 2), 30 s of it at most.

    ``note_off_s`` sets where it is let go, in place of what is found; ``remarks`` are what is to be said already.
    Raises Problem for silence and what is too short.
    """
    sound, found_of_it = _fit_to_be_read(samples, rate)
    remarks = [*remarks, *found_of_it]
    lanes = sound_lanes(sound, rate)
    level = fitted_envelope(lanes.level_db, HOP_S, LEVEL_S)
    on = level.on_s
    off = note_off_s if note_off_s is not None else level.off_s
    held = (lanes.times >= on) & (lanes.times < (off if off is not None else lanes.times[-1] + 1.0))
    loud = held & (lanes.level_db > lanes.level_db.max() - 40.0)
    pitched = loud & np.isfinite(lanes.pitch_hz)
    share = float(pitched.sum() / max(loud.sum(), 1))
    pitch, harmonic = None, 0.0
    if share >= _VOICED:
        late = pitched & (lanes.times >= on + _SETTLED_S)
        pitch = float(np.exp(np.median(np.log(lanes.pitch_hz[late if late.sum() >= 8 else pitched]))))
        harmonic = _on_partials(sound, rate, lanes, loud)
    sure = {"pitch": round(share * min(1.0, harmonic / 0.9), 3)}
    if pitch is None:
        remarks.append("No pitch is told: it is noise, or more than one note; the pitch is left out.")
    elif harmonic < _HARMONIC:
        remarks.append(
            f"Only {100 * harmonic:.0f} % of it lies on the partials of one note: there is noise in it, or a second "
            "note; the pitch is left out."
        )
        pitch = None
    found = _moved(lanes, level, pitch, held)
    sure |= {name: round(of.sure, 3) for name, of in found.items() if of is not None}
    sure["level"] = round(float(np.exp(-level.rms_db / 6.0)), 3)
    if off is None:
        remarks.append("It ends by itself: when it was let go cannot be told, and neither can its release.")
    onset = _onset(lanes, pitch, on, held)
    return Recorded(
        seconds=len(sound) / rate,
        note_on_s=on,
        note_off_s=off,
        pitch_hz=pitch,
        level=level,
        brightness=_brightness(lanes, on, loud),
        onset=onset,
        vibrato=found["vibrato"],
        tremolo=found["tremolo"],
        sure=sure,
        lanes=lanes,
        remarks=remarks,
    )


def _fit_to_be_read(samples: Floats, rate: int) -> tuple[Floats, list[str]]:
    """Return a sound of two sides as it is looked at, and what is to be said of it."""
    remarks = []
    sound = samples if samples.ndim == 2 else samples[:, None]
    sound = np.nan_to_num(np.repeat(sound, 2, axis=1) if sound.shape[1] == 1 else sound[:, :2])
    if len(sound) > MAX_S * rate:
        remarks.append(f"Of {time_text(len(sound) / rate)} the first {MAX_S:g} s are looked at.")
        sound = sound[: round(MAX_S * rate)]
    if len(sound) < LEAST_S * rate:
        raise Problem("the recording", time_text(len(sound) / rate), f"{time_text(LEAST_S)} at least")
    peak = float(np.abs(sound).max())
    if peak < QUIETEST:
        raise Problem("the recording", "silence", "a note that can be heard")
    top = np.abs(sound).max(axis=1) >= 0.999 * peak
    runs = np.diff(np.flatnonzero(np.diff(np.concatenate([[0], top.astype(int), [0]]))))[::2]
    if peak > 0.5 and float(runs[runs >= 3].sum()) >= _CLIPPED:
        remarks.append("It is clipped: its level and its brightness are those of the clipped sound.")
    if mono_of(sound) is not None and float(np.mean(sound.mean(axis=1) ** 2)) <= 0.25 * float(np.mean(sound**2)):
        remarks.append("Its sides cancel each other: pitch and brightness are those of the left one.")
    return sound, remarks


def _on_partials(sound: Floats, rate: int, lanes: SoundLanes, loud: Flags) -> float:
    """Return the share of the power that lies on the partials of the pitch, over the loudest 0.2 s that have one."""
    width = round(0.2 / HOP_S)
    power = np.where(loud & np.isfinite(lanes.pitch_hz), 10.0 ** (lanes.level_db / 10.0), 0.0)
    sums = np.concatenate([[0.0], np.cumsum(power)])
    first = int(np.argmax(sums[width:] - sums[:-width])) if power.size > width else 0
    inside = lanes.pitch_hz[first : first + width]
    if not np.isfinite(inside).any():
        return 0.0
    hz, moves = float(np.nanmedian(inside)), float(np.nanmax(inside) / np.nanmin(inside))
    of = spectrum(sound[round(first * HOP_S * rate) : round((first + width) * HOP_S * rate)], rate)
    spread = max(0.025, moves - 1.0)
    near = np.zeros(of.hz.size, dtype=bool)
    for partial in range(1, _PARTIALS + 1):
        reach = max(2.5 * of.hz[1], spread * partial * hz) if partial * hz * spread < 0.5 * hz else 0.5 * hz
        near |= np.abs(of.hz - partial * hz) <= min(reach, 0.3 * hz)
    return float(of.power[near].sum() / max(of.total, 1e-30))


def _moved(lanes: SoundLanes, level: FittedEnvelope, pitch: float | None, held: Flags) -> dict[str, Vibrato | None]:
    """Return what moves to and fro in pitch and in level while the note is held, once it has come to its own."""
    steady = held & (lanes.times >= level.on_s + _SETTLED_S)
    vibrato = None
    if pitch is not None:
        cents = 1200.0 * np.log2(lanes.pitch_hz / pitch)
        vibrato = vibrato_within(lanes.times, cents, steady, _VIBRATO_CENTS, level.on_s)
    late = steady & (lanes.times >= level.on_s + level.attack_s) & (lanes.level_db > lanes.level_db.max() - 30.0)
    tremolo = vibrato_within(lanes.times, lanes.level_db, late, _TREMOLO_DB, level.on_s)
    return {"vibrato": vibrato, "tremolo": tremolo}


def _onset(lanes: SoundLanes, pitch: float | None, on: float, held: Flags) -> Onset | None:
    """Return how the pitch slides in, where it begins more than 10 cents off."""
    if pitch is None:
        return None
    early = np.flatnonzero(held & np.isfinite(lanes.pitch_hz) & (lanes.times < on + 1.0))
    if early.size < 12:
        return None
    cents = 1200.0 * np.log2(lanes.pitch_hz[early] / pitch)
    begins = float(np.median(cents[:3]))
    if abs(begins) < _ONSET_CENTS or abs(begins) < 2.0 * float(np.std(cents[early.size // 2 :])):
        return None
    left = np.flatnonzero(np.abs(cents) <= 0.1 * abs(begins))
    return Onset(begins, float(lanes.times[early[left[0]]] - on)) if left.size else None


def _brightness(lanes: SoundLanes, on: float, loud: Flags) -> Brightness:
    at = np.flatnonzero(loud & np.isfinite(lanes.brightness_hz))
    if at.size == 0:
        at = np.flatnonzero(np.isfinite(lanes.brightness_hz))
    hz = lanes.brightness_hz[at]
    top = int(hz.argmax())
    settle = float(np.exp(np.mean(np.log(np.maximum(hz[-max(1, at.size // 5) :], 1.0)))))
    return Brightness(float(np.median(hz[:3])), float(hz[top]), float(lanes.times[at[top]] - on), settle)
