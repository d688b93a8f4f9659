"""Which lines of each package the tests run, in the test processes and in those that they start."""

import io
from collections.abc import Iterator
from contextlib import contextmanager
from importlib import import_module
from pkgutil import walk_packages
from types import TracebackType
from typing import Final

from coverage import Coverage

import jorvik
from jorvik.place import ROOT
from tests.outcome import Outcome

LEAST_PERCENT: Final = 80
PACKAGES: Final = ("core", "formats", "store", "bank", "web")

FOLDER: Final = ROOT / ".run" / "coverage"


class Measured:
    """Notes the lines that are run while classes run that do not drive a browser."""

    def __init__(self, number: int) -> None:
        FOLDER.mkdir(parents=True, exist_ok=True)
        self._coverage = Coverage(data_file=str(FOLDER / f".coverage.lane-{number}"), data_suffix=True)

    def __enter__(self) -> "Measured":
        # Lines outside functions run once, at the first import, whichever class comes first.
        self._coverage.start()
        for module in walk_packages(jorvik.__path__, "jorvik."):
            if not module.name.endswith("__main__") and ".migrations." not in module.name:
                import_module(module.name)
        self._coverage.stop()
        return self

    def __exit__(self, *_: type[BaseException] | BaseException | TracebackType | None) -> None:
        self._coverage.save()

    @contextmanager
    def during(self, name: str) -> Iterator[None]:
        """Note lines while a class runs. What a browser shows is tested apart, so its classes are not slowed."""
        if name.startswith("tests.browser"):
            yield
            return
        self._coverage.start()
        try:
            yield
        finally:
            self._coverage.stop()


def report_coverage() -> Outcome:
    """Print the share of lines of each package that were run; fail where one is under the limit."""
    files = [str(path) for path in FOLDER.glob(".coverage.lane*")]
    coverage = Coverage(data_file=str(FOLDER / "all"))
    coverage.combine(files)
    shares = {
        name: coverage.report(include=[f"*/jorvik/{name}/*"], file=io.StringIO(), ignore_errors=True)
        for name in PACKAGES
    }
    text = ", ".join(f"{name} {share:.0f} %" for name, share in shares.items())
    print(f"lines that were run: {text}", flush=True)
    failed = min(shares.values()) < LEAST_PERCENT
    return Outcome("coverage", not failed, failed, 0.0, f"each package needs {LEAST_PERCENT} % of its lines run")


def forget_coverage() -> None:
    """Remove what an earlier run noted."""
    for path in FOLDER.glob("*"):
        path.unlink()
