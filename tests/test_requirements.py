"""What the product imports comes with what it says it needs: nothing of it stands among the tests' own packages."""

import re
import subprocess
import sys
import unittest
from importlib.metadata import PackageNotFoundError, packages_distributions, requires

from jorvik.place import ROOT

IMPORTS = """
import sys
import jorvik.cli, jorvik.serve, jorvik.commands, jorvik.analysis_commands, jorvik.web.preload
import jorvik.bank_commands, jorvik.bank.running, jorvik.practice_commands
import fsrs, librosa, pyarrow.parquet, pyloudnorm, rich, soundfile, mosqito.sq_metrics
print(*sorted({name.partition('.')[0] for name in sys.modules}))
"""
"""Everything that is imported at once, and the libraries that are imported where they are used."""


USED_WHERE_THERE: set[str] = {"coverage", "pygments"}
"""What a library imports where it happens to be installed, and does without."""


def named(line: str) -> str:
    """The name of a package in a line of requirements, as it is compared."""
    return re.split(r"[\s\[<>=!~;(]", line.strip(), maxsplit=1)[0].lower().replace("_", "-")


def with_all_they_require(names: set[str]) -> set[str]:
    found: set[str] = set()
    waiting = set(names)
    while waiting:
        name = waiting.pop()
        found.add(name)
        try:
            needed = {named(line) for line in requires(name) or [] if "extra ==" not in line}
        except PackageNotFoundError:
            continue
        waiting |= needed - found
    return found


class Requirements(unittest.TestCase):
    def test_all_that_is_imported_is_installed_by_the_start_command(self) -> None:
        lines = (ROOT / "requirements.txt").read_text().splitlines()
        asked = {named(line) for line in lines if line.strip() and not line.startswith("#")} | {"psycopg-binary"}
        known = with_all_they_require(asked) | {"jorvik", "setuptools"} | USED_WHERE_THERE
        command = [sys.executable, "-W", "ignore", "-c", IMPORTS]
        done = subprocess.run(command, capture_output=True, text=True, check=True)
        imported = set(done.stdout.splitlines()[-1].split())
        of = packages_distributions()
        for name in sorted(imported & set(of)):
            with self.subTest(name):
                self.assertTrue({one.lower().replace("_", "-") for one in of[name]} & known, f"{name}: {of[name]}")


if __name__ == "__main__":
    unittest.main()
