"""A work on a cluster: nothing lost, nothing twice, what fails fails alone; run again, only what is missing is done."""

import json
import os
import signal
import tempfile
import threading
import unittest
from collections.abc import Callable
from contextlib import ExitStack, suppress
from dataclasses import replace
from pathlib import Path
from typing import Any, ClassVar
from unittest import mock

from distributed import Client
from distributed.security import Security

from jorvik.bank import doing, journal
from jorvik.bank.doing import DONE, FAILED, Limits, Row
from jorvik.bank.journal import JOURNAL
from jorvik.bank.pieces import Piece, Plan, plan
from jorvik.bank.running import Told, cluster, run
from jorvik.bank.settings import BankSettings
from jorvik.core.cores import cores
from jorvik.core.problems import Problem
from jorvik.formats.archive import Entry
from tests.support import document, note, wait_until

LIMITS = Limits(seconds=60.0, memory_bytes=700_000_000)


def planned(count: int, work: str = "render", length_s: float = 0.05) -> Plan:
    """So many patches of one short note each, none like another."""
    patches = [
        document(name=f"P{n}", voice={"base": {"cutoff": 300.0 + n}}, performance=note(length_s, tail_s=0.01))
        for n in range(count)
    ]
    entries = [Entry(f"{n:03}.json", one) for n, one in enumerate(patches)]
    return plan(entries, BankSettings.model_validate({"work": work, "depth": "16"}))


def lines(folder: Path) -> list[Row]:
    return [Row(**json.loads(line)) for line in (folder / JOURNAL).read_text().splitlines()]


class Journal(unittest.TestCase):
    def setUp(self) -> None:
        stack = ExitStack()
        self.addCleanup(stack.close)
        self.folder = Path(stack.enter_context(tempfile.TemporaryDirectory()))

    def test_what_was_cut_off_is_written_anew(self) -> None:
        with journal.opened(self.folder) as rows:
            rows.add(Row("a", DONE))
            rows.add(Row("b", FAILED, "why"))
        path = self.folder / JOURNAL
        path.write_bytes(path.read_bytes()[:-9])
        with journal.opened(self.folder) as rows:
            self.assertEqual(list(rows.rows), ["a"])
            rows.add(Row("c", DONE))
        self.assertEqual(list(journal.read(self.folder)), ["a", "c"])

    def test_done_is_done_while_its_files_are_there(self) -> None:
        (self.folder / "a.wav").write_bytes(b"x")
        with journal.opened(self.folder) as rows:
            rows.add(Row("a", DONE, files=["a.wav"]))
            rows.add(Row("b", FAILED, "too long"))
            rows.add(Row("c", FAILED, "its worker died", again=True))
            self.assertEqual([rows.has(one) for one in "abcd"], [True, True, False, False])
            (self.folder / "a.wav").unlink()
            self.assertFalse(rows.has("a"))

    def test_a_file_belongs_to_the_piece_that_wrote_it_first(self) -> None:
        with journal.opened(self.folder) as rows:
            rows.add(Row("a", DONE, files=["twin.wav", "twin.txt"]))
        with journal.opened(self.folder) as rows:
            self.assertEqual(rows.file_of_another(Row("b", DONE, files=["other.wav", "twin.wav"])), "twin.wav")
            self.assertEqual(rows.file_of_another(Row("a", DONE, files=["twin.wav"])), "")
            rows.add(Row("b", DONE, files=["other.wav"]))
            self.assertEqual(rows.file_of_another(Row("c", DONE, files=["other.wav"])), "other.wav")

    def test_two_commands_do_not_work_in_one_folder(self) -> None:
        with (
            journal.opened(self.folder),
            self.assertRaisesRegex(Problem, "another command"),
            journal.opened(self.folder),
        ):
            self.fail("it let a second one in")

    def test_a_file_is_there_whole_or_not_at_all(self) -> None:
        with mock.patch.object(Path, "replace", side_effect=OSError("full")), self.assertRaises(OSError):
            doing.write_whole(self.folder / "a.wav", b"sound")
        self.assertEqual(list(self.folder.iterdir()), [])


class Running(unittest.TestCase):
    stack: ClassVar[ExitStack]
    client: ClassVar[Any]

    @classmethod
    def setUpClass(cls) -> None:
        cls.stack = ExitStack()
        cls.client = cls.stack.enter_context(cluster(2, None, LIMITS))

    @classmethod
    def tearDownClass(cls) -> None:
        cls.stack.close()

    def test_a_piece_does_not_overwrite_the_file_of_another(self) -> None:
        twins = [replace(piece, stem="twin") for piece in planned(2).pieces]
        self.work(twins, from_workers=False)
        done, refused = sorted(lines(self.folder), key=lambda row: row.state)
        self.assertEqual((done.state, done.files), (DONE, ["twin.wav"]))
        self.assertEqual((refused.state, refused.files), (FAILED, []))
        self.assertIn("twin.wav", refused.said)

    def test_nobody_without_its_certificates_hands_it_work(self) -> None:
        address = self.client.scheduler.address
        self.assertTrue(address.startswith("tls://"), address)
        workers = list(self.client.scheduler_info()["workers"])
        self.assertEqual({worker.split("://")[0] for worker in workers}, {"tls"})
        for other, security in (("tcp", None), ("tls", Security.temporary())):
            with self.subTest(other=other), self.assertRaises(OSError):
                Client(address.replace("tls", other), timeout=2, security=security).run_on_scheduler(os.getuid)

    def setUp(self) -> None:
        stack = ExitStack()
        self.addCleanup(stack.close)
        self.folder = Path(stack.enter_context(tempfile.TemporaryDirectory()))

    def work(
        self,
        made: list[Piece],
        cancelled: Callable[[], bool] = lambda: False,
        told: Callable[[Told], None] = lambda _: None,
        limits: Limits = LIMITS,
        from_workers: bool = True,
    ) -> bool:
        with journal.opened(self.folder) as rows:
            return run(
                self.client,
                made,
                rows,
                limits,
                self.folder,
                from_workers=from_workers,
                cancelled=cancelled,
                told=told,
            )

    def test_every_piece_is_done_once_and_its_file_is_there(self) -> None:
        made = planned(8).pieces
        seen: list[Told] = []
        for from_workers in (True, False):
            self.assertTrue(self.work(made[: 4 if from_workers else 8], told=seen.append, from_workers=from_workers))
        self.assertEqual(sorted(row.id for row in lines(self.folder)), sorted(piece.id for piece in made))
        self.assertEqual({path.name for path in self.folder.glob("*.wav")}, {f"{piece.stem}.wav" for piece in made})
        self.assertEqual((seen[-1].done, seen[-1].of, seen[-1].failed), (8, 8, 0))
        self.assertEqual([told.done for told in seen], [0, 1, 2, 3, 4, 4, 5, 6, 7, 8])

    def test_it_stops_when_it_is_told_and_goes_on_where_it_was(self) -> None:
        made = planned(40).pieces
        seen: list[Told] = []
        whole = self.work(made, cancelled=lambda: bool(seen) and seen[-1].done >= 5, told=seen.append)
        self.assertFalse(whole)
        done = {row.id for row in lines(self.folder)}
        self.assertGreaterEqual(len(done), 5)
        self.assertLess(len(done), 40)
        self.assertTrue(self.work(made))
        self.assertEqual(sorted(row.id for row in lines(self.folder)), sorted(piece.id for piece in made))

    def test_a_worker_that_is_killed_costs_nothing(self) -> None:
        made = planned(30, length_s=0.3).pieces
        seen: list[Told] = []

        def kill() -> None:
            wait_until(lambda: bool(seen) and seen[-1].done >= 3, "nothing was done")
            victim = next(iter(self.client.run(os.getpid).values()))
            os.kill(victim, signal.SIGKILL)

        killer = threading.Thread(target=kill)
        killer.start()
        self.assertTrue(self.work(made, told=seen.append))
        killer.join()
        rows = lines(self.folder)
        self.assertEqual(sorted(row.id for row in rows), sorted(piece.id for piece in made))
        self.assertEqual({row.state for row in rows}, {DONE})

    def test_what_a_worker_takes_with_it_that_was_done_is_done_again(self) -> None:
        made = planned(12, length_s=0.3).pieces
        killed: list[int] = []

        def told(so_far: Told) -> None:
            """Once: when all that was handed out is done, and not fetched, no worker is left that has it."""
            if so_far.done != 1 or killed:
                return
            wait_until(lambda: not any(self.client.processing().values()), "they are never done")
            killed.extend(self.client.run(os.getpid).values())
            for victim in killed:
                os.kill(victim, signal.SIGKILL)
            wait_until(lambda: not any(self.client.who_has().values()), "what they had is never missed")

        self.assertTrue(self.work(made, told=told))
        self.assertTrue(killed)
        rows = lines(self.folder)
        self.assertEqual(sorted(row.id for row in rows), sorted(piece.id for piece in made))
        self.assertEqual({row.state for row in rows}, {DONE})

    def test_what_needs_too_much_memory_fails_alone_and_is_named(self) -> None:
        made = planned(6).pieces
        # A minute at the highest rate does not fit; its neighbours do.
        large = document(name="Large", performance=note(55.0, tail_s=4.0))
        (heavy,) = plan([Entry("large.json", large)], BankSettings(work="render", rate=192_000)).pieces
        self.assertTrue(self.work([*made[:3], heavy, *made[3:]], limits=Limits(120.0, LIMITS.memory_bytes)))
        rows = {row.id: row for row in lines(self.folder)}
        self.assertEqual(rows.pop(heavy.id).state, FAILED)
        self.assertEqual({row.state for row in rows.values()}, {DONE})
        self.assertEqual(len(rows), 6)

    def test_a_sheet_is_printed_by_a_browser_that_needs_more_memory_than_a_worker_has(self) -> None:
        [piece] = planned(1, "sheet").pieces
        self.assertTrue(self.work([piece]))
        [row] = lines(self.folder)
        self.assertEqual((row.said, len(row.files)), ("", 1))
        self.assertEqual((self.folder / row.files[0]).read_bytes()[:5], b"%PDF-")

    def test_a_piece_leaves_the_other_cores_to_the_other_pieces(self) -> None:
        self.assertEqual(set(self.client.run(cores).values()), {1})

    def test_it_listens_on_loopback_alone(self) -> None:
        import psutil

        heard = []
        for process in (psutil.Process(), *psutil.Process().children(recursive=True)):
            # Some have ended since they were listed.
            with suppress(psutil.NoSuchProcess):
                heard += [one for one in process.net_connections("tcp") if one.status == "LISTEN"]
        self.assertGreater(len(heard), 4)
        self.assertEqual({one.laddr.ip for one in heard}, {"127.0.0.1"})

    def test_no_cluster_is_a_sentence(self) -> None:
        nowhere = "tcp://127.0.0.1:9"
        with self.assertRaisesRegex(Problem, f"--scheduler: found none at {nowhere}"), cluster(1, nowhere, LIMITS):
            self.fail("there is none")


if __name__ == "__main__":
    unittest.main()
