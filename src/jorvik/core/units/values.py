"""Values as people type them: ``180ms``, ``1/8d``, ``7st``, ``-6 dB``, ``2.2kHz``, ``C3``, ``40%``, ``3V``."""

import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Final

from jorvik.core.problems import Problem, shown
from jorvik.core.units.pitch import key_hz
from jorvik.core.units.tempo import Tempo, is_note_value, quarters

VOLTS_PER_UNIT: Final = 5.0
"""A signal of 1.0 is so many volts."""

_NUMBER: Final = re.compile(r"^([+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?)\s*(.*)$", re.IGNORECASE)
PITCH: Final = re.compile(r"^([A-Ga-g])([#b♯♭]?)(-?\d{1,2})$")
_PITCH_CLASS: Final = {"c": 0, "d": 2, "e": 4, "f": 5, "g": 7, "a": 9, "b": 11}
_ACCIDENTAL: Final = {"": 0, "#": 1, "♯": 1, "b": -1, "♭": -1}
_MOST_TEXT: Final = 64
_MOST_INTERVAL_ST: Final = 240.0

Scale = Mapping[str, Callable[[float], float]]


def _times(factor: float) -> Callable[[float], float]:
    return lambda x: x * factor


_SECONDS: Final = {
    **dict.fromkeys(("s", "sec", "secs", "second", "seconds"), 1.0),
    **dict.fromkeys(("ms", "msec", "millisecond", "milliseconds"), 0.001),
    **dict.fromkeys(("min", "mins", "minute", "minutes"), 60.0),
    # The micro sign and the Greek letter are both typed.
    **dict.fromkeys(("us", "\u00b5s", "\u03bcs", "microsecond", "microseconds"), 1e-6),
}
"""Seconds in each unit of time, under all its spellings."""
_TIME: Final[Scale] = {unit: _times(seconds) for unit, seconds in _SECONDS.items()}
_PERIOD: Final[Scale] = {unit: lambda x, s=seconds: 1.0 / (s * x) for unit, seconds in _SECONDS.items()}  # type: ignore[misc]
_HERTZ: Final[Scale] = {"hz": _times(1.0), "khz": _times(1000.0), **_PERIOD}
_SHARE: Final[Scale] = {"": _times(1.0), "%": _times(0.01), "v": _times(1.0 / VOLTS_PER_UNIT), "x": _times(1.0)}
_INTERVAL: Final = {
    "st": 1.0,
    "semitone": 1.0,
    "semitones": 1.0,
    "cents": 0.01,
    "cent": 0.01,
    "ct": 0.01,
    "oct": 12.0,
    "octave": 12.0,
    "octaves": 12.0,
}

UNITS: Final[Mapping[str, Scale]] = {
    "s": _TIME,
    "ms": {unit: lambda x, f=f: f(x) * 1000.0 for unit, f in _TIME.items()},  # type: ignore[misc]
    "Hz": _HERTZ,
    "st": {unit: _times(size) for unit, size in _INTERVAL.items()},
    "oct": {unit: _times(size / 12.0) for unit, size in _INTERVAL.items()},
    "cents": {unit: _times(size * 100.0) for unit, size in _INTERVAL.items()},
    "ratio": {**_SHARE, "db": lambda x: 10.0 ** (x / 20.0)},
    "signal": _SHARE,
    "x": {**_SHARE, "db": lambda x: 10.0 ** (x / 20.0)},
    "dB": {"db": _times(1.0)},
    "key": {"": _times(1.0)},
    "velocity": {"": _times(1.0), "%": _times(1.27)},
    "rad": {"rad": _times(1.0)},
    "cycle": {"": _times(1.0), "%": _times(0.01), "°": _times(1.0 / 360.0), "deg": _times(1.0 / 360.0)},
    "bpm": {"bpm": _times(1.0)},
    "bend": {"": _times(1.0)},
    "Q": {"": _times(1.0), "q": _times(1.0)},
    "count": {"": _times(1.0)},
    "beats": {"": _times(1.0), "beat": _times(1.0), "beats": _times(1.0)},
}
"""For each unit of a field: what may be typed after a number, and what it makes of the number."""

_EXAMPLES: Final = {
    "s": "180ms, 1.5s or 1/8d",
    "ms": "80ms or 0.08s",
    "Hz": "5.1Hz, 2.2kHz, C3 or 1/8d",
    "st": "7st, 30cents or 1oct",
    "oct": "1oct, 7st or 30cents",
    "cents": "12cents",
    "ratio": "0.4, 40% or -6dB",
    "signal": "0.4, 40% or 2V",
    "x": "1.5, -1, 40% or -6dB",
    "dB": "-6dB",
    "key": "C3 or 48",
    "velocity": "96",
    "rad": "2.5",
    "cycle": "0.25 or 90°",
    "bpm": "96",
    "bend": "3, from -12 to 12",
    "Q": "7",
    "count": "4",
    "beats": "1.5, 1/8 or 120ms",
}


@dataclass(frozen=True)
class Value:
    """A value understood: a number in the field's unit, or a note value left as it was said."""

    value: float | str


def parse_value(
    text: str,
    unit: str,
    place: str = "the value",
    *,
    bare: str = "",
    low: float | None = None,
    high: float | None = None,
    note_values: bool = True,
    tempo: Tempo | None = None,
    present: float | str | None = None,
) -> Value:
    """Return what was typed, in ``unit``.

    A number without a unit is in ``bare``, or in ``unit`` itself. A note value stays as it was said where the field
    holds ``note_values``, and becomes seconds or hertz at the tempo where it does not. ``low`` and ``high`` bound it.

    Arithmetic is allowed: ``1/4 - 12ms``, ``180ms * 2``, and ``*2`` or ``/3`` of the ``present`` value. A frequency
    may be moved by an interval: ``C3 + 7st``.

    Raises Problem that says what was understood and what would do.

    >>> parse_value("180ms", "s").value
    0.18
    >>> parse_value("C4", "key").value
    60.0
    >>> round(parse_value("-6 dB", "ratio").value, 3)
    0.501
    """
    example = _EXAMPLES[unit]
    cleaned = text.strip().replace("−", "-")
    if unit in ("s", "Hz", "beats"):
        cleaned = _as_note_value(cleaned)
    if not cleaned or len(cleaned) > _MOST_TEXT:
        raise Problem(place, "nothing" if not cleaned else f"{len(cleaned)} characters", f"a value, such as {example}")
    if (terms := _terms(cleaned)) is not None:
        known = _present(present, unit, place, tempo or Tempo())
        total = _worked_out(terms, unit, place, bare, tempo, known)
        _check_bounds(place, cleaned, total, unit, low, high)
        return Value(total)
    if unit in ("s", "Hz") and is_note_value(cleaned):
        given = (tempo or Tempo()).seconds(cleaned) if unit == "s" else (tempo or Tempo()).hertz(cleaned)
        _check_bounds(place, cleaned, given, unit, low, high)
        return Value(cleaned if note_values else given)
    if unit == "beats" and (beats := _beats(cleaned, tempo or Tempo())) is not None:
        _check_bounds(place, cleaned, beats, unit, low, high)
        return Value(beats)
    if unit in ("key", "Hz") and (match := PITCH.match(cleaned)):
        value = key_of(match)
        value = value if unit == "key" else key_hz(value)
    else:
        value = _number(cleaned, unit, bare or unit, place, example)
    _check_bounds(place, cleaned, value, unit, low, high)
    return Value(value)


_WORDED: Final = (
    (re.compile(r"^(\d+/\d+)\s*(?:dotted|dot)$", re.IGNORECASE), r"\1d"),
    (re.compile(r"^(\d+/\d+)\s*(?:triplets?|trip)$", re.IGNORECASE), r"\1t"),
    (re.compile(r"^(\d+(?:\.\d+)?)\s*bars?$", re.IGNORECASE), r"\1bar"),
)
_BEATS: Final = re.compile(r"^(\d+(?:\.\d+)?)\s*beats?$", re.IGNORECASE)
_FINEST: Final = 96


def _as_note_value(text: str) -> str:
    """Return a note value in digits where it is written in words.

    Other texts are returned as they are.

    >>> [_as_note_value(text) for text in ("8 bars", "0.5 beats", "1/8 dotted", "180 ms")]
    ['8bar', '1/8', '1/8d', '180 ms']
    """
    if match := _BEATS.match(text):
        whole = Fraction(match[1]).limit_denominator(_FINEST) / 4
        return f"{whole.numerator}/{whole.denominator}" if whole.numerator else text
    for pattern, digits in _WORDED:
        text = pattern.sub(digits, text)
    return text


def _beats(text: str, tempo: Tempo) -> float | None:
    """Return a note value or a time in quarter notes, or None where a text is neither."""
    if is_note_value(text):
        return quarters(text, tempo.beats_per_bar)
    match = _NUMBER.match(text)
    scale = _TIME.get(match[2].lower()) if match else None
    return scale(float(match[1])) * tempo.bpm / 60.0 if match and scale else None


def _present(present: float | str | None, unit: str, place: str, tempo: Tempo) -> float | None:
    """Return the value that stands in a field, in its unit: a note value is a time, or the period of a rate."""
    if not isinstance(present, str):
        return present
    if not is_note_value(present):
        raise Problem(place, f"{shown(present)} as what stands there", "a number or a note value")
    return tempo.hertz(present) if unit == "Hz" else tempo.seconds(present)


_OPERATION: Final = re.compile(r"\s([+*/-])\s|^([*/])\s*")


def _terms(text: str) -> list[str] | None:
    """Return the terms and the operations between them, or None where there is nothing to be worked out.

    An operation stands between blanks, or in front: ``1/4`` is a note value, ``1 / 4`` is a division.
    """
    parts = [part for part in _OPERATION.split(text) if part is not None]
    return [part.strip() for part in parts] if len(parts) > 1 else None


def _worked_out(
    terms: list[str], unit: str, place: str, bare: str, tempo: Tempo | None, present: float | None
) -> float:
    """Return what terms come to, from left to right, times and divisions first."""

    def value(text: str) -> float:
        return float(parse_value(text, unit, place, bare=bare, note_values=False, tempo=tempo).value)

    def plain(text: str) -> float:
        match = _NUMBER.match(text)
        if match is None or match[2] or not math.isfinite(float(match[1])):
            raise Problem(place, shown(text), "a plain number after * or /")
        return float(match[1])

    if terms[0] == "":
        if present is None:
            raise Problem(place, f'"{" ".join(terms).strip()}"', "a value before * or /")
        total = present
    else:
        total = value(terms[0])
    products, signs = [total], [1.0]
    for operation, text in zip(terms[1::2], terms[2::2], strict=True):
        if operation == "*":
            products[-1] *= plain(text)
        elif operation == "/":
            if plain(text) == 0.0:
                raise Problem(place, f'"/ {text}"', "divided by something over 0")
            products[-1] /= plain(text)
        elif unit == "Hz" and (interval := _interval(text)) is not None:
            if abs(interval) > _MOST_INTERVAL_ST:
                raise Problem(place, shown(text), f"an interval of {_MOST_INTERVAL_ST / 12:g} octaves at most")
            products[-1] *= 2.0 ** ((interval if operation == "+" else -interval) / 12.0)
        else:
            products.append(value(text))
            signs.append(1.0 if operation == "+" else -1.0)
    total = sum(sign * product for sign, product in zip(signs, products, strict=True))
    if not math.isfinite(total):
        raise Problem(place, f"{shown(' '.join(terms).strip())}, which goes past every number", "a finite value")
    return total


def _interval(text: str) -> float | None:
    """Return an interval in semitones, or None where a text is none."""
    match = _NUMBER.match(text)
    size = _INTERVAL.get(match[2].lower()) if match else None
    return float(match[1]) * size if match and size is not None else None


def key_of(match: "re.Match[str]") -> float:
    """Return the MIDI key of a matched note name; C4 is 60."""
    return float(_PITCH_CLASS[match[1].lower()] + _ACCIDENTAL[match[2]] + 12 * (int(match[3]) + 1))


def _number(text: str, unit: str, bare: str, place: str, example: str) -> float:
    match = _NUMBER.match(text)
    if match is None:
        raise Problem(place, f'"{text}"', f"a number with its unit, such as {example}")
    number, said = float(match[1]), match[2].lower().removesuffix(".")
    scale = UNITS[unit]
    key = said or ("" if bare == unit and "" in scale else bare.lower())
    if key not in scale:
        raise Problem(
            place, f'"{text}", where {number:g} is clear but "{match[2]}" is no unit of this', f"said as {example}"
        )
    try:
        value = scale[key](number)
    except (ZeroDivisionError, OverflowError):
        value = math.inf
    if not math.isfinite(value):
        raise Problem(place, f'"{text}"', "a finite value")
    return value


def _check_bounds(place: str, text: str, value: float, unit: str, low: float | None, high: float | None) -> None:
    least, most = (-math.inf if low is None else low), (math.inf if high is None else high)
    # A value typed as it is shown may miss an end of the range by rounding.
    slack = 1e-9 * max(1.0, abs(value))
    if not least - slack <= value <= most + slack:
        shown = "" if unit in ("ratio", "signal", "x", "key", "velocity", "bend", "Q", "count", "cycle") else f" {unit}"
        if math.isinf(most) or math.isinf(least):
            wanted = f"at least {least:g}{shown}" if math.isinf(most) else f"at most {most:g}{shown}"
        else:
            wanted = f"{least:g} to {most:g}{shown}"
        raise Problem(place, f'"{text}", which is {value:.6g}{shown}', wanted)
