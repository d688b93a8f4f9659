"""The database server of our own, after a crash and after half an installation."""

import os
import shutil
import signal
import subprocess
import unittest
from pathlib import Path

from sqlalchemy import text

from jorvik.store.cluster import Cluster, data_folder
from jorvik.store.database import connect, migrate
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PATCHES
from tests.support import document, remove_orphans, wait_until


def _has_ended(pid: int) -> bool:
    """Tell whether a process has gone, or is a zombie that nobody has asked after."""
    try:
        return ") Z " in Path(f"/proc/{pid}/stat").read_text()
    except FileNotFoundError:
        return True


class Crashed(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(f"{data_folder()}-crash-{os.getpid()}")
        self.cluster = Cluster(self.folder)
        self.addCleanup(shutil.rmtree, self.folder, True)
        self.addCleanup(self.cluster.stop)

    def test_a_server_killed_in_the_middle_starts_again_with_everything_kept(self) -> None:
        engine = connect(self.cluster.ensure_started())
        migrate(engine)
        kept = DocumentStore(engine, PATCHES).create(document(name="Before the crash"))
        self.assertEqual(self.folder.stat().st_mode & 0o077, 0, "other users can open the folder")
        lock = self.folder / "data" / "postmaster.pid"
        pid = int(lock.read_text().splitlines()[0])
        os.kill(pid, signal.SIGKILL)
        wait_until(lambda: _has_ended(pid), "the server was not killed")
        # The number in the lock file may by now belong to some other process, such as this one.
        lock.write_text(lock.read_text().replace(str(pid), str(os.getpid()), 1))
        # Its processes end one after the other; the one that listened is gone at once.
        url = engine.url.render_as_string(False)
        wait_until(lambda: not DocumentStore(connect(url), PATCHES).is_up(), "it still answers")
        again = connect(self.cluster.ensure_started())
        self.assertEqual(DocumentStore(again, PATCHES).get(kept.id).name, "Before the crash")
        engine.dispose()
        again.dispose()

    def test_half_an_installation_is_put_aside(self) -> None:
        (self.folder / "data").mkdir(parents=True)
        (self.folder / "data" / "PG_VERSION").write_text("15")
        engine = connect(self.cluster.ensure_started())
        with engine.connect() as connection:
            self.assertEqual(connection.execute(text("SELECT 1")).scalar(), 1)
        engine.dispose()
        self.assertEqual(len(list(self.folder.glob("unfinished-*"))), 1)


class Orphans(unittest.TestCase):
    def test_what_a_killed_run_left_is_stopped_and_removed_and_nothing_else(self) -> None:
        stem = Path(f"{data_folder()}-orphan-{os.getpid()}-")
        ended = subprocess.Popen(["true"])
        ended.wait()
        left, ours = stem.with_name(f"{stem.name}{ended.pid}"), stem.with_name(f"{stem.name}{os.getpid()}")
        orphan = Cluster(left)
        self.addCleanup(shutil.rmtree, ours, True)
        orphan.ensure_started()
        server = int((left / "data" / "postmaster.pid").read_text().splitlines()[0])
        ours.mkdir()
        remove_orphans(stem)
        wait_until(lambda: _has_ended(server), "the server of the killed run is still up")
        self.assertFalse(left.exists())
        self.assertTrue(ours.exists())


if __name__ == "__main__":
    unittest.main()
