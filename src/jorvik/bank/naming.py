"""Names of sample files, made by a pattern and unique in one work."""

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

from jorvik.core.problems import Problem
from jorvik.core.units.words import note_name


def distinct(names: Sequence[str], stems: Sequence[str]) -> list[str]:
    """Return file names of which no two are the same, whatever their capitals.

    Parameters
    ----------
    names
        The names that a pattern gave, each with its ending.
    stems
        For each name a text that no other piece has. It is added to each name that was given twice.

    Examples
    --------
    >>> distinct(["a.wav", "A.wav", "b.wav"], ["twin-C2", "twin-2-C2", "other-C2"])
    ['a-twin-C2.wav', 'A-twin-2-C2.wav', 'b.wav']
    """
    given = Counter(name.casefold() for name in names)
    found = []
    for name, stem in zip(names, stems, strict=True):
        base, dot, ending = name.rpartition(".")
        found.append(f"{base}-{stem}{dot}{ending}" if given[name.casefold()] > 1 else name)
    twice = [name for name, count in Counter(name.casefold() for name in found).items() if count > 1]
    if twice:
        raise Problem("the names", f'"{twice[0]}" for two samples', "a pattern with {patch}, {key} and {velocity}")
    return found


def sample_name(pattern: str, patch: str, key: float, velocity: float, at: Mapping[str, Any]) -> str:
    """Return the file name of a sample by the user's pattern.

    Raises Problem for a pattern with an unknown name, and for what cannot be a file name.

    >>> sample_name("{patch}_{key}_{velocity}{round}", "Barge Bell", 61.0, 80.0, {})
    'Barge Bell_Cs4_80.wav'
    """
    named = "".join(letter if letter.isalnum() or letter in " -_" else "-" for letter in patch)
    said = {
        "patch": named,
        "key": note_name(key).replace("#", "s").replace(" cents", "c").replace(" ", ""),
        "number": f"{key:g}",
        "velocity": f"{velocity:g}",
        "round": f"-r{at['seed']}" if "seed" in at else "",
    }
    try:
        name = pattern.format(**said)
    except (KeyError, IndexError, ValueError, AttributeError):
        raise Problem(
            "the names", f'"{pattern}"', f"a pattern of {', '.join('{' + one + '}' for one in said)}"
        ) from None
    if (
        not name
        or name.startswith(".")
        or any(letter in name for letter in "/\\")
        or not name.isprintable()
        or len(name) > 180
    ):
        raise Problem("the names", f'"{name}"', "the name of a file in the folder, of 180 letters at most")
    return f"{name}.wav"
