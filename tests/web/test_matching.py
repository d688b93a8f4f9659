"""Recordings over HTTP: packed, kept, matched, and what is heard of a patch."""

import base64
import io
import unittest
import uuid
from typing import Any, ClassVar

import numpy as np
import soundfile
from fastapi.testclient import TestClient

from jorvik.core.analysis.recording import recorded
from jorvik.core.document.patch import check_patch
from jorvik.core.document.recording import check_recording
from jorvik.formats.recordings import packed_recording
from jorvik.web.app import Settings, create_app
from tests.core.test_matching import RATE, note
from tests.support import Json, demos, fresh_engine, wait_until


def wav(samples: Any, rate: int = RATE) -> bytes:
    buffer = io.BytesIO()
    soundfile.write(buffer, samples, rate, format="WAV", subtype="PCM_16")
    return buffer.getvalue()


class Recordings(unittest.TestCase):
    client: ClassVar[TestClient]

    @classmethod
    def setUpClass(cls) -> None:
        engine = fresh_engine()
        cls.addClassCleanup(engine.dispose)
        cls.client = TestClient(create_app(Settings(engine)), base_url="http://127.0.0.1")
        cls.client.__enter__()
        cls.addClassCleanup(lambda: cls.client.__exit__(None, None, None))

    def packed(self, samples: Any, name: str = "Ferry Bell", status: int = 200) -> Json:
        body = {"data": base64.b64encode(wav(samples)).decode(), "name": name}
        answer = self.client.post("/api/match/recording", json=body)
        self.assertEqual(answer.status_code, status, answer.text)
        found: Json = answer.json()
        return found

    def test_a_recording_is_trimmed_kept_and_found_by_name(self) -> None:
        lone = np.concatenate([np.zeros(2 * RATE), note(), np.zeros(3 * RATE)])
        document = self.packed(lone)["document"]
        # A tenth of a second is left to either side of what is heard.
        samples, rate = soundfile.read(io.BytesIO(check_recording(document).data))
        self.assertEqual(rate, RATE)
        self.assertAlmostEqual(recorded(samples[:, None], rate).note_on_s, 0.1, delta=0.01)
        self.assertLess(document["seconds"], 2.5)
        kept = self.client.post("/api/recordings", json={"document": document, "write": str(uuid.uuid4())}).json()
        self.assertEqual(kept["name"], "Ferry Bell")
        named = [head["id"] for head in self.client.get("/api/recordings?search=ferry").json()]
        self.assertIn(kept["id"], named)

    def test_what_cannot_be_kept_is_said(self) -> None:
        self.assertIn("silence", self.packed(np.zeros(RATE), status=422)["sentence"])
        refused = self.client.post("/api/match/recording", json={"data": "%%%", "name": "x"})
        self.assertIn("base64", refused.json()["sentence"])
        sound = {"format": "jorvik-recording", "version": 1, "sound": "not base64!", "seconds": 1}
        answer = self.client.post("/api/recordings", json={"document": sound, "write": str(uuid.uuid4())})
        self.assertEqual((answer.status_code, answer.json()["place"]), (422, "sound"))

    def test_both_sides_become_one_where_they_are_too_large(self) -> None:
        rng = np.random.default_rng(4)
        document, remarks = packed_recording(wav(0.3 * rng.standard_normal((17 * 48_000, 2)), 48_000), "Weir")
        self.assertEqual(remarks, ["It is kept with one side: both are too large."])
        self.assertEqual(soundfile.info(io.BytesIO(check_recording(document).data)).channels, 1)

    def test_a_match_is_a_job_whose_patch_can_be_opened(self) -> None:
        document = self.packed(note())["document"]
        asked = {"kind": "match", "recording": document, "patch": "p1", "sequence": 3}
        job = self.client.put(f"/api/jobs/{uuid.uuid4()}", json=asked).json()
        self.assertEqual((job["title"], job["facts"]["patch"]), ("Match with Ferry Bell", "p1"))

        def state() -> str:
            return str(self.client.get(f"/api/jobs/{job['id']}").json()["state"])

        wait_until(lambda: state() not in ("waiting", "running"), "the match never ended")
        self.assertEqual(state(), "done")
        made = self.client.get(f"/api/jobs/{job['id']}/result").json()
        self.assertEqual(check_patch(made["document"]).name, "Ferry Bell")
        self.assertAlmostEqual(made["found"]["pitch_hz"], 220.0, delta=0.3)
        self.assertLess(made["fit"]["distance"]["level_db"], 1.0)
        heard, rate = soundfile.read(io.BytesIO(base64.b64decode(made["sound"])))
        self.assertEqual((rate, heard.shape[1]), (48_000, 2))

    def test_what_is_heard_of_a_patch(self) -> None:
        horn = demos()["ferry-horn"]
        found = self.client.post("/api/heard", json={"document": horn}).json()
        figures = {figure["name"]: figure["value"] for figure in found["figures"]}
        shake = next(module for module in horn["modules"] if module["id"] == "shake")
        self.assertAlmostEqual(figures["its rate"], shake["rate"], delta=0.05)
        self.assertEqual(found["key"], horn["performance"]["notes"][0]["key"])
        self.assertEqual(len(found["level"]), len(found["pitch"]))
        near = self.client.post("/api/heard", json={"document": horn, "threshold_db": -20}).json()
        self.assertLess(near["figures"][0]["value"], figures["inaudible after"] - 0.1)
        self.assertEqual(self.client.post("/api/heard", json={"document": horn, "threshold_db": 3}).status_code, 422)
