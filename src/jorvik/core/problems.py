"""What is wrong with a document, said in one sentence: where, what was found, and what would do."""

from collections.abc import Sequence
from typing import Any

from pydantic import ValidationError

_FOUND_LENGTH = 60


def _whole(text: str) -> str:
    """Return text that can be sent: half a letter in it is shown as its number, and so is NUL."""
    return text.encode("utf-8", "backslashreplace").decode().replace("\0", "\\0")


class Problem(ValueError):
    """A fault in something that was given to us."""

    def __init__(self, place: str, found: str, wanted: str) -> None:
        self.place, self.found, self.wanted = (_whole(text) for text in (place, found, wanted))
        super().__init__(f"{self.place}: found {self.found}; it must be {self.wanted}.")

    def __reduce__(self) -> tuple[type["Problem"], tuple[str, str, str]]:
        """Let it pass from one process to another."""
        return Problem, (self.place, self.found, self.wanted)


def shown(value: object) -> str:
    """Return a value as it is shown in a sentence: short, text in quotes, the size of what is large."""
    if isinstance(value, dict):
        return f"an object with {len(value)} keys"
    if isinstance(value, list | tuple) and len(repr(value)) > _FOUND_LENGTH:
        return f"a list of {len(value)}"
    if isinstance(value, bool):
        return "true" if value else "false"
    if value is None:
        return "nothing"
    if isinstance(value, int) and abs(value) > 10**_FOUND_LENGTH:
        return "a number of very many digits"
    text = f'"{value}"' if isinstance(value, str) else repr(value)
    return text if len(text) <= _FOUND_LENGTH else text[: _FOUND_LENGTH - 4] + '..."'


def path_text(parts: Sequence[str | int], kinds: Sequence[str] = ()) -> str:
    """Return a path as it is written: ``modules[2].attack_s``.

    A validator names the kind that it chose after a module's number; that is no key of the document and is left out.
    """
    text = ""
    for index, part in enumerate(parts):
        if isinstance(part, int):
            text += f"[{part}]"
        elif not (part in kinds and index > 0 and isinstance(parts[index - 1], int)) and "[" not in part:
            text += f".{part}" if text else part
    return text or "the document"


_WANTED = {
    "missing": "given",
    "float_type": "a number",
    "int_type": "a whole number",
    "int_from_float": "a whole number",
    "string_type": "text",
    "string_unicode": "text of whole letters; half of one is among them",
    "bool_type": "true or false",
    "list_type": "a list",
    "dict_type": "an object",
    "model_type": "an object",
    "model_attributes_type": "an object",
    "finite_number": "a finite number",
}


_TYPE_NAMES = ("float", "int", "str", "list", "function-after", "constrained-str")


def wanted_text(error: Any) -> str:
    """Return what would have done, for one error of the validator."""
    kind, context = error["type"], error.get("ctx") or {}
    if kind in _WANTED:
        return _WANTED[kind]
    if kind in ("literal_error", "union_tag_invalid"):
        return "one of " + str(context.get("expected") or context.get("expected_tags")).replace("'", "")
    if kind == "union_tag_not_found":
        return 'an object with a "kind"'
    if kind == "too_long":
        return f"{context['max_length']} at most"
    if kind == "too_short":
        return f"{context['min_length']} at least"
    if kind == "string_too_long":
        return f"{context['max_length']} characters at most"
    if kind == "string_too_short":
        return f"{context['min_length']} characters at least"
    bounds = {"greater_than": "over", "greater_than_equal": "at least", "less_than_equal": "at most"}
    if kind in bounds:
        return f"{bounds[kind]} {next(iter(context.values())):g}"
    return str(error["msg"])


def from_validation(error: ValidationError, kinds: Sequence[str]) -> Problem:
    """Return the first fault that the validator found, as a problem."""
    errors = error.errors(include_url=False)
    first = errors[0]
    loc = list(first["loc"])
    # A field of two types is refused once for each type, its name at the end of the path; the last says the most.
    rivals = [e for e in errors if e["loc"][:-1] == first["loc"][:-1] and e["input"] is first["input"]]
    if len(rivals) > 1 and str(loc[-1]).split("[")[0] in _TYPE_NAMES:
        loc.pop()
        first = rivals[-1] if isinstance(first["input"], str) else first
    place = path_text(loc, kinds)
    if first["type"] == "extra_forbidden":
        return Problem(place, f"the unknown key {shown(str(loc[-1]))}", "left out, or spelt as the schema has it")
    if first["type"] == "missing":
        return Problem(place, "nothing", "given")
    found = str(len(first["input"])) if first["type"] == "too_long" else shown(first["input"])
    return Problem(place, found, wanted_text(first))


def half_a_letter(place: str, error: UnicodeEncodeError) -> Problem:
    """Return the problem of a text with half of a surrogate pair."""
    return Problem(place, f"half a letter, \\u{ord(error.object[error.start]):04x}", "text of whole letters")
