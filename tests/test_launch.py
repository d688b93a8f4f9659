"""Starting and stopping, as a person does: the real launcher in a process of its own."""

import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import unittest
import urllib.request
from pathlib import Path

from jorvik.place import ROOT
from jorvik.store.cluster import data_folder
from tests.support import PATIENCE_S, wait_until


class Starting(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(f"{data_folder()}-start-{os.getpid()}")
        self.addCleanup(shutil.rmtree, self.folder, True)
        self.running: list[subprocess.Popen[str]] = []
        self.addCleanup(self.end_all)

    def end_all(self) -> None:
        for process in self.running:
            process.kill()
            process.wait()
            if process.stdout:
                process.stdout.close()

    def start(self, *arguments: str) -> "subprocess.Popen[str]":
        environment = {**os.environ, "JORVIK_DATA": str(self.folder), "PYTHONUNBUFFERED": "1"}
        command = [sys.executable, "-m", "jorvik", *arguments]
        process = subprocess.Popen(
            command, cwd=ROOT, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
        )
        self.running.append(process)
        return process

    def address(self, process: "subprocess.Popen[str]") -> str:
        assert process.stdout is not None
        for line in process.stdout:
            if line.startswith("Jorvik is at "):
                return line.split()[3]
        raise AssertionError("the launcher ended without an address")

    def get(self, url: str) -> object:
        with urllib.request.urlopen(url, timeout=PATIENCE_S) as answer:
            return json.load(answer)

    def names(self, url: str) -> list[str]:
        heads = self.get(f"{url}/api/patches")
        assert isinstance(heads, list)
        return [head["name"] for head in heads]

    def ended(self, process: "subprocess.Popen[str]") -> tuple[int, str]:
        said = process.communicate(timeout=PATIENCE_S)[0]
        return process.returncode, said

    def database_up(self) -> bool:
        return (self.folder / "data" / "postmaster.pid").exists()

    def test_start_serve_start_again_and_stop(self) -> None:
        first = self.start("--port", "0")
        url = self.address(first)
        self.assertIn("Ferry Horn", self.names(url))
        code, said = self.ended(self.start())
        self.assertEqual((code, url in said), (0, True), said)
        code, said = self.ended(self.start("--port", "9"))
        self.assertEqual(code, 1)
        self.assertIn("running already", said)
        first.send_signal(signal.SIGINT)
        code, said = self.ended(first)
        self.assertEqual((code, "Traceback" in said), (0, False), said)
        self.assertFalse(self.database_up(), "Ctrl-C left the database running")

    def test_killed_and_started_again(self) -> None:
        first = self.start("--port", "0", "--no-demo")
        self.assertEqual(self.names(self.address(first)), [])
        first.kill()
        first.wait()
        self.assertTrue(self.database_up())
        again = self.start("--port", "0", "--reset-demo")
        self.assertIn("Barge Bell", self.names(self.address(again)))
        again.send_signal(signal.SIGTERM)
        self.assertEqual(self.ended(again)[0], 0)
        self.assertFalse(self.database_up())

    def serves(self, url: str) -> bool:
        """Tell whether the server and its store answer."""
        try:
            health = self.get(f"{url}/api/health")
        except OSError:
            return False
        return isinstance(health, dict) and bool(health["store"])

    def test_a_server_that_dies_is_started_again(self) -> None:
        url = self.address(self.start("--port", "0", "--no-demo"))
        about = json.loads((self.folder / "server.json").read_text())
        os.kill(about["server_pid"], signal.SIGSEGV)

        def known() -> bool:
            return bool(json.loads((self.folder / "server.json").read_text())["server_pid"] != about["server_pid"])

        wait_until(known, "no other server was started")
        wait_until(lambda: self.serves(url), "the new server does not answer")

    def test_a_database_that_dies_alone_is_started_again(self) -> None:
        url = self.address(self.start("--port", "0"))
        before = self.names(url)
        lock = self.folder / "data" / "postmaster.pid"
        pid = int(lock.read_text().splitlines()[0])
        os.kill(pid, signal.SIGKILL)
        code, said = self.ended(self.start())
        self.assertEqual((code, "running already" in said), (0, True), said)
        wait_until(lambda: self.serves(url), "the database was not started again")
        self.assertNotEqual(int(lock.read_text().splitlines()[0]), pid)
        self.assertEqual(self.names(url), before)

    def test_what_was_damaged_beside_the_data_is_fixed(self) -> None:
        first = self.start("--port", "0")
        before = self.names(self.address(first))
        first.send_signal(signal.SIGINT)
        self.ended(first)
        (self.folder / "port").write_text("no port")
        (self.folder / "password").write_text("")
        again = self.start("--port", "0", "--no-demo")
        self.assertEqual(self.names(self.address(again)), before)

    def test_data_of_a_version_that_is_not_here_are_said(self) -> None:
        first = self.start("--port", "0", "--no-demo")
        self.address(first)
        first.send_signal(signal.SIGINT)
        self.ended(first)
        (self.folder / "data" / "PG_VERSION").write_text("9")
        code, said = self.ended(self.start("--port", "0"))
        self.assertEqual(code, 1)
        self.assertIn("made by PostgreSQL 9", said)
        self.assertIn("postgresql-9", said)
        self.assertNotIn("Traceback", said)

    def test_a_place_that_cannot_be_written_is_said(self) -> None:
        self.folder.mkdir(parents=True)
        blocked = self.folder / "file"
        blocked.touch()
        self.folder = blocked / "data"
        code, said = self.ended(self.start("--port", "0"))
        self.assertEqual(code, 1)
        self.assertRegex(said, r"start: .*file.*: Not a directory")
        self.assertNotIn("Traceback", said)

    def test_a_port_in_use_is_said(self) -> None:
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = taken.getsockname()[1]
            code, said = self.ended(self.start("--port", str(port)))
        self.assertEqual(code, 1)
        self.assertIn(f"port {port} cannot be had", said)
        self.assertIn("--port", said)
        code, said = self.ended(self.start("--port", "99999"))
        self.assertEqual((code, "1 to 65535" in said), (1, True))


if __name__ == "__main__":
    unittest.main()
