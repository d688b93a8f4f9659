"""Jobs over HTTP: made, told, cancelled, gone on with after a restart; the figures by other means."""

import io
import unittest
import uuid
from typing import Any, ClassVar

import numpy as np
import soundfile
from fastapi.testclient import TestClient
from sqlalchemy import Engine

from jorvik.core.engine.trace import trace
from jorvik.core.voice.render import render
from jorvik.store.jobs import JobStore
from jorvik.web.app import Settings, create_app
from tests.support import Json, document, fresh_engine, note, patch, wait_until
from tests.web.test_api import ROUTE, WAVE

SHORT = document([WAVE], [ROUTE], performance=note(0.5, 0.1), name="Quay Lamp")
LONG = document(
    [WAVE],
    [ROUTE],
    performance={"notes": [{"key": 40 + n, "start_s": 0.0, "length_s": 50.0} for n in range(16)], "tail_s": 9.0},
    voice={"oscillators": {"unison": 7}},
)


class JobsOverHttp(unittest.TestCase):
    engine: ClassVar[Engine]
    client: ClassVar[TestClient]

    @classmethod
    def setUpClass(cls) -> None:
        cls.engine = fresh_engine()
        cls.addClassCleanup(cls.engine.dispose)
        cls.begin()
        cls.addClassCleanup(lambda: cls.end())

    @classmethod
    def begin(cls) -> None:
        cls.client = TestClient(create_app(Settings(cls.engine)), base_url="http://127.0.0.1")
        cls.client.__enter__()

    @classmethod
    def end(cls) -> None:
        cls.client.__exit__(None, None, None)

    def ask(self, status: int = 201, **form: Any) -> Json:
        answer = self.client.put(f"/api/jobs/{uuid.uuid4()}", json=form)
        self.assertEqual(answer.status_code, status, answer.text)
        found: Json = answer.json()
        return found

    def job(self, job_id: str) -> Json:
        found: Json = self.client.get(f"/api/jobs/{job_id}").json()
        return found

    def ended(self, job_id: str) -> Json:
        wait_until(lambda: self.job(job_id)["state"] not in ("waiting", "running"), "the job never ended")
        return self.job(job_id)

    def samples(self, job_id: str) -> Any:
        answer = self.client.get(f"/api/jobs/{job_id}/result")
        self.assertEqual(answer.headers["content-type"], "audio/wav")
        return soundfile.read(io.BytesIO(answer.content))[0]

    def test_a_sound_is_the_one_that_is_heard(self) -> None:
        job = self.ended(self.ask(kind="sound", document=SHORT, depth="32f")["id"])
        self.assertEqual((job["state"], job["progress"], job["file_name"]), ("done", 1.0, "quay-lamp.wav"))
        self.assertEqual(job["title"], "Sound of Quay Lamp")
        heard = render(patch([WAVE], [ROUTE], performance=note(0.5, 0.1))).samples
        np.testing.assert_allclose(self.samples(job["id"]), heard, atol=1e-6)
        self.assertIn(job["id"], [listed["id"] for listed in self.client.get("/api/jobs").json()])

    def test_voltages(self) -> None:
        whole = trace(patch([WAVE], [ROUTE], performance=note(0.5, 0.1)))
        for name, volts in (("signal.w", whole.signals["w"] * 5), ("lane.pitch", whole.lanes["pitch"].value / 12)):
            job = self.ended(self.ask(kind="voltage", document=SHORT, name=name)["id"])
            np.testing.assert_allclose(self.samples(job["id"]) * 10, volts, atol=1e-5)
            self.assertAlmostEqual(job["facts"]["greatest_v"], float(volts.max()), places=3)
        failed = self.ended(self.ask(kind="voltage", document=SHORT, name="signal.none")["id"])
        self.assertEqual(failed["state"], "failed")
        self.assertIn("signal.w", failed["said"])

    def test_a_cancelled_job_lets_the_next_one_begin(self) -> None:
        long = self.ask(kind="sound", document=LONG)["id"]
        wait_until(lambda: 0.0 < self.job(long)["progress"] < 1.0, "no progress was told")
        after = self.ask(kind="sound", document=SHORT)["id"]
        self.assertEqual(self.client.post(f"/api/jobs/{long}/cancel").json()["state"], "cancelled")
        self.assertEqual(self.ended(after)["state"], "done")
        self.assertEqual(self.job(long)["state"], "cancelled")
        self.assertEqual(self.client.get(f"/api/jobs/{long}/result").status_code, 404)
        self.assertEqual(self.client.delete(f"/api/jobs/{long}").status_code, 204)
        self.assertEqual(self.client.get(f"/api/jobs/{long}").status_code, 404)

    def test_a_restart_loses_neither_what_runs_nor_what_waits_nor_what_was_made(self) -> None:
        made = self.ended(self.ask(kind="sound", document=SHORT)["id"])["id"]
        before = self.client.get(f"/api/jobs/{made}/result").content
        runs = self.ask(kind="sound", document=LONG)["id"]
        wait_until(lambda: self.job(runs)["state"] == "running", "it did not begin")
        waits = self.ask(kind="sound", document=SHORT)["id"]
        self.end()
        self.assertEqual(JobStore(self.engine).get(uuid.UUID(runs)).state, "waiting")
        self.begin()
        self.assertEqual(self.client.get(f"/api/jobs/{made}/result").content, before)
        wait_until(lambda: self.job(runs)["state"] == "running", "it was not gone on with")
        self.client.post(f"/api/jobs/{runs}/cancel")
        self.assertEqual(self.ended(waits)["state"], "done")

    def test_what_cannot_be_a_job_is_refused(self) -> None:
        for form, said in (
            ({"kind": "sound", "document": {"format": "jorvik-patch", "version": 1, "x": 1}}, "x"),
            ({"kind": "brew", "document": SHORT}, "one of sound, voltage"),
            ({"kind": "sound", "document": SHORT, "rate": 1}, "rate"),
            ({"kind": "voltage", "document": SHORT}, "name"),
        ):
            self.assertIn(said, self.ask(422, **form)["sentence"], form)
        self.assertEqual(self.client.put("/api/jobs/no-id", json={}).status_code, 422)
        self.assertEqual(self.client.post(f"/api/jobs/{uuid.uuid4()}/cancel").status_code, 404)
