"""What a rule says."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from jorvik.core.document.patch import Patch
from jorvik.core.problems import Problem

Severity = Literal["fault", "caution", "note"]


@dataclass(frozen=True)
class Fix:
    """What would put it right: the change in words, and the patch with it."""

    label: str
    patch: Patch


def fix(label: str, make: Callable[[], Patch]) -> Fix | None:
    """Return what a fix makes of a patch, or None where the patch is as large as a patch may be."""
    try:
        return Fix(label, make())
    except Problem:
        return None


@dataclass(frozen=True)
class Finding:
    """Something worth knowing of a patch: what, where on the sheet, why it matters, and what would put it right."""

    rule: str
    severity: Severity
    sentence: str
    why: str
    about: str
    """A stave, ``signal.<id>`` or ``route.<id>``."""
    from_s: float
    to_s: float
    fix: Fix | None = None
    which: str = ""
    """Tells apart what a rule finds twice in one place."""

    @property
    def key(self) -> str:
        """What it is set aside by."""
        return f"{self.rule}: {self.about}{f' {self.which}' if self.which else ''}"
