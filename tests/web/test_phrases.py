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
from jorvik.core.measure.sound import loudness
from jorvik.core.voice.render import render
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

    def test_patches_are_as_loud_as_what_is_played(self) -> None:
        quiet = {**demos()["ferry-horn"], "performance": {"notes": [{"length_s": 0.3, "velocity": 1}]}}
        kept = [self.post("patches", 201, document=one)["id"] for one in (quiet, demos()["barge-bell"])]
        for phrase in (None, PHRASE):
            body = {"ids": kept, **({"phrase": phrase} if phrase else {})}
            levels = self.client.post("/api/library/levels", json=body).json()
            for level, document in zip(levels, (quiet, demos()["barge-bell"]), strict=True):
                of = check_patch(document)
                sound = render(of if phrase is None else of.under(check_phrase(phrase)), RATE)
                self.assertAlmostEqual(level["loudness_lufs"], loudness(sound.samples, RATE), places=3)
        missing = {**PHRASE, "controls": {"macro:nobody": [[0, 1]]}}
        refused = self.client.post("/api/library/levels", json={"ids": kept, "phrase": missing})
        self.assertEqual(refused.status_code, 422)

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

    def test_macros_and_phrases_are_compared(self) -> None:
        bell = demos()["barge-bell"]
        asked: Json = {"document": bell, "phrase": PHRASE, "voice": 0}
        held = self.post("compare", 200, by="macro:striker", steps=[0, 1], **asked)["steps"]
        for step, value in zip(held, (0, 1), strict=True):
            self.assertEqual(step["phrase"]["controls"], {"macro:striker": [[0, value]]})
            of = check_patch(bell).under(check_phrase(step["phrase"]))
            cutoff = trace(of, 48_000, 0).lanes["cutoff"].value.max()
            self.assertAlmostEqual(step["measures"]["lanes"]["cutoff"]["measures"]["peak"], cutoff, delta=1e-6 * cutoff)
        self.assertIn("far", self.post("compare", 422, by="macro:far", steps=[0], **asked)["sentence"])
        other = {**PHRASE, "name": "Slower", "tempo_bpm": 60}
        of_each: Json = {"document": bell, "phrases": [None, PHRASE, other]}
        compared: list[Json] = self.post("compare", 200, **of_each)["steps"]
        self.assertEqual([step["label"] for step in compared], ["", PHRASE["name"], "Slower"])
        self.assertEqual([step["phrase"] for step in compared], [None, PHRASE, other])
        # The first voice lasts from its note-on to its note-off and the tail.
        tail, length = bell["performance"]["tail_s"], NOTES[0]["length"]
        self.assertAlmostEqual(compared[1]["seconds"], length * 60 / PHRASE["tempo_bpm"] + tail, places=3)
        self.assertAlmostEqual(compared[2]["seconds"], length + tail, places=3)
        levels: list[Json] = self.client.post("/api/levels", json=of_each).json()
        for step, level in zip(compared, levels, strict=True):
            of = check_patch({**bell, "performance": step["performance"]})
            sound = render(of.under(check_phrase(step["phrase"])) if step["phrase"] else of)
            self.assertAlmostEqual(level["limited_db"], sound.limited_db, places=6)
            power = np.abs(np.fft.rfft(sound.samples.mean(axis=1))) ** 2
            hz = np.fft.rfftfreq(len(sound.samples), 1 / sound.rate)
            # Over the whole sound instead of its loudest half second: near, not the same.
            self.assertAlmostEqual(level["brightness_hz"] / float((hz * power).sum() / power.sum()), 1.0, delta=0.35)

    def test_a_lane_is_read_against_the_beat_thinned_and_pulled(self) -> None:
        lane: list[list[float]] = [[0, 0], [0.5, 0.52], [1.1, 1.0], [2.9, 0.2], [4, 0.3]]
        asked: Json = {"phrase": {**PHRASE, "controls": {"mod_wheel": lane}}, "lane": "mod_wheel", "grid": "1/4"}
        read = self.post("phrase/lane", 200, **asked)
        # Half a second a beat: a tenth of a beat late is 50 ms.
        self.assertEqual([round(1000 * turn["off"] * 0.5, 6) for turn in read["turns"]], [50.0, -50.0])
        self.assertEqual(read["phrase"]["controls"]["mod_wheel"], lane)
        thin = self.post("phrase/lane", 200, within=0.1, **asked)
        self.assertEqual(thin["phrase"]["controls"]["mod_wheel"], [lane[0], lane[2], lane[3], lane[4]])
        self.assertEqual((thin["points_before"], thin["points_after"], thin["error_at"]), (5, 4, 0.5))
        # Asked of the simplified lane again, the first number of points and the error are still there.
        again = self.post("phrase/lane", 200, **{**asked, "phrase": thin["phrase"]}, within=0.1, scale=0.5)
        record = again["phrase"]["simplified"]["mod_wheel"]
        self.assertEqual((record["points_before"], record["points_after"]), (5, 4))
        self.assertAlmostEqual(record["greatest_error"], 0.5 * abs(0.52 - 0.5 / 1.1))
        pulled = self.post("phrase/lane", 200, pull=1.0, **asked)
        self.assertEqual([turn["off"] for turn in pulled["turns"]], [0.0, 0.0])
        self.assertEqual([at for at, _ in pulled["phrase"]["controls"]["mod_wheel"]][2:], [1.0, 3.0, 4.0])
        scaled = self.post("phrase/lane", 200, scale=0.5, shift=0.6, **asked)
        found = [value for _, value in scaled["phrase"]["controls"]["mod_wheel"]]
        np.testing.assert_allclose(found, [min(0.5 * value + 0.6, 1.0) for _, value in lane])
        smooth = self.post("phrase/lane", 200, smooth=0.5, **asked)["phrase"]["controls"]["mod_wheel"]
        # The mean of the lines for a quarter beat to either side of the highest point.
        around = np.linspace(0.85, 1.35, 20_001)
        mean = float(np.interp(around, *np.array(lane).T).mean())
        self.assertAlmostEqual(dict(smooth)[1.1], mean, places=4)
        self.assertIn("mod_wheel", self.post("phrase/lane", 422, **{**asked, "lane": "pressure"})["sentence"])
        self.assertIn("the grid", self.post("phrase/lane", 422, **{**asked, "grid": "x"})["sentence"])

    def test_a_lane_becomes_a_drawn_curve_and_a_curve_a_lane(self) -> None:
        lane = [[0, 0], [1.1, 1.0], [4, 0.3]]
        asked: Json = {"phrase": {**PHRASE, "controls": {"mod_wheel": lane}}, "document": demos()["barge-bell"]}
        made = self.post("phrase/to-curve", 200, lane="mod_wheel", **asked)["document"]
        curve = made["modules"][-1]
        self.assertEqual((curve["kind"], curve["points"], curve["time"]), ("curve", lane, "1/4"))
        back = self.post("phrase/from-curve", 200, **{**asked, "document": made}, lane="pressure", curve=curve["id"])
        self.assertEqual(back["phrase"]["controls"]["pressure"], lane)
        self.assertIn("it has none", self.post("phrase/from-curve", 422, **asked, lane="pressure")["sentence"])

    def test_a_take_becomes_a_phrase_and_takes_are_joined(self) -> None:
        head = {"format": "jorvik-take", "version": 1, "tempo_bpm": 120, "begins": 0, "ends": 4 * RATE}
        takes = [
            {**head, "patch": demos()["barge-bell"], "played": [{"key": key, "velocity": 90, "on": on, "off": on + 9}]}
            for key, on in ((50, 100), (62, 3 * RATE))
        ]
        phrase = self.post("take/phrase", 200, take=takes[0])["phrase"]
        self.assertEqual((phrase["bars"], phrase["played"][0]["key"]), (2, 50))
        joined = self.post("take/join", 200, takes=takes, bars=[0, 1])["phrase"]
        self.assertEqual([note["key"] for note in joined["played"]], [50, 62])
        self.assertIn("take", self.post("take/join", 422, takes=takes, bars=[2])["sentence"])
        kept = self.post("takes", 201, document={**takes[0], "of": {"patch": "quay", "sequence": 3}})
        found = self.client.get("/api/takes?search=quay").json()
        self.assertEqual([one["id"] for one in found], [kept["id"]])

    def test_typed_made_changed(self) -> None:
        typed = self.post("phrase/typed", phrase=PHRASE, text="C3 1/4 . E3")["phrase"]
        self.assertEqual([(n["key"], n["at"]) for n in typed["played"]], [(48, 0), (52, 2)])
        made = self.post("phrase/make", phrase=PHRASE, pattern={"kind": "down", "chord": [48, 55], "rate": "1/4"})[
            "phrase"
        ]
        self.assertEqual([n["key"] for n in made["played"]], [55, 48, 55, 48])
        moved = self.post("phrase/change", phrase=typed, notes=[1], transpose=12, repeat=2)["phrase"]
        self.assertEqual([(n["key"], n["at"]) for n in moved["played"]], [(48, 0), (64, 2), (48, 4), (64, 6)])
        self.assertIn("H3", self.post("phrase/typed", 422, phrase=PHRASE, text="C3 H3")["sentence"])

    def test_files_in_and_out(self) -> None:
        answer = self.client.post("/api/phrase/file.mid", json={"phrase": PHRASE})
        file = mido.MidiFile(file=io.BytesIO(answer.content))
        self.assertEqual(sum(m.type == "note_on" for m in file.tracks[1]), 2)
        bell = demos()["barge-bell"]
        asked = {"phrase": PHRASE, "document": bell, "lanes": {"74": "cutoff", "20": "macro:striker"}}
        answer = self.client.post("/api/phrase/file.mid", json=asked)
        sent = [m for track in mido.MidiFile(file=io.BytesIO(answer.content)).tracks for m in track]
        striker = [m.value for m in sent if m.type == "control_change" and m.control == 20]
        self.assertEqual(striker, [round(0.35 * 127)])
        cutoff = [m.value for m in sent if m.type == "control_change" and m.control == 74]
        peak = trace(check_patch(bell).under(check_phrase(PHRASE)), 48_000, 0).lanes["cutoff"].value.max()
        self.assertAlmostEqual(max(cutoff), 127 * np.log(peak / 16) / np.log(20_000 / 16), delta=1.0)
        for wrong, said in (
            ({"document": None}, "no patch"),
            ({"lanes": {"74": "far"}}, "far"),
            ({"lanes": {"120": "cutoff"}}, "119"),
        ):
            refused = self.client.post("/api/phrase/file.mid", json={**asked, **wrong})
            self.assertEqual(refused.status_code, 422)
            self.assertIn(said, refused.json()["sentence"])
        answer = self.client.post("/api/phrase/file.mid", json={"phrase": PHRASE})
        data = base64.b64encode(answer.content).decode()
        read = self.post("phrase/from-file", what="midi", data=data, name="two")["phrase"]
        self.assertEqual([(n["key"], n["at"]) for n in read["played"]], [(48, 0), (55, 1.5)])
        self.assertIn("cannot be read", self.post("phrase/from-file", 422, what="midi", data="AAAA")["sentence"])
        self.assertIn("base64", self.post("phrase/from-file", 422, what="beat", data="?")["sentence"])
        text = json.dumps(PHRASE)
        self.assertEqual(self.post("phrase/read", text=text), PHRASE)


if __name__ == "__main__":
    unittest.main()
