"""How heavy a request is, told from its document before anything is checked: what is heavy waits among its like."""

from typing import Any, Final

HEAVY_ROWS_S: Final = 700.0
"""Rows times seconds of a run from which a sheet takes longer than a second: 25 rows over half a minute."""

HEAVY_VOICES_S: Final = 30.0
"""Seconds of voices from which a sound takes longer than a second."""


def is_heavy_run(document: Any, times: int = 1, phrase: Any = None) -> bool:
    """Tell whether a run of a document, so many times over, is heavy. What is no patch is not; it is refused soon."""
    rows = 8 + _count(document, "modules") + 2 * _count(document, "routes")
    return rows * _seconds(document, phrase) * times > HEAVY_ROWS_S


def is_heavy_sound(document: Any, phrase: Any = None) -> bool:
    """Tell whether the sound of a document is heavy: of long notes, of many voices, or of a heavy run."""
    voice = document.get("voice", {}) if isinstance(document, dict) else {}
    poly = not isinstance(voice, dict) or voice.get("mode", "poly") == "poly"
    if poly and _count(phrase, "played"):
        # Each voice is run for its note and the tail alone.
        beat_s = 60.0 / max(_number(phrase, "tempo_bpm", 96.0), 1.0)
        performance = document.get("performance") if isinstance(document, dict) else None
        tail = _number(performance, "tail_s", 0.5)
        return sum(_number(note, "length", 1.0) * beat_s + tail for note in phrase["played"]) > HEAVY_VOICES_S
    voices = len(_notes(document)) if poly else 1
    return _seconds(document, phrase) * voices > HEAVY_VOICES_S or is_heavy_run(document, voices, phrase)


def _count(document: Any, name: str) -> int:
    found = document.get(name) if isinstance(document, dict) else None
    return len(found) if isinstance(found, list) else 0


def _notes(document: Any) -> list[Any]:
    performance = document.get("performance") if isinstance(document, dict) else None
    found = performance.get("notes") if isinstance(performance, dict) else None
    return found if isinstance(found, list) and found else [{}]


def _seconds(document: Any, phrase: Any = None) -> float:
    performance = document.get("performance") if isinstance(document, dict) else None
    tail = _number(performance, "tail_s", 0.5)
    if isinstance(phrase, dict):
        beats = _number(phrase, "bars", 2.0) * _number(phrase, "beats_per_bar", 4.0)
        return beats * 60.0 / max(_number(phrase, "tempo_bpm", 96.0), 1.0) + tail
    return max(_number(note, "start_s", 0.0) + _number(note, "length_s", 1.0) for note in _notes(document)) + tail


def _number(of: Any, name: str, usual: float) -> float:
    found = of.get(name, usual) if isinstance(of, dict) else usual
    return float(min(max(found, 0.0), 1e3)) if isinstance(found, int | float) else usual
