"""Where this checkout lies, and how it is told from others."""

import hashlib
from pathlib import Path
from typing import Final

PACKAGE: Final = Path(__file__).parent
ROOT: Final = PACKAGE.parents[1]

CANNOT_BEGIN: Final = 3
"""The exit code of a server that it is no use to start again."""


def instance() -> str:
    """Return a name for this checkout, by which its server and its data are known."""
    return hashlib.sha256(str(ROOT).encode()).hexdigest()[:10]


def private_folder(folder: Path) -> Path:
    """Make a folder that its owner alone can open, and return it."""
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    folder.chmod(0o700)
    return folder
