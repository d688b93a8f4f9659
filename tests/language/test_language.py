"""Screen and docstrings keep to plain English. ``known.txt`` lists the breaches that are left; it may only shrink."""

import re
import unittest
from collections import Counter
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Final

from tests.language.reading import docstrings, screen_texts, server_texts

FOLDER: Final = Path(__file__).parent
KNOWN: Final = FOLDER / "known.txt"

FIRST_LINE: Final = 80
LEADING: Final = re.compile(r"^(What|Who|How|Whether|Of|By)\b")
"""Words that stand for a noun at the beginning of a riddle."""


@cache
def breaches() -> Counter[str]:
    """Return each breach, its kind and its file first, with how often it stands there."""
    return Counter(_breaches())


def _breaches() -> Iterator[str]:
    banned = {line.casefold() for line in (FOLDER / "not_on_screen.txt").read_text().splitlines()}
    for file, text in [*screen_texts(), *server_texts()]:
        if text.strip().rstrip(":").casefold() in banned:
            yield f"word | {file} | {text.strip()}"
    for file, line in docstrings():
        if LEADING.match(line):
            yield f"leading word | {file} | {line}"
        if len(line) >= FIRST_LINE:
            yield f"long first line | {file} | {line}"


class Language(unittest.TestCase):
    def setUp(self) -> None:
        self.found = breaches()
        self.known = Counter(KNOWN.read_text().splitlines())

    def test_no_breach_is_new(self) -> None:
        self.assertEqual(sorted((self.found - self.known).elements()), [])

    def test_what_is_mended_is_taken_off_the_list(self) -> None:
        self.assertEqual(sorted((self.known - self.found).elements()), [], f"remove these lines from {KNOWN.name}")


if __name__ == "__main__":
    unittest.main()
