"""No function, class, method or import of the product is unused."""

import unittest
from functools import cache
from typing import Final

from vulture import Vulture
from vulture.core import Item

from jorvik.place import ROOT

KINDS: Final = {"function", "class", "method", "property", "import", "unreachable_code"}
"""Fields of models and data classes are left out: JSON and the screen read them by name."""

DECORATED: Final = ["@router.*", "@*_validator", "@*_serializer", "@event.*", "@health.*"]
"""Functions that a library calls."""

REASONS: Final = {
    "the command line names the function that it runs": (
        *("take_render", "phrase_make", "phrase_from_midi", "phrase_from_beat", "phrase_to_midi"),
        *("print_sheet", "practice_make", "practice_mark", "write_out"),
    ),
    "the dispatch module is written as text and compiled": ("write_events", "write_performance", "groups_runner"),
    "Dask calls it": ("setup",),
    "a type that is named in quotes": ("Shared",),
    "tests copy databases and prove tolerances": ("fresh_database", "off_by"),
}


@cache
def unused() -> list[Item]:
    """Everything in the product that nothing names."""
    finder = Vulture(ignore_decorators=DECORATED)
    finder.scavenge([str(ROOT / name) for name in ("src", "benchmarks", "scripts")])
    return [item for item in finder.get_unused_code(min_confidence=60) if item.typ in KINDS]


class Unused(unittest.TestCase):
    known: Final = {name for names in REASONS.values() for name in names}

    def test_every_function_class_and_import_is_used(self) -> None:
        found = {
            f"{item.filename}:{item.first_lineno} {item.typ} {item.name}"
            for item in unused()
            if item.name not in self.known
        }
        self.assertEqual(found, set())

    def test_every_exception_is_still_needed(self) -> None:
        self.assertEqual(self.known - {item.name for item in unused()}, set())


if __name__ == "__main__":
    unittest.main()
