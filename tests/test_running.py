"""The queue of the tests: what comes first, what is skipped, what counts."""

import io
import json
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from tests import checks, durations
from tests.checks import Check, run_check
from tests.finding import classes_of, modules_with
from tests.process import run_class
from tests.runner import Queue


class Examples(unittest.TestCase):
    """Run by the tests below only: discovery finds no test of it by its name."""

    def passes(self) -> None:
        pass

    def fails_twice(self) -> None:
        for number in range(2):
            with self.subTest(number):
                self.assertLess(number, 0)

    @unittest.skip("to be left out of the counts")
    def is_skipped(self) -> None:
        pass


class Order(unittest.TestCase):
    def test_the_longest_comes_first_and_what_was_never_timed_before_it(self) -> None:
        with mock.patch("tests.runner.durations", return_value={"short": 1.0, "long": 9.0}):
            queue = Queue(["short", "new", "long"])
        self.assertEqual([queue.next(), queue.next(), queue.next(), queue.next()], ["new", "long", "short", None])


class Durations(unittest.TestCase):
    def test_only_clear_changes_are_written_down(self) -> None:
        with tempfile.TemporaryDirectory() as folder, mock.patch.object(durations, "FILE", Path(folder) / "d.json"):
            durations.keep_durations({"steady": 10.0, "slower": 10.0, "gone": 3.0})
            durations.keep_durations({"steady": 12.0, "slower": 30.0, "new": 1.23})
            self.assertEqual(durations.durations(), {"steady": 10.0, "slower": 30.0, "new": 1.2})


class Checks(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.root = Path(folder.name)
        for name, value in {"ROOT": self.root, "PASSED": self.root / "passed"}.items():
            patched = mock.patch.object(checks, name, value)
            patched.start()
            self.addCleanup(patched.stop)
        (self.root / "read.txt").write_text("good")
        script = "import sys; open('ran', 'a').write('x'); sys.exit(open('read.txt').read() == 'bad')"
        self.check = Check("reads", (sys.executable, "-c", script), ("*.txt",))

    def runs(self) -> int:
        return len((self.root / "ran").read_text())

    def test_a_check_runs_again_only_when_a_file_that_it_reads_has_changed(self) -> None:
        self.assertEqual([run_check(self.check).passed for _ in range(2)], [1, 1])
        self.assertEqual(self.runs(), 1)
        (self.root / "other.md").write_text("not read")
        run_check(self.check)
        self.assertEqual(self.runs(), 1)
        (self.root / "more.txt").write_text("read too")
        run_check(self.check)
        self.assertEqual(self.runs(), 2)

    def test_a_check_that_failed_runs_again(self) -> None:
        (self.root / "read.txt").write_text("bad")
        self.assertEqual([run_check(self.check).failed for _ in range(2)], [1, 1])
        self.assertEqual(self.runs(), 2)


class Counting(unittest.TestCase):
    def outcome(self, *methods: str) -> tuple[int, int]:
        suite = unittest.TestSuite(Examples(method) for method in methods)
        with mock.patch.object(unittest.defaultTestLoader, "loadTestsFromName", return_value=suite):
            outcome = run_class("any")
        return outcome.passed, outcome.failed

    def test_a_test_that_fails_in_several_parts_fails_once_and_a_skipped_one_does_not_count(self) -> None:
        self.assertEqual(self.outcome("passes", "fails_twice", "is_skipped"), (1, 1))

    def test_a_class_that_cannot_be_loaded_fails(self) -> None:
        outcome = run_class("tests.no_such_module.NoSuchClass", stream=io.StringIO())
        self.assertEqual((outcome.passed, outcome.failed), (0, 1))


class Finding(unittest.TestCase):
    def test_a_word_chooses_modules_by_their_text_and_classes_by_their_tests(self) -> None:
        self.assertIn("tests.test_running", modules_with(["test_a_word_chooses_modules"]))
        self.assertNotIn("tests.core.test_lfo", modules_with(["test_a_word_chooses_modules"]))
        chosen = classes_of(["tests.test_running"], lambda test: "Durations" in test)
        self.assertEqual(chosen, ["tests.test_running.Durations"])

    def test_every_duration_belongs_to_something_that_is_run(self) -> None:
        known = set(json.loads(durations.FILE.read_text()))
        modules = {name.rpartition(".")[0] for name in known if name.startswith("tests.")}
        self.assertEqual(modules - set(modules_with([])), set())


if __name__ == "__main__":
    unittest.main()
