"""The names of files that are handed over."""

import re


def file_stem(name: str) -> str:
    """Return the name of a patch as that of a file, without an ending."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:80] or "patch"
