"""The rules as a page of documentation: ``python -m jorvik.core.findings_page > docs/findings.md``."""

import sys

from jorvik.core.findings import RULES

_HEAD = """# Findings

Written by `scripts/types` from the rules; a test keeps it current. Each is a fault, a caution or a note; each can be
set aside with a reason that stays with the patch.
"""


def page() -> str:
    """Return every rule as Markdown: what it looks for, and its threshold with the reason."""
    parts = [_HEAD]
    for name, rule in RULES.items():
        text = (sys.modules[rule.__module__].__doc__ or "").strip()
        parts.append(f"## {name.replace('_', ' ').capitalize()} (`{name}`)\n\n{text}\n")
    return "\n".join(parts)


if __name__ == "__main__":
    print(page(), end="")
