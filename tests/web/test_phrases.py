"""Phrases over HTTP: kept, put under a patch, made and changed, read and written as files."""

import base64
import io
import json
import unittest

import mido
import numpy as np

from jorvik.core.document.patch import check_patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.engine.trace import trace
from tests.support import RATE, Json, demos
from tests.web.test_api import Api

NOTES: list[Json] = [{"key": 48, "at": 0, "length": 1}, {"key": 55, "velocity": 110, "at": 1.5, "length": 1}]
PHRASE: Json = {"format": "jorvik-phrase", "version": 1, "name": "Two", "tempo_bpm": 120, "bars": 1, "played": NOTES}


def floats(text: str) -> "np.ndarray[tuple[int], np.dtype[np.float32]]":
    return np.frombuffer(base64.b64decode(text), dtype="<f4")


class Phrases(Api):
    def test_a_phrase_is_kept_as_a_patch_is(self) -> None:
        kept = self.post("phrases", 201, document=PHRASE)
        draft = {"document": {**PHRASE, "bars": 2}, "sequence": kept["sequence"]}
        self.assertEqual(self.client.put(f"/api/phrases/{kept['id']}/draft", json=draft).status_code, 200)
        self.assertEqual(self.client.put(f"/api/phrases/{kept['id']}/draft", json=draft).status_code, 409)
        self.assertIn(kept["id"], [head["id"] for head in self.client.get("/api/phrases").json()])
        self.assertEqual(self.client.get(f"/api/patches/{kept['id']}").status_code, 404)
        self.assertIn("longer than 0", self.refused(played=[{"key": 1, "at": 0, "length": 0}]))

    def refused(self, **fields: object) -> str:
        return str(self.post("phrases", 422, document={**PHRASE, **fields})["sentence"])

    def test_the_sheet_of_a_voice_stands_in_its_window_of_the_phrase(self) -> None:
        doc = demos()["ferry-horn"]
        sheet = self.post("sheet", document=doc, phrase=PHRASE, voice=1, columns=400)
        tail = doc["performance"]["tail_s"]
        self.assertAlmostEqual(sheet["seconds"], 2.0 + tail)
        self.assertEqual((sheet["from_s"], sheet["begins_s"]), (0.0, 0.75))
        self.assertAlmostEqual(sheet["ends_s"], 1.25 + tail, places=4)
        [note] = sheet["notes"]
        self.assertEqual((note["on_s"], note["off_s"], note["key"], note["number"]), (0.75, 1.25, 55, 1))
        values = trace(check_patch(doc).under(check_phrase(PHRASE)), RATE, 1).lanes["cutoff"].value
        shown = floats(sheet["lanes"]["cutoff"]["value"]["first"])
        self.assertEqual(shown.size, sheet["columns"])
        self.assertAlmostEqual(shown.size / 400, (0.5 + tail) / (2.0 + tail), delta=0.01)
        starts = np.frombuffer(base64.b64decode(sheet["starts_s"]), dtype="<f8")
        at = np.round((starts - 0.75) * RATE).astype(int)
        self.assertTrue(np.allclose(shown, values[at], rtol=1e-6))

    def test_the_other_voices_stand_each_in_its_window(self) -> None:
        doc = demos()["ferry-horn"]
        [other] = self.client.post(
            "/api/voices", json={"document": doc, "phrase": PHRASE, "voice": 1, "columns": 400, "rate": 4000}
        ).json()
        tail = doc["performance"]["tail_s"]
        self.assertEqual((other["number"], other["begins_s"]), (0, 0.0))
        self.assertAlmostEqual(other["ends_s"], 0.5 + tail, places=3)
        values = trace(check_patch(doc).under(check_phrase(PHRASE)), 4000, 0).lanes["cutoff"].value
        shown = floats(other["lanes"]["cutoff"]["first"])
        at = np.floor(np.arange(shown.size) * values.size / shown.size).astype(int)
        self.assertTrue(np.allclose(shown, values[at], rtol=1e-5))
        body = {"document": doc, "columns": 100, "rate": 4000}
        self.assertEqual(self.client.post("/api/voices", json=body).json(), [])

    def test_findings_lie_where_the_note_is(self) -> None:
        short = {**PHRASE, "played": [NOTES[0], {**NOTES[1], "length": 0.25}]}
        said = self.post("judge", document=demos()["ferry-horn"], phrase=short, voice=1)
        self.assertTrue(said["findings"])
        self.assertGreaterEqual(min(finding["from_s"] for finding in said["findings"]), 0.75)

    def test_hits_are_heard_where_they_are_asked_for(self) -> None:
        quiet = {**PHRASE, "hits": [{"id": "a", "sound": "snap", "strikes": [{"at": 3.5}]}]}
        sounds = []
        for hits in (False, True):
            body = {"document": demos()["ferry-horn"], "phrase": quiet, "with_hits": hits, "depth": "32f"}
            answer = self.client.post("/api/sound", json=body)
            self.assertEqual(answer.status_code, 200)
            sounds.append(len(answer.content))
            sounds.append(answer.headers["x-loudness-lufs"])
        self.assertEqual(sounds[0], sounds[2])
        self.assertNotEqual(sounds[1], sounds[3])

    def test_typed_made_changed(self) -> None:
        typed = self.post("phrase/typed", phrase=PHRASE, text="C3 1/4 . E3")["phrase"]
        self.assertEqual([(n["key"], n["at"]) for n in typed["played"]], [(48, 0), (52, 2)])
        made = self.post("phrase/make", phrase=PHRASE, pattern="down", chord=[48, 55], rate="1/4")["phrase"]
        self.assertEqual([n["key"] for n in made["played"]], [55, 48, 55, 48])
        moved = self.post("phrase/change", phrase=typed, notes=[1], transpose=12, repeat=2)["phrase"]
        self.assertEqual([(n["key"], n["at"]) for n in moved["played"]], [(48, 0), (64, 2), (48, 4), (64, 6)])
        self.assertIn("H3", self.post("phrase/typed", 422, phrase=PHRASE, text="C3 H3")["sentence"])

    def test_files_in_and_out(self) -> None:
        answer = self.client.post("/api/phrase/file.mid", json={"phrase": PHRASE})
        file = mido.MidiFile(file=io.BytesIO(answer.content))
        self.assertEqual(sum(m.type == "note_on" for m in file.tracks[1]), 2)
        data = base64.b64encode(answer.content).decode()
        read = self.post("phrase/from-file", what="midi", data=data, name="two")["phrase"]
        self.assertEqual([(n["key"], n["at"]) for n in read["played"]], [(48, 0), (55, 1.5)])
        self.assertIn("cannot be read", self.post("phrase/from-file", 422, what="midi", data="AAAA")["sentence"])
        self.assertIn("base64", self.post("phrase/from-file", 422, what="beat", data="?")["sentence"])
        text = json.dumps(PHRASE)
        self.assertEqual(self.post("phrase/read", text=text), PHRASE)


if __name__ == "__main__":
    unittest.main()
