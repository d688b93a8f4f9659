"""The static checks. One is skipped when nothing that it reads has changed since it passed."""

import hashlib
import json
import subprocess
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from jorvik.place import ROOT
from tests.outcome import Outcome

BIN: Final = ROOT / ".venv" / "bin"
PASSED: Final = ROOT / ".run" / "checks"
"""A file for each check that passed, which holds the digest of what it read."""

PYTHON: Final = (
    *("src/**/*.py", "tests/**/*.py", "benchmarks/*.py", "scripts/*.py"),
    *("pyproject.toml", "requirements-test.txt"),
)
SCREEN: Final = (
    *("ui/src/**/*", "ui/*.ts", "ui/*.js", "ui/*.json", "ui/.prettier*", "ui/.dependency-cruiser.cjs", "ui/index.html"),
)


@dataclass(frozen=True)
class Check:
    """A command that fails when something is wrong with the files that it reads."""

    name: str
    command: tuple[str | Path, ...]
    reads: tuple[str, ...]

    def __str__(self) -> str:
        return self.name


def _npm(script: str) -> tuple[str, ...]:
    return ("npm", "run", "-s", "--prefix", "ui", script)


CHECKS: Final = (
    Check("style", (BIN / "ruff", "check", "-q", "."), PYTHON),
    Check("format", (BIN / "ruff", "format", "-q", "--check", "."), PYTHON),
    Check("types", (BIN / "mypy",), PYTHON),
    Check("imports", (BIN / "lint-imports",), PYTHON),
    Check("screen types", _npm("check"), SCREEN),
    Check("screen units", _npm("test"), SCREEN),
    Check("screen lint", _npm("lint"), SCREEN),
    Check("screen layers", _npm("layers"), SCREEN),
    Check("screen unused", _npm("unused"), SCREEN),
    Check("screen format", _npm("format:check"), SCREEN),
)


def run_check(check: Check) -> Outcome:
    """Run a check, unless it passed over the same files."""
    begin = time.monotonic()
    mark, digest = PASSED / check.name.replace(" ", "-"), digest_of(check)
    if mark.exists() and mark.read_text() == digest:
        return Outcome(check.name, 1, 0, 0.0)
    command = [str(part) for part in check.command]
    done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False)
    failed = done.returncode != 0
    if not failed:
        PASSED.mkdir(parents=True, exist_ok=True)
        mark.write_text(digest)
    return Outcome(check.name, not failed, failed, time.monotonic() - begin, (done.stdout + done.stderr)[-6000:])


def digest_of(check: Check) -> str:
    """Return a digest of a check's command and of every file that it reads."""
    digest = hashlib.sha256(json.dumps([str(part) for part in check.command]).encode())
    for path in sorted({path for pattern in check.reads for path in ROOT.glob(pattern) if path.is_file()}):
        digest.update(f"{path.relative_to(ROOT)}\0".encode())
        digest.update(hashlib.sha256(path.read_bytes()).digest())
    return digest.hexdigest()
