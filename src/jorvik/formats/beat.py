"""Strokes from the recording of a beat: where they fall and how hard, found by librosa's onset detection."""

from dataclasses import dataclass, field
from typing import Any, Final

import numpy as np

from jorvik.core.document.phrase import Phrase
from jorvik.core.limits import MAX_NAME, MAX_PHRASE_SECONDS, MAX_RATE, MAX_STRIKES
from jorvik.core.phrases.typed import phrase_of
from jorvik.core.problems import Problem
from jorvik.formats.recordings import LEAST_RATE
from jorvik.formats.sound_file import read_sound

MAX_FILE_BYTES: Final = 30_000_000
QUIETEST: Final = 1e-4
"""A loop that stays 80 dB under full scale is silence."""
_LARGEST: Final = 1000.0
"""A sample 60 dB over full scale; what is larger is cut."""
_RATE: Final = 22_050
_HOP: Final = 128
"""Samples from one look to the next: 6 ms."""
_PEAK_S: Final = 0.03
"""How long after an onset its strength is looked for."""
_TEMPO: Final = (60.0, 180.0)
"""Between these the number of beats of the loop is chosen."""


@dataclass
class ReadBeat:
    """A phrase of hits, to be looked through and corrected, and what was made of the loop."""

    phrase: Phrase
    remarks: list[str] = field(default_factory=list)


def read_beat(data: bytes, name: str = "", beats_per_bar: int = 4) -> ReadBeat:
    """Return the strokes of a WAV loop as one track of hits; the loop counts as whole bars of the likeliest tempo.

    Raises Problem for what is no sound, has nothing in it, or is longer than a phrase.
    """
    import librosa

    file = read_sound(data, "the loop", MAX_FILE_BYTES, MAX_PHRASE_SECONDS, (LEAST_RATE, MAX_RATE))
    seconds, rate = file.seconds, file.rate
    # A damaged file may hold numbers that overflow where they are filtered.
    finite = np.clip(np.nan_to_num(file.samples, posinf=0.0, neginf=0.0), -_LARGEST, _LARGEST)
    mono = finite.mean(axis=1).astype(np.float32)
    if not 0.2 <= seconds <= MAX_PHRASE_SECONDS:
        raise Problem("the loop", f"{seconds:.3g} s", f"0.2 to {MAX_PHRASE_SECONDS:g} s long")
    if float(np.abs(mono).max()) < QUIETEST:
        raise Problem("the loop", "silence", "a beat that can be heard")
    sound = librosa.resample(mono, orig_sr=rate, target_sr=_RATE)
    # A stroke on the first sample has nothing before it to rise from.
    lead = _RATE // 10
    sound = np.concatenate([np.zeros(lead, dtype=np.float32), sound])
    onsets = librosa.onset.onset_detect(y=sound, sr=_RATE, hop_length=_HOP, units="samples", backtrack=False)
    heard = [(max(at - lead, 0) / _RATE, _level(sound, at)) for at in onsets.tolist()]
    if not heard:
        raise Problem("the loop", "no stroke", "a beat with strokes that stand out")
    if len(heard) > MAX_STRIKES:
        raise Problem("the loop", f"{len(heard)} strokes", f"{MAX_STRIKES} at most")
    bars, bpm = _whole_bars(seconds, beats_per_bar)
    loudest = max(level for _, level in heard)
    strikes = [
        {"at": round(at * bpm / 60.0, 6), "strength": round(min(level / loudest, 1.0), 4)} for at, level in heard
    ]
    about: dict[str, Any] = {"tempo_bpm": bpm, "beats_per_bar": beats_per_bar}
    about["hits"] = [{"id": "beat", "sound": "thud", "strikes": strikes}]
    if name:
        about["name"] = name[:MAX_NAME]
    phrase = phrase_of([], **{**about, "bars": bars})
    last = f"{bars} {'bar' if bars == 1 else 'bars'} at {bpm:.4g} bpm"
    return ReadBeat(phrase, [f"{len(heard)} strokes in {last}; correct what was heard wrong."])


def _level(sound: Any, at: int) -> float:
    return float(np.abs(sound[at : at + round(_PEAK_S * _RATE)]).max())


def _whole_bars(seconds: float, beats_per_bar: int) -> tuple[int, float]:
    """Return how many bars a loop has, and its tempo: the fewest bars with which it is no slower than the slowest."""
    bars = 1
    while 60.0 * bars * beats_per_bar / seconds < _TEMPO[0]:
        bars *= 2
    return bars, min(max(float(f"{60.0 * bars * beats_per_bar / seconds:.6g}"), 10.0), 999.0)
