"""Rules and figures as pages of documentation: ``python -m scripts.pages findings > docs/findings.md``."""

import sys
from collections.abc import Callable, Mapping
from typing import Any, Final

from jorvik.core.figures import KINDS
from jorvik.core.findings import RULES

_FINDINGS: Final = """# Findings

Written by `scripts/types` from the rules; a test keeps it current. Each is a fault, a caution or a note; each can be
set aside with a reason that stays with the patch. For each there is a demo patch that is made to be wrong.
"""

_FIGURES: Final = """# Figures

Written by `scripts/types` from the figures; a test keeps it current. Each stands on the page of what it is about: a
source, a stave, a route or the patch. Those of every lane and signal (start, peak, settling, rise, fall and so on) have
their definition under the pointer.
"""

PAGES: Final[dict[str, tuple[str, Mapping[str, Callable[..., Any]]]]] = {
    "findings": (_FINDINGS, RULES),
    "figures": (_FIGURES, KINDS),
}
"""Head and entries of each page."""


def page(name: str) -> str:
    """Return a page as Markdown: what each of its files says of itself at its top."""
    head, entries = PAGES[name]
    parts = [head]
    for entry, function in entries.items():
        text = (sys.modules[function.__module__].__doc__ or "").strip()
        parts.append(f"## {entry.replace('_', ' ').capitalize()} (`{entry}`)\n\n{text}\n")
    return "\n".join(parts)


if __name__ == "__main__":
    print(page(sys.argv[1]), end="")
