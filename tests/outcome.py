"""What became of a check or of the tests of a class."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Outcome:
    """How many tests passed and failed, how long they took, and what they printed when they failed."""

    name: str
    passed: int
    failed: int
    seconds: float
    text: str = ""

    def line(self) -> str:
        """Return the line that is printed for it, with what it printed when it failed."""
        mark = "FAIL" if self.failed else "ok  "
        count = f"{self.passed + self.failed} tests, " if self.passed + self.failed != 1 else ""
        text = f"\n{self.text.rstrip()}" if self.failed and self.text else ""
        return f"{mark} {self.name} ({count}{self.seconds:.1f} s){text}"
