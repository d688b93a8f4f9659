"""Every package that is imported is declared, locked with its hashes, and installed by the command that needs it."""

import ast
import re
import subprocess
import sys
import tomllib
import unittest
from functools import cache
from importlib.metadata import packages_distributions
from typing import Any, Final

from jorvik.place import ROOT

IMPORTS: Final = """
import sys
import jorvik.cli.main, jorvik.serve, jorvik.web.preload, jorvik.bank.running
import fsrs, librosa, pyarrow.parquet, pyloudnorm, rich, soundfile, mosqito.sq_metrics
print(*sorted({name.partition('.')[0] for name in sys.modules}))
"""
"""Imports every module of the product, and the libraries that are imported inside functions."""

USED_WHERE_THERE: Final = {"coverage", "pygments", "vulture"}
"""Libraries import these where they happen to be installed, and do without."""

NOT_IMPORTED: Final = {
    "cryptography": "distributed makes certificates with it",
    "matplotlib": "mosqito imports it",
    "psycopg": "SQLAlchemy imports it by the address of the database",
    "wsproto": "uvicorn imports it for WebSockets",
    "import-linter": "a command",
    "mypy": "a command",
    "ruff": "a command",
    "httpx": "the test client of Starlette imports it",
    "scipy-stubs": "types",
    "types-cachetools": "types",
}


def name_of(requirement: str) -> str:
    """Return the name of a package in a requirement, as names are compared."""
    return re.split(r"[\s\[<>=!~;(]", requirement.strip(), maxsplit=1)[0].lower().replace("_", "-")


@cache
def project() -> dict[str, Any]:
    return tomllib.loads((ROOT / "pyproject.toml").read_text())


def declared(group: str = "") -> dict[str, str]:
    """Return the declared packages with their requirements: the product's, or those of a group."""
    lines = project()["dependency-groups"][group] if group else project()["project"]["dependencies"]
    return {name_of(line): line for line in lines}


def locked(file: str) -> dict[str, str]:
    """Return what a requirements file says of each package."""
    text = (ROOT / file).read_text().replace("\\\n", " ")
    return {name_of(line): line for line in text.splitlines() if line and not line.lstrip().startswith("#")}


def imported(*folders: str) -> set[str]:
    """Return the packages that the modules in some folders import by their own lines."""
    found: set[str] = set()
    for folder in folders:
        for path in (ROOT / folder).rglob("*.py"):
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.Import):
                    found |= {alias.name.partition(".")[0] for alias in node.names}
                elif isinstance(node, ast.ImportFrom) and node.module and node.level == 0:
                    found.add(node.module.partition(".")[0])
    by_module = packages_distributions()
    names = {name_of(by_module[module][0]) for module in found if module in by_module}
    return names - {"jorvik", "tests", "benchmarks", "scripts"}


class Requirements(unittest.TestCase):
    def test_the_product_declares_what_it_imports_and_nothing_else(self) -> None:
        self.assertEqual(imported("src") - set(declared()), set())
        self.assertEqual(set(declared()) - imported("src") - set(NOT_IMPORTED), set())

    def test_the_tests_declare_what_they_import_on_top_and_nothing_else(self) -> None:
        used = imported("tests", "benchmarks", "scripts")
        self.assertEqual(used - set(declared()) - set(declared("test")), set())
        self.assertEqual(set(declared("test")) - used - set(NOT_IMPORTED), set())

    def test_both_lists_have_the_declared_versions_with_hashes_and_name_no_index(self) -> None:
        for file, wanted in (
            ("requirements.txt", declared()),
            ("requirements-test.txt", {**declared(), **declared("test")}),
        ):
            lines = locked(file)
            with self.subTest(file):
                for name, requirement in wanted.items():
                    # An extra is written out as the packages that it brings.
                    self.assertIn(re.sub(r"\[.*\]", "", requirement), lines.get(name, ""))
                self.assertEqual([line for line in lines.values() if "--hash=sha256:" not in line], [])
                self.assertNotRegex((ROOT / file).read_text(), "https?://|index")

    def test_everything_that_is_imported_in_the_end_is_installed_by_the_start_command(self) -> None:
        known = set(locked("requirements.txt")) | {"jorvik", "setuptools"} | USED_WHERE_THERE
        command = [sys.executable, "-W", "ignore", "-c", IMPORTS]
        done = subprocess.run(command, capture_output=True, text=True, check=True)
        by_module = packages_distributions()
        for module in sorted(set(done.stdout.splitlines()[-1].split()) & set(by_module)):
            with self.subTest(module):
                self.assertTrue({name_of(name) for name in by_module[module]} & known, by_module[module])


if __name__ == "__main__":
    unittest.main()
