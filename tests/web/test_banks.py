"""Work over a bank as a job of the server: planned, done, gone on with after a restart, its files handed out."""

import io
import os
import unittest
import uuid
import zipfile
from pathlib import Path
from typing import Any

import psutil
from fastapi.testclient import TestClient

from jorvik.bank.journal import JOURNAL
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PATCHES
from jorvik.web.app import Settings, create_app
from tests.support import document, fresh_engine, note, wait_until

LOCAL = "http://127.0.0.1"
COUNT = 4


class BankJobs(unittest.TestCase):
    def setUp(self) -> None:
        self.engine = fresh_engine()
        self.addCleanup(self.engine.dispose)
        store = DocumentStore(self.engine, PATCHES)
        self.ids = [
            str(
                store.create(
                    document(name=f"P{n}", voice={"base": {"cutoff": 500.0 + n}}, performance=note(0.3, tail_s=0.1))
                ).id
            )
            for n in range(COUNT)
        ]

    def body(self, work: str = "measure", **more: Any) -> dict[str, Any]:
        return {"ids": self.ids, "name": "Quay", "settings": {"work": work}, **more}

    def out(self, run: str) -> Path:
        return Path(os.environ["JORVIK_BANKS"]) / uuid.UUID(run).hex / "out"

    def ended(self, client: TestClient, run: str) -> dict[str, Any]:
        def job() -> dict[str, Any]:
            found: dict[str, Any] = client.get(f"/api/jobs/{run}").json()
            return found

        wait_until(lambda: job()["state"] not in ("waiting", "running"), "it did not end")
        return job()

    def test_it_is_planned_done_and_its_files_are_handed_out(self) -> None:
        run = str(uuid.uuid4())
        with TestClient(create_app(Settings(self.engine)), base_url=LOCAL) as client:
            plan = client.post("/api/bank/plan", json=self.body(notes={"velocities": "40, 118"})).json()
            self.assertEqual((plan["patches"], plan["pieces"]), (COUNT, 2 * COUNT))
            self.assertAlmostEqual(plan["sound_s"], 2 * COUNT * 0.4)
            for _ in range(2):
                asked = client.put(f"/api/bank/runs/{run}", json=self.body("check"))
                self.assertEqual(asked.status_code, 201, asked.text)
            job = self.ended(client, run)
            self.assertEqual((job["state"], job["facts"]["pieces"]), ("done", COUNT), job)
            rows = client.get(f"/api/bank/runs/{run}/table").json()["rows"]
            self.assertEqual({row["file"].rpartition("-")[0] for row in rows}, set(self.ids))
            folder = self.out(run).parent
            open_to_others = [path for path in (folder, *folder.rglob("*")) if path.stat().st_mode & 0o077]
            self.assertEqual(open_to_others, [], "others on this machine may look into it")
            self.assertIn("summary", client.get(f"/api/bank/runs/{run}/files/summary.html").url.path)
            with zipfile.ZipFile(io.BytesIO(client.get(f"/api/bank/runs/{run}/all.zip").content)) as archive:
                self.assertIn("results.parquet", archive.namelist())
            # What a check found is known in the library.
            heads = client.get("/api/library", params={"kind": "patch", "least_lufs": -100}).json()["heads"]
            self.assertEqual(len(heads), COUNT)
            for path in ("files/..%2Fsettings.json", "files/nothing.csv", "files/.hidden"):
                self.assertEqual(client.get(f"/api/bank/runs/{run}/{path}").status_code, 404)

    def test_a_restart_goes_on_where_it_was(self) -> None:
        run = str(uuid.uuid4())
        with TestClient(create_app(Settings(self.engine)), base_url=LOCAL) as client:
            client.put(f"/api/bank/runs/{run}", json=self.body("render", notes={"keys": "C2, C3, C4, C5"}))
            journal = self.out(run) / JOURNAL
            wait_until(lambda: journal.exists() and len(journal.read_bytes().splitlines()) >= 3, "it did nothing")
        before = journal.read_bytes().splitlines()
        with TestClient(create_app(Settings(self.engine)), base_url=LOCAL) as client:
            job = self.ended(client, run)
            self.assertEqual(job["state"], "done", job)
        lines = journal.read_bytes().splitlines()
        self.assertEqual(lines[: len(before)], before)
        self.assertEqual(len(lines), 4 * COUNT)
        self.assertEqual(len(set(lines)), 4 * COUNT)
        self.assertEqual(len(list(self.out(run).glob("*.wav"))), 4 * COUNT)

    def test_a_command_that_is_killed_goes_on_where_it_was(self) -> None:
        run = str(uuid.uuid4())
        journal = self.out(run) / JOURNAL
        with TestClient(create_app(Settings(self.engine)), base_url=LOCAL) as client:
            client.put(f"/api/bank/runs/{run}", json=self.body("render", notes={"keys": "C2, C3, C4, C5"}))
            wait_until(lambda: journal.exists() and len(journal.read_bytes().splitlines()) >= 2, "it did nothing")
            killed = self.commands(run)
            for process in killed:
                process.kill()
            before = journal.read_bytes().splitlines()
            job = self.ended(client, run)
        self.assertEqual((job["state"], job["facts"]["failed"]), ("done", 0), job)
        lines = journal.read_bytes().splitlines()
        self.assertEqual(lines[: len(before)], before)
        self.assertEqual(len(set(lines)), 4 * COUNT)
        self.assertTrue(killed)
        self.assertFalse([one for one in killed if one.is_running()], "a process of the killed command goes on")

    def commands(self, run: str) -> list[psutil.Process]:
        """Return the commands that work at a run, without the processes that they began."""
        return [
            process
            for process in psutil.process_iter(["cmdline"])
            if {"bank", str(self.out(run))} <= set(process.info["cmdline"] or [])
        ]

    def test_a_sound_does_not_wait_for_a_bank(self) -> None:
        run, sound = str(uuid.uuid4()), str(uuid.uuid4())
        with TestClient(create_app(Settings(self.engine)), base_url=LOCAL) as client:
            client.put(f"/api/bank/runs/{run}", json=self.body("render", notes={"lengths": "5s, 6s", "seeds": "1,2,3"}))
            wait_until(lambda: client.get(f"/api/jobs/{run}").json()["state"] == "running", "it did not begin")
            asked = {"kind": "sound", "document": document(performance=note(0.2))}
            self.assertEqual(client.put(f"/api/jobs/{sound}", json=asked).status_code, 201)
            self.assertEqual(self.ended(client, sound)["state"], "done")
            self.assertEqual(client.get(f"/api/jobs/{run}").json()["state"], "running")
            client.post(f"/api/jobs/{run}/cancel")

    def test_what_is_wrong_is_said_before_anything_is_done(self) -> None:
        with TestClient(create_app(Settings(self.engine)), base_url=LOCAL) as client:
            for body, said in (
                (self.body(notes={"keys": "C2, H9"}), "keys"),
                (self.body(notes={"velocities": "300"}), "velocities"),
                (self.body("card"), "card"),
                ({**self.body(), "ids": []}, "ids"),
            ):
                answer = client.post("/api/bank/plan", json=body)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(said, answer.json()["sentence"])
            answer = client.put(f"/api/bank/runs/{uuid.uuid4()}", json={**self.body(), "ids": [str(uuid.uuid4())]})
            self.assertIn("one patch at least", answer.json()["sentence"])
            self.assertEqual(client.get(f"/api/bank/runs/{uuid.uuid4()}/table").status_code, 404)


if __name__ == "__main__":
    unittest.main()
