"""The API: what is let in, what is refused and how, and figures that agree with the core."""

import base64
import io
import json
import subprocess
import tempfile
import unittest
import uuid
from pathlib import Path
from typing import ClassVar

import numpy as np
import psycopg
import soundfile
from fastapi.testclient import TestClient
from sqlalchemy import create_engine
from sqlalchemy.exc import DataError, DBAPIError, OperationalError

from jorvik.core.document.destinations import VOICE
from jorvik.core.engine.trace import trace
from jorvik.core.voice.render import render
from jorvik.place import ROOT
from jorvik.store.documents import DocumentStore, Head
from jorvik.store.kinds import PATCHES
from jorvik.web.app import Settings, create_app
from jorvik.web.guard import MAX_BODY_BYTES
from jorvik.web.openapi import schema as described
from scripts.facts import facts
from tests.support import Json, document, fresh_engine, note, patch

WAVE: Json = {"id": "w", "kind": "lfo", "rate": 3.0}
ROUTE: Json = {"id": "vib", "source": "w", "destination": "pitch", "amount": 0.5}


def floats(text: str, kind: str = "<f4") -> np.ndarray:
    return np.frombuffer(base64.b64decode(text), dtype=kind)


class Api(unittest.TestCase):
    client: ClassVar[TestClient]

    @classmethod
    def setUpClass(cls) -> None:
        engine = fresh_engine()
        cls.addClassCleanup(engine.dispose)
        cls.client = TestClient(create_app(Settings(engine)), base_url="http://127.0.0.1:8420")
        cls.enterClassContext(cls.client)

    def post(self, path: str, status: int = 200, **body: object) -> Json:
        answer = self.client.post(f"/api/{path}", json=body)
        self.assertEqual(answer.status_code, status, answer.text[:400])
        return answer.json()


class Computing(Api):
    def test_the_sheet_shows_the_trace(self) -> None:
        doc = document([WAVE], [ROUTE], performance=note(0.5, 0.1))
        sheet = self.post("sheet", document=doc, columns=100, velocities=[40, 118])
        whole = trace(patch([WAVE], [ROUTE], performance=note(0.5, 0.1)))
        starts = np.round(floats(sheet["starts_s"], "<f8") * 48_000).astype(int)
        lane = sheet["lanes"]["pitch"]
        np.testing.assert_allclose(floats(lane["value"]["first"]), whole.lanes["pitch"].value[starts], atol=1e-6)
        self.assertAlmostEqual(lane["greatest"], whole.lanes["pitch"].value.max(), places=9)
        self.assertEqual(list(lane["contributions"]), ["vib"])
        self.assertEqual(list(sheet["lanes"]), ["pitch", "cutoff", "wavetable_position", "amplitude"])
        self.assertEqual([overlay["velocity"] for overlay in sheet["overlays"]], [40, 118])
        self.assertEqual(sheet["signals"]["w"]["summary"], "sine, 3 Hz, note")

    def test_marks_stand_where_stages_end(self) -> None:
        envelope = {"id": "e", "kind": "envelope", "attack_s": 0.1, "decay_s": "1/8", "sustain": 0.25, "release_s": 0.2}
        doc = document([envelope], performance={**note(0.9, 0.5), "tempo_bpm": 60})
        handles = {m["name"]: m for m in self.post("sheet", document=doc)["signals"]["e"]["handles"]}
        self.assertAlmostEqual(handles["attack ends"]["time_s"], 0.1)
        self.assertAlmostEqual(handles["decay ends"]["time_s"], 0.6)
        self.assertEqual(handles["decay ends"]["value"], 0.25)
        self.assertAlmostEqual(handles["release ends"]["time_s"], 1.1)

    def test_a_refused_patch_says_where(self) -> None:
        refusal = self.post("sheet", 422, document=document([{**WAVE, "rate": -1}]))
        self.assertEqual(refusal["place"], "modules[0].rate")
        self.assertIn("-1", refusal["sentence"])

    def test_a_form_with_a_wrong_field_says_which(self) -> None:
        self.assertEqual(self.post("sheet", 422, document=document(), columns=0)["place"], "columns")
        self.assertEqual(self.post("sheet", 422, document=document(), colour=1)["place"], "colour")
        self.assertEqual(self.post("value", 422, text="1", unit="furlong")["place"], "unit")

    def test_sound_is_a_wav(self) -> None:
        answer = self.client.post("/api/sound", json={"document": document(performance=note(0.1, 0))})
        samples, rate = soundfile.read(io.BytesIO(answer.content))
        self.assertEqual((samples.shape, rate), ((4800, 2), 48_000))
        self.assertEqual(float(answer.headers["x-limited-db"]), 0.0)
        loud = document(performance=note(0.5, 0), voice={"base": {"drive": 36, "resonance": 1.0, "cutoff": 300}})
        driven = self.client.post("/api/sound", json={"document": loud})
        samples, _ = soundfile.read(io.BytesIO(driven.content))
        took = float(driven.headers["x-limited-db"])
        whole = render(patch(performance=loud["performance"], voice=loud["voice"]))
        self.assertAlmostEqual(took, whole.limited_db, places=2)
        self.assertEqual(took > 0.0, float(np.abs(samples).max()) > 0.88)

    def test_trace_is_csv(self) -> None:
        answer = self.client.post(
            "/api/trace.csv", json={"document": document([WAVE], [ROUTE], performance=note(0.1, 0))}
        )
        self.assertTrue(answer.text.startswith("time_s,signal.w,lane.pitch,lane.pitch.vib\n"))
        self.assertEqual(answer.text.count("\n"), 4801)

    def test_values(self) -> None:
        self.assertEqual(self.post("value", text="1/8d", unit="s", note_values=True)["value"], "1/8d")
        refusal = self.post("value", 422, text="12 bananas", unit="s", place="attack")
        self.assertTrue(refusal["sentence"].startswith("attack: "))

    def test_a_file_is_read_or_refused(self) -> None:
        self.assertEqual(self.post("read", text=json.dumps(document([WAVE])))["modules"], [WAVE])
        self.assertIn("line 1", self.post("read", 422, text="{")["sentence"])
        self.assertIn("NaN", self.post("read", 422, text='{"x": NaN}')["sentence"])
        self.assertIn("-1e400", self.post("read", 422, text='{"x": [-1e400]}')["sentence"])

    def test_the_catalogue_is_complete(self) -> None:
        catalogue = self.client.get("/api/catalogue").json()
        self.assertEqual(len(catalogue["kinds"]), 18)
        self.assertEqual([at["name"] for at in catalogue["destinations"]], list(VOICE))
        self.assertEqual(len(catalogue["signals"]), 8)


class Keeping(Api):
    def test_a_patch_through_its_life(self) -> None:
        kept = self.post("patches", 201, document=document(name="Life"))
        path = f"/api/patches/{kept['id']}"
        draft = {"document": document(name="Later"), "sequence": kept["sequence"]}
        later = self.client.put(f"{path}/draft", json=draft).json()
        self.assertTrue(later["unsaved"])
        stale = self.client.put(f"{path}/draft", json=draft)
        self.assertEqual(stale.status_code, 409)
        self.assertIn("another window", stale.json()["sentence"])
        self.post(f"patches/{kept['id']}/revisions", sequence=later["sequence"])
        revisions = self.client.get(f"{path}/revisions").json()
        self.assertEqual([r["number"] for r in revisions], [2, 1])
        self.assertEqual(self.client.get(f"{path}/revisions/1").json()["name"], "Life")
        self.assertEqual(self.client.delete(path).status_code, 204)
        self.assertEqual(self.client.get(path).status_code, 404)
        self.post(f"patches/{kept['id']}/undelete")
        self.assertEqual(self.client.get(path).json()["name"], "Later")

    def test_edits_of_two_windows_are_merged_and_wrong_ones_refused(self) -> None:
        kept = self.post("patches", 201, document=document([{"id": "lfo", "kind": "lfo"}], name="Shared"))
        edits = f"patches/{kept['id']}/edits"

        def edit(write: str, status: int, *operations: Json, sequence: int = kept["sequence"]) -> Json:
            return self.post(edits, status, operations=list(operations), sequence=sequence, write=write)

        rate = {"op": "set", "at": ["modules", "0", "rate"], "value": 3.0}
        first = edit("window-one", 200, rate)
        self.assertEqual((first["is_repeated"], first["others"]), (False, []))
        second = edit("window-two", 200, {"op": "set", "at": ["name"], "value": "Both"})
        self.assertEqual([each["operations"] for each in second["others"]], [[rate | {"keys": {}}]])
        self.assertTrue(edit("window-one", 200, rate)["is_repeated"])
        found = self.client.get(f"/api/patches/{kept['id']}").json()
        self.assertEqual((found["name"], found["document"]["modules"][0]["rate"]), ("Both", 3.0))
        since = self.client.get(f"/api/{edits}", params={"since": kept["sequence"]}).json()
        self.assertEqual([each["write"] for each in since], ["window-one", "window-two"])
        refused = edit("window-three", 422, rate | {"value": -1.0})
        self.assertIn("modules[0].rate", refused["sentence"])
        self.assertIn(
            "removed meanwhile", edit("window-four", 422, rate | {"at": ["modules", "9", "rate"]})["sentence"]
        )
        self.assertIn("operations", edit("window-five", 422)["sentence"])
        deep = {"op": "unset", "at": ["x"] * 99}
        self.assertIn("12", edit("window-six", 422, deep)["sentence"])

    def test_text_and_numbers_that_no_store_keeps_are_the_requests_fault(self) -> None:
        kept = self.post("patches", 201, document=document(name="Sound"))
        path = f"/api/patches/{kept['id']}"
        for answer in (
            self.client.get("/api/patches?search=%00"),
            self.client.get("/api/library?search=a%00b"),
            self.client.get("/api/log?search=%00"),
            self.client.post("/api/banks", json={"name": "a\0b"}),
            self.client.get(f"{path}/revisions/{2**31}"),
            self.client.get(f"{path}/revisions/{10**30}"),
            self.client.post(f"{path}/revisions", json={"sequence": kept["sequence"], "reason": "a\0b"}),
            self.client.post("/api/library/acts", json={"act": "tag", "ids": [kept["id"]], "tag": "a\0b"}),
        ):
            with self.subTest(path=str(answer.url)):
                self.assertIn(answer.status_code, (404, 422), answer.text)
                self.assertTrue(answer.json()["sentence"])

    def test_a_template_with_a_broken_table_is_refused_whole(self) -> None:
        before = self.client.get("/api/patches").json()
        for frames, said in (([], "frame"), ([[[1.0, 0.0]] * 40], "harmonics"), ([[[2.0, 0.0]]], "0")):
            oscillators = {"osc1": {"table": "own"}, "tables": [{"name": "own", "frames": frames}]}
            doc = {**document(voice={"oscillators": oscillators}), "tags": ["template"]}
            for path, body in (("patches", {"document": doc}), ("read", {"text": json.dumps(doc)})):
                refusal = self.post(path, 422, **body)
                self.assertIn("voice.oscillators", refusal["place"])
                self.assertIn(said, refusal["sentence"])
        missing = document(voice={"oscillators": {"osc1": {"table": "gone"}}})
        self.assertIn("gone", self.post("patches", 422, document=missing)["sentence"])
        self.assertEqual(self.client.get("/api/patches").json(), before)

    def test_without_a_database_only_keeping_fails(self) -> None:
        app = create_app(Settings(create_engine("postgresql+psycopg://x:x@127.0.0.1:1/x")))
        client = self.enterContext(TestClient(app, base_url="http://localhost"))
        answer = client.get("/api/patches")
        self.assertEqual(answer.status_code, 503)
        self.assertIn("kept in this window", answer.json()["sentence"])
        self.assertFalse(client.get("/api/health").json()["store"])
        self.assertEqual(client.post("/api/sheet", json={"document": document()}).status_code, 200)


class Addresses(Api):
    def test_what_nothing_answers_is_said_in_one_form(self) -> None:
        for path, status in (("/api/nothing", 404), ("/api/patches/zz", 422), (f"/api/patches/{uuid.uuid4()}", 404)):
            answer = self.client.get(path)
            self.assertEqual((path, answer.status_code), (path, status))
            self.assertIn(
                "must be" if status != 404 or "nothing" in path else "no such patch", answer.json()["sentence"]
            )

    def test_a_wrong_method_is_told_the_right_one(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            Path(folder, "index.html").write_text("screen")
            Path(folder, ".stamp").write_text("secret")
            app = create_app(Settings(create_engine("postgresql+psycopg://"), screen=Path(folder)))
            for client in (self.client, self.enterContext(TestClient(app, base_url="http://localhost"))):
                answer = client.get("/api/sheet")
                self.assertEqual((answer.status_code, answer.headers["allow"]), (405, "POST"))
                self.assertIn("must be", answer.json()["sentence"])
                # Of an address with several routes all methods are told, and a name is no identity.
                self.assertEqual(client.patch("/api/banks").headers["allow"], "GET, POST")
                self.assertEqual(client.put("/api/log/notes", json={}).headers["allow"], "POST")
                self.assertEqual(client.put("/api/log/written.md", json={}).headers["allow"], "GET")
            self.assertEqual(client.get("/").text, "screen")
            for hidden in ("/.stamp", "/%2estamp", "/x/.git/config"):
                self.assertEqual(client.get(hidden).status_code, 404)

    def test_what_cannot_be_read_is_no_fault_of_the_server(self) -> None:
        head = {"content-type": "application/json"}
        for body in (b'{"text": "\xff"}', b"[" * 100_000, b'{"text": ' + b"9" * 5000 + b"}", b"", b"nonsense"):
            answer = self.client.post("/api/read", content=body, headers=head)
            self.assertIn(answer.status_code, (400, 422), body[:20])
            self.assertIn("must be", answer.json()["sentence"])
        long = '{"format": "jorvik-patch", "version": 1, "x": ' + "9" * 5000 + "}"
        self.assertIn("thousands of digits", self.post("read", 422, text=long)["sentence"])
        answer = self.client.get("/api/catalogue", headers={"origin": "http://["})
        self.assertEqual(answer.status_code, 403)

    def test_text_that_cannot_be_kept_is_refused_at_the_door(self) -> None:
        for name in (r"a\u0000b", r"half \ud83d"):
            raw = b'{"document": {"format": "jorvik-patch", "version": 1, "name": "%s"}}' % name.encode()
            for path in ("/api/patches", "/api/sheet"):
                answer = self.client.post(path, content=raw, headers={"content-type": "application/json"})
                self.assertEqual(answer.status_code, 422)
                self.assertEqual(answer.json()["place"], "name")

    def test_half_a_letter_in_a_name_of_a_set_value_is_said_as_that(self) -> None:
        raw = rb'{"document": {"format": "jorvik-patch", "version": 1, "voice": {"base": {"\ud83d": 0}}}}'
        for path in ("/api/patches", "/api/sheet"):
            answer = self.client.post(path, content=raw, headers={"content-type": "application/json"})
            self.assertEqual(answer.status_code, 422)
            self.assertEqual(answer.json()["place"], "voice.base")
            self.assertIn("half of one is among them", answer.json()["wanted"])

    def test_only_a_store_that_is_away_is_called_that(self) -> None:
        errors: list[DBAPIError] = [
            DataError("INSERT", {}, psycopg.errors.StringDataRightTruncation("value too long")),
            OperationalError("INSERT", {}, psycopg.errors.DiskFull("no space left")),
            OperationalError("SELECT", {}, psycopg.errors.AdminShutdown("shutting down")),
        ]

        class Refusing(DocumentStore):
            def heads(self, *_: object) -> list[Head]:
                raise errors[0]

        app = create_app(Settings(create_engine("postgresql+psycopg://")))
        refusing = Refusing(create_engine("postgresql+psycopg://"), PATCHES)
        client = self.enterContext(TestClient(app, base_url="http://localhost"))
        app.state.stores = {PATCHES.name: refusing}
        # What was asked for is wrong; the disk is full; the store is away.
        for status, said in ((422, "value too long"), (507, "no space left"), (503, "cannot be reached")):
            answer = client.get("/api/patches")
            self.assertEqual(answer.status_code, status)
            self.assertIn(said, answer.json()["sentence"])
            errors.pop(0)


class Door(Api):
    def test_foreign_hosts_and_origins_are_refused(self) -> None:
        for headers in (
            {"host": "elsewhere.example"},
            {"host": "127.0.0.1.elsewhere.example"},
            {"origin": "http://elsewhere.example"},
            {"origin": "null"},
            {"origin": "http://127.0.0.1:9999"},
        ):
            answer = self.client.get("/api/catalogue", headers=headers)
            self.assertEqual(answer.status_code, 403, headers)
            self.assertIn("must be", answer.json()["sentence"])
        own = self.client.get("/api/catalogue", headers={"origin": "http://127.0.0.1:8420"})
        self.assertEqual(own.status_code, 200)

    def test_a_server_for_every_address_lets_numbers_in_and_names_not(self) -> None:
        app = create_app(Settings(create_engine("postgresql+psycopg://"), any_address=True))
        client = TestClient(app)
        for host, status in {"192.168.7.7:8420": 200, "[fe80::1]:8420": 200, "elsewhere.example:8420": 403}.items():
            self.assertEqual(client.get("/api/catalogue", headers={"host": host}).status_code, status, host)

    def test_every_answer_carries_a_content_security_policy(self) -> None:
        for path in ("/api/catalogue", "/api/patches/none", "/nothing"):
            policy = self.client.get(path).headers["content-security-policy"]
            self.assertIn("default-src 'self'", policy)
            self.assertNotIn("script-src", policy)

    def test_bodies_over_the_limit_are_refused_said_or_streamed(self) -> None:
        said = self.client.post("/api/read", content=b"x" * (MAX_BODY_BYTES + 1))
        self.assertEqual(said.status_code, 413)
        streamed = self.client.post("/api/read", content=(b"x" * 1_000_000 for _ in range(12)))
        self.assertEqual(streamed.status_code, 413)
        self.assertIn("MB at most", streamed.json()["sentence"])


class Types(unittest.TestCase):
    def test_the_screens_types_are_the_apis(self) -> None:
        schema = described()
        shipped = json.loads((ROOT / "ui" / "openapi.json").read_text())
        self.assertEqual(shipped, json.loads(json.dumps(schema)), "run scripts/types")
        tool = ROOT / "ui" / "node_modules" / ".bin" / "openapi-typescript"
        made = subprocess.run(
            [tool, "openapi.json", "--default-non-nullable=false"],
            cwd=ROOT / "ui",
            capture_output=True,
            text=True,
            check=True,
        )
        self.assertEqual((ROOT / "ui/src/api/schema.gen.ts").read_text(), made.stdout, "run scripts/types")
        self.assertEqual((ROOT / "ui/src/api/facts.gen.ts").read_text(), facts(), "run scripts/types")


if __name__ == "__main__":
    unittest.main()
