"""Which test classes there are. Modules are chosen by their text, so that a few tests start without importing all."""

import unittest
from collections.abc import Callable, Iterator, Sequence
from importlib import import_module
from pathlib import Path

FOLDER = Path(__file__).parent


def modules_with(words: Sequence[str]) -> list[str]:
    """Return the test modules whose name or text contains one of the words; all of them where there are no words."""
    found = []
    for path in sorted(FOLDER.rglob("test_*.py")):
        module = ".".join(path.relative_to(FOLDER.parent).with_suffix("").parts)
        text = f"{module} {path.read_text()}"
        # A name such as test_engine.Loops.test_a_loop spans several places of the text.
        if not words or any(all(part in text for part in word.split(".")) for word in words):
            found.append(module)
    return found


def classes_of(modules: Sequence[str], is_chosen: Callable[[str], bool] = lambda _: True) -> list[str]:
    """Return the full names of the classes in some modules that have a test which is chosen."""
    found: dict[str, None] = {}
    for module in modules:
        for test in tests_in(unittest.defaultTestLoader.loadTestsFromModule(import_module(module))):
            if is_chosen(test.id()):
                found[f"{type(test).__module__}.{type(test).__qualname__}"] = None
    return list(found)


def tests_in(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    """Yield every test in a suite."""
    for item in suite:
        if isinstance(item, unittest.TestSuite):
            yield from tests_in(item)
        else:
            yield item
