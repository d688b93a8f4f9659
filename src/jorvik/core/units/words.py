"""Values as they are read: on the sheet, in sentences, in figures."""

from typing import Final

_MINUS: Final = "−"
_BARE: Final = ("bend", "count", "cycle", "Q", "signal", "velocity", "x")
"""Units that are not said."""
_NAMES: Final = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")


def time_text(value: float | str) -> str:
    """Return a time as it is read on the sheet: ``90 ms``, ``1.5 s`` or the note value.

    >>> time_text(0.09)
    '90 ms'
    """
    if isinstance(value, str):
        return value
    return f"{value * 1000:.4g} ms" if value < 1.0 else f"{value:.4g} s"


def rate_text(value: float | str) -> str:
    """Return a rate as it is read on the sheet: ``5.1 Hz``, ``2.2 kHz`` or ``every 1/8``."""
    if isinstance(value, str):
        return f"every {value}"
    return f"{value:.4g} Hz" if value < 1000.0 else f"{value / 1000:.4g} kHz"


def in_words(value: float, unit: str) -> str:
    """Return a value as it is read on the sheet.

    >>> in_words(0.09, "s"), in_words(-0.5, "ratio"), in_words(1234.5, "Hz"), in_words(-3.25, "dB")
    ('90 ms', '−50 %', '1.234 kHz', '−3.25 dB')
    """
    size = abs(value)
    if unit == "s":
        text = time_text(size)
    elif unit == "Hz":
        text = rate_text(size)
    elif unit == "ratio":
        text = f"{100.0 * size:.3g} %"
    else:
        text = f"{size:.4g} {'' if unit in _BARE else unit}".rstrip()
    return f"{_MINUS}{text}" if value < 0.0 and text.strip("0. %" + unit) else text


def share_text(share: float, digits: int = 0) -> str:
    """Return a share in whole per cent, or with so many digits after the point.

    >>> share_text(0.273), share_text(-0.001)
    ('27 %', '0 %')
    """
    text = f"{100.0 * share:.{digits}f} %"
    return text.lstrip("-") if not text.strip("-0. %") else text.replace("-", _MINUS)


def counted(number: int, noun: str) -> str:
    """Return a number with its noun, in the plural unless it is one.

    >>> counted(1, "note"), counted(12, "note"), counted(2, "patch")
    ('1 note', '12 notes', '2 patches')
    """
    plural = f"{noun}es" if noun.endswith(("ch", "s", "x")) else f"{noun}s"
    return f"{number} {noun if number == 1 else plural}"


def note_name(key: float) -> str:
    """Return a MIDI key as a note and the cents beside it.

    >>> note_name(60.0), note_name(69.5)
    ('C4', 'A4 +50 cents')
    """
    nearest = round(key)
    cents = round(100.0 * (key - nearest))
    name = f"{_NAMES[nearest % 12]}{nearest // 12 - 1}"
    return name if cents == 0 else f"{name} {'+' if cents > 0 else _MINUS}{abs(cents)} cents"


def rounded(value: float) -> float:
    """Return a worked-out setting with as many digits as a field shows without loss."""
    return float(f"{value:.6g}")
