"""Jobs over HTTP: made, told, cancelled, gone on with after a restart; the figures by other means."""

import base64
import io
import json
import unittest
import uuid
import zipfile
from dataclasses import replace
from typing import Any, ClassVar
from unittest import mock

import numpy as np
import soundfile
from fastapi.testclient import TestClient
from sqlalchemy import Engine
from sqlalchemy.exc import DataError

from jorvik.core.analysis.useful_range import useful_range
from jorvik.core.document.patch import check_patch
from jorvik.core.document.take import check_take
from jorvik.core.engine.trace import trace
from jorvik.core.measure.sound import loudness
from jorvik.core.phrases.takes import printed as printed_take
from jorvik.core.voice.render import render
from jorvik.store.jobs import JobStore, Made
from jorvik.web.app import Settings, create_app
from jorvik.web.services.job_kinds import JOB_KINDS
from jorvik.web.services.jobs import Jobs
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

    def test_text_that_cannot_be_kept_is_refused_and_no_job_is_made(self) -> None:
        halves: tuple[Json, ...] = ({"voice": {"base": {"\ud83d": 0}}}, {"\ud83d": {}})
        for broken in halves:
            asked = {"kind": "voltage", "name": "lane.cutoff", "document": {**SHORT, **broken}}
            address = f"/api/jobs/{uuid.uuid4()}"
            head = {"content-type": "application/json"}
            answer = self.client.put(address, content=json.dumps(asked).encode(), headers=head)
            self.assertEqual(answer.status_code, 422)
            self.assertIn("must be text of whole letters", answer.json()["sentence"])
            self.assertEqual(self.client.get(address).status_code, 404)

    def test_a_result_that_the_store_refuses_fails_alone_and_is_logged(self) -> None:
        def refused(*_: Any) -> None:
            raise DataError("UPDATE", {}, ValueError("NUL"))

        kind = replace(JOB_KINDS["sound"], after=refused)
        with mock.patch.dict(JOB_KINDS, {"sound": kind}), self.assertLogs("jorvik", "ERROR") as logged:
            job = self.ended(self.ask(kind="sound", document=SHORT)["id"])
        self.assertEqual(job["state"], "failed")
        self.assertIn("store refused", job["said"])
        self.assertIn("Traceback", "".join(logged.output))
        self.assertEqual(self.ended(self.ask(kind="sound", document=SHORT)["id"])["state"], "done")

    def test_what_was_done_is_entered_in_the_logbook_only_as_a_sound_document(self) -> None:
        entry: Json = {"act": "fix", "title": "fixed", "after": SHORT}
        self.assertEqual(self.client.post("/api/log", json=entry).status_code, 201)
        for wrong in (
            {**SHORT, "name": "\ud83d"},
            {**SHORT, "voice": {"base": {"cutoff": float("nan")}}},
            {"format": "jorvik-patch", "version": 1, "junk": "x" * 100},
            {"format": "jorvik-nothing"},
            {},
        ):
            for side in ("before", "after"):
                body = json.dumps({**entry, side: wrong})
                answer = self.client.post("/api/log", content=body, headers={"content-type": "application/json"})
                with self.subTest(side=side, wrong=str(wrong)[:60]):
                    self.assertEqual(answer.status_code, 422, answer.text)

    def test_a_sound_is_the_one_that_is_heard(self) -> None:
        job = self.ended(self.ask(kind="sound", document=SHORT, depth="32f")["id"])
        self.assertEqual((job["state"], job["progress"], job["file_name"]), ("done", 1.0, "quay-lamp.wav"))
        self.assertEqual(job["title"], "Sound of Quay Lamp")
        heard = render(patch([WAVE], [ROUTE], performance=note(0.5, 0.1))).samples
        np.testing.assert_allclose(self.samples(job["id"]), heard, atol=1e-6)
        self.assertIn(job["id"], [listed["id"] for listed in self.client.get("/api/jobs").json()])

    def test_a_sweep_tells_what_it_knows_and_whose_it_is(self) -> None:
        swept = document([WAVE], [ROUTE], performance=note(0.6, 0.1, key=48), name="Quay Lamp")
        asked: Json = {"kind": "sweep", "document": swept, "of": "cutoff", "steps": 12, "patch": "p1", "sequence": 7}
        notes = [{"key": 48, "velocity": 96}, {"key": 72, "velocity": 40}]
        known_at_end: list[bool] = []
        app: Any = self.client.app
        jobs: Jobs = app.state.jobs
        finish = jobs.store.finish

        def finished(job_id: uuid.UUID, made: Made) -> None:
            known_at_end.append(job_id in jobs.so_far)
            finish(job_id, made)

        self.enterContext(mock.patch.object(jobs.store, "finish", finished))
        job = self.ask(**asked, notes=notes)
        self.assertEqual(job["title"], "Range of cutoff in Quay Lamp")
        self.assertEqual((job["facts"]["patch"], job["facts"]["sequence"], job["facts"]["of"]), ("p1", 7, "cutoff"))
        so_far: list[Json] = []

        def looks() -> bool:
            answer = self.client.get(f"/api/jobs/{job['id']}/so-far")
            if answer.status_code == 200:
                so_far.append(answer.json())
            return self.job(job["id"])["state"] not in ("waiting", "running")

        wait_until(looks, "the sweep never ended")
        self.assertEqual(self.client.get(f"/api/jobs/{job['id']}/so-far").status_code, 204)
        self.assertEqual(known_at_end, [False])
        first = next(each for each in so_far if len(each["ranges"][0]["steps"]) >= 3)
        # What comes first lies over the whole range.
        values = [step["value"] for step in first["ranges"][0]["steps"]]
        self.assertEqual((values[0], values[-1]), (16.0, 20_000.0))
        made = self.client.get(f"/api/jobs/{job['id']}/result").json()
        self.assertEqual([(of["key"], of["velocity"]) for of in made["ranges"]], [(48, 96), (72, 40)])
        alone = useful_range(check_patch(swept), "cutoff", steps=12)
        self.assertEqual(made["ranges"][0]["useful"], list(alone.useful or ()))
        self.assertEqual(self.job(job["id"])["facts"]["useful"], list(alone.useful or ()))
        ends = [of["useful"] for of in made["ranges"]]
        self.assertEqual(made["holds_for_all"], [max(e[0] for e in ends), min(e[1] for e in ends)])
        loops = [np.frombuffer(base64.b64decode(loop), "<i2").reshape(-1, 2) for loop in made["sounds"]["loops"]]
        self.assertEqual(len(loops), 12)
        # Those that are heard at all are as loud as each other, and none is over the ceiling.
        heard = [
            loop / 32768 for loop, step in zip(loops, made["ranges"][0]["steps"], strict=True) if step["value"] > 99
        ]
        rms = [10 * np.log10(np.mean(loop**2)) for loop in heard]
        self.assertLess(max(rms) - min(rms), 3.0)
        self.assertLessEqual(max(np.abs(loop).max() for loop in loops), 32768 * 10 ** (-1 / 20))
        for loop in heard:
            # It goes on from its end to its beginning as it goes on anywhere.
            self.assertLess(np.abs(loop[0] - loop[-1]).max(), 1.5 * np.abs(np.diff(loop, axis=0)).max())

    def test_a_map_of_two_controls(self) -> None:
        swept = document(performance=note(0.3, 0.1, key=48), voice={"base": {"wavetable_position": 0.6}})
        asked: Json = {"kind": "map", "document": swept, "of": "cutoff", "low": 200, "high": 3200}
        job = self.ended(self.ask(**asked, up="osc1_level", up_low=0.1, up_high=0.9, steps=3)["id"])
        made = self.client.get(f"/api/jobs/{job['id']}/result").json()
        np.testing.assert_allclose(made["across"]["values"], [200, 800, 3200])
        np.testing.assert_allclose(made["up"]["values"], [0.1, 0.5, 0.9])
        levels = np.array(made["loudness_lufs"])
        # Up is louder by what the level says, at any cutoff.
        np.testing.assert_allclose(levels[1] - levels[0], 20 * np.log10(5), atol=0.05)
        alone = useful_range(check_patch(swept), "cutoff", 200, 3200, 3).steps
        np.testing.assert_allclose(np.array(made["centroid_hz"])[2], [step.centroid_hz for step in alone], rtol=0.01)
        failed = self.ended(self.ask(**asked, up="cutoff")["id"])
        self.assertIn("another one than the first", failed["said"])

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

    def test_takes_are_printed_with_their_parts_at_one_loudness(self) -> None:
        loud = document(voice={"base": {"amplitude": 0.8}}, performance=note(0.5, 0.1), name="Loud Quay")
        soft = document(voice={"base": {"amplitude": 0.2}}, performance=note(0.5, 0.1), name="Soft Quay")
        struck = [
            {"key": 48, "velocity": 90, "on": 0, "off": 20_000},
            {"key": 55, "velocity": 90, "on": 9000, "off": 24_000},
        ]
        head = {"format": "jorvik-take", "version": 1, "tempo_bpm": 120, "begins": 0, "ends": 24_000, "played": struck}
        printed = [{"name": "Same", "take": {**head, "patch": one}} for one in (loud, soft)]
        form: Json = {"kind": "print", "printed": printed, "depth": "32f"}
        job = self.ended(self.ask(**form, parts=["wet", "dry", "voices"], matched=True)["id"])
        self.assertEqual((job["state"], job["file_name"], job["facts"]["files"]), ("done", "same.zip", 8), job["said"])
        with zipfile.ZipFile(io.BytesIO(self.client.get(f"/api/jobs/{job['id']}/result").content)) as archive:
            files = {name: archive.read(name) for name in archive.namelist()}
        self.assertEqual(json.loads(files["same-2.take.json"])["patch"]["name"], "Soft Quay")
        sounds = {name: soundfile.read(io.BytesIO(data))[0] for name, data in files.items() if name.endswith(".wav")}
        self.assertEqual(len(sounds), 8)
        # The louder one is brought down to the other, its parts with it.
        levels = [loudness(sounds[name], 48_000) for name in ("same.wav", "same-2.wav")]
        self.assertAlmostEqual(levels[0], levels[1], delta=0.05)
        self.assertAlmostEqual(job["facts"]["printed"]["same"]["gain_db"], 20 * np.log10(0.25), delta=0.3)
        whole = printed_take(check_take({**head, "patch": soft})).samples
        np.testing.assert_allclose(sounds["same-2.wav"], whole, atol=1e-6)
        voices = [sounds[f"same-2-voice-0{n}.wav"] for n in (1, 2)]
        np.testing.assert_allclose(voices[0] + voices[1], sounds["same-2-dry.wav"], atol=1e-6)
        # A stretch of it, without a jump at either end.
        job = self.ended(self.ask(**form | {"printed": printed[1:]}, parts=["wet"], from_s=0.1, to_s=0.3)["id"])
        cut = self.samples(job["id"])
        self.assertEqual((len(cut), job["file_name"]), (9600, "same.wav"))
        np.testing.assert_allclose(cut[200:-200], whole[4800:14400][200:-200], atol=1e-6)
        self.assertEqual((float(np.abs(cut[0]).max()), float(np.abs(cut[-1]).max())), (0.0, 0.0))

    def test_what_cannot_be_printed_is_said(self) -> None:
        take = {"name": "x", "document": SHORT}
        wrong: list[tuple[Json, str]] = [
            ({"printed": [], "parts": ["wet"]}, "printed"),
            ({"printed": [{"name": "x"}], "parts": ["wet"]}, "a take or a patch"),
            ({"printed": [take], "parts": ["damp"]}, "parts"),
        ]
        for fields, said in wrong:
            self.assertIn(said, self.ask(422, kind="print", **fields)["sentence"])
        job = self.ended(self.ask(kind="print", printed=[take], parts=["wet"], from_s=100)["id"])
        self.assertEqual(job["state"], "failed")
        self.assertIn("the stretch", job["said"])

    def test_what_cannot_be_a_job_is_refused(self) -> None:
        for form, said in (
            ({"kind": "sound", "document": {"format": "jorvik-patch", "version": 1, "x": 1}}, "x"),
            ({"kind": "brew", "document": SHORT}, "one of sound, voltage, print"),
            ({"kind": "sound", "document": SHORT, "rate": 1}, "rate"),
            ({"kind": "voltage", "document": SHORT}, "name"),
        ):
            self.assertIn(said, self.ask(422, **form)["sentence"], form)
        self.assertEqual(self.client.put("/api/jobs/no-id", json={}).status_code, 422)
        self.assertEqual(self.client.post(f"/api/jobs/{uuid.uuid4()}/cancel").status_code, 404)


class Shutdown(unittest.TestCase):
    def test_every_service_ends_though_one_fails_to(self) -> None:
        engine = fresh_engine()
        self.addCleanup(engine.dispose)
        app = create_app(Settings(engine))

        stop = Jobs.stop

        async def fail(jobs: Jobs) -> None:
            await stop(jobs)
            raise OSError("the jobs cannot be stopped")

        self.enterContext(mock.patch.object(Jobs, "stop", fail))
        with self.assertRaisesRegex(OSError, "cannot be stopped"), TestClient(app, base_url="http://127.0.0.1"):
            scheduler = app.state.scheduler
            wait_until(lambda: bool(scheduler.pids("judgement")), "no process came up")
        self.assertEqual(scheduler.pids("judgement"), [])
        self.assertTrue(app.state.completer._task.done())
