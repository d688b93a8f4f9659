"""Requests for figures, comparisons, sound and assistance, against the core and against files."""

import base64
import io
import json
import unittest
from typing import Any

import numpy as np
import soundfile

from jorvik.core.measure.patch import measure_patch
from tests.support import Json, document, note, patch
from tests.web.test_api import ROUTE, WAVE, Api, floats

ENV: Json = {"id": "swell", "kind": "envelope", "attack_s": 0.1, "decay_s": 0.2, "sustain": 0.5}
RAISE: Json = {"id": "up", "source": "swell", "destination": "cutoff", "amount": 24, "via": "velocity"}


class Judging(Api):
    def test_figures_are_the_cores(self) -> None:
        doc = document([WAVE], [ROUTE], performance=note(1.0, 0.2))
        judged = self.post("judge", document=doc)
        mine = measure_patch(patch([WAVE], [ROUTE], performance=note(1.0, 0.2)))
        lane = judged["measures"]["lanes"]["pitch"]
        self.assertAlmostEqual(lane["distance"], mine.lanes["pitch"].distance)
        self.assertEqual(lane["shares"], {"vib": 1.0})

    def test_a_fix_is_a_whole_document(self) -> None:
        doc = document([ENV], [{**RAISE, "amount": 90, "via": None}], performance=note(1.0, 0.2))
        found = {f["rule"]: f for f in self.post("judge", document=doc)["findings"]}
        fixed = found["clamped_lane"]["fixed"]
        self.assertEqual([f for f in self.post("judge", document=fixed)["findings"] if f["rule"] == "clamped_lane"], [])
        fixed["set_aside"] = [{"finding": "no such", "reason": ""}]
        self.post("judge", document=fixed)

    def test_a_loop_that_grows_without_end_is_named_and_what_would_do(self) -> None:
        squared: Json = {"source": "big", "gain": 0.4, "offset": 1.0}
        grows: Json = {"id": "big", "kind": "mix", "operation": "product", "inputs": [squared, squared]}
        doc = document([WAVE, grows], [{**ROUTE, "source": "big"}], performance=note(0.1, 0.0))
        for path, asked in (("sheet", {}), ("compare", {"by": "velocity", "steps": [40, 80]})):
            sentence = str(self.post(path, 422, document=doc, **asked))
            for part in ("the loop through big", "grows without end", "less gain round the loop"):
                self.assertIn(part, sentence)
        grows["inputs"] = [{**squared, "gain": 0.1}, squared]
        self.post("sheet", document=doc)

    def test_a_sweep_of_velocities(self) -> None:
        doc = document([ENV], [RAISE], performance=note(1.0, 0.2))
        compared = self.post("compare", document=doc, by="velocity", steps=[40, 80, 118])
        self.assertEqual([step["label"] for step in compared["steps"]], ["40", "80", "118"])
        for step, velocity in zip(compared["steps"], (40, 80, 118), strict=True):
            settle = step["measures"]["lanes"]["cutoff"]["measures"]["settle"]
            self.assertAlmostEqual(settle, 1000 * 2 ** (velocity / 127), delta=0.01)

    def test_every_sweep_and_other_patches(self) -> None:
        doc = document([ENV], [RAISE], performance=note(0.4, 0.1))
        for by, steps in (("key", [36, 60]), ("length_s", [0.2, 0.8]), ("tempo_bpm", [60, 120]), ("seed", [1, 2])):
            self.assertEqual(len(self.post("compare", document=doc, by=by, steps=steps)["steps"]), 2)
        other = document([ENV], [{**RAISE, "amount": 12}], performance=note(0.4, 0.1), name="older")
        compared = self.post("compare", document=doc, others=[other])
        self.assertEqual(compared["steps"][1]["label"], "older")

    def test_a_sweep_too_long_is_refused(self) -> None:
        doc = document([ENV], [RAISE], performance=note(55.0, 4.0))
        refusal = self.post("compare", 422, document=doc, by="velocity", steps=list(range(1, 128)))
        self.assertIn("600 s in all", refusal["sentence"])


class Sounding(Api):
    def test_a_look_agrees_with_the_file(self) -> None:
        doc = document(performance=note(0.8, 0.2, key=69), voice={"base": {"cutoff": 20_000}})
        look = self.post("look", document=doc, at_s=0.4, columns=50)
        self.assertAlmostEqual(look["partials"][0]["hz"], 440.0, delta=0.3)
        samples, _ = soundfile.read(io.BytesIO(self.client.post("/api/sound", json={"document": doc}).content))
        self.assertAlmostEqual(look["levels"]["peak_db"], 20 * np.log10(np.abs(samples).max()), places=3)
        self.assertEqual(floats(look["least"]).size, 50)
        self.assertEqual(len(base64.b64decode(look["spectrogram"])), look["rows"] * look["columns"])

    def test_sound_files_of_every_kind(self) -> None:
        doc = document(performance=note(0.1, 0.0))
        for depth, subtype in (("16", "PCM_16"), ("24", "PCM_24"), ("32f", "FLOAT")):
            for rate, mono in ((44_100, True), (96_000, False)):
                body = {"document": doc, "depth": depth, "rate": rate, "mono": mono}
                with soundfile.SoundFile(io.BytesIO(self.client.post("/api/sound", json=body).content)) as file:
                    self.assertEqual((file.subtype, file.samplerate, file.channels), (subtype, rate, 1 if mono else 2))
        self.assertIn("44100", self.post("sound", 422, document=doc, rate=12_345)["sentence"])

    def test_cycles_and_harmonics(self) -> None:
        cycle = np.sin(2 * np.pi * 2 * np.arange(600) / 600)
        buffer = io.BytesIO()
        soundfile.write(buffer, 0.5 * cycle, 48_000, format="WAV")
        read = self.post("cycles", data=base64.b64encode(buffer.getvalue()).decode())
        self.assertEqual((read["frames"], read["frame_length"]), (1, 600))
        tables = [{"name": "read", "cycles": read["cycles"]}]
        doc = document(performance=note(key=57), voice={"oscillators": {"tables": tables}})
        seen = self.post("harmonics", document=doc, table="read")
        self.assertAlmostEqual(seen["harmonics"][1][0], 1.0, places=3)
        self.assertLess(seen["harmonics"][0][0], 1e-3)
        self.assertAlmostEqual(seen["rows"][2]["hz"], 660.0, places=6)
        self.post("cycles", 422, data="no base64!")
        self.post("harmonics", 422, document=doc, harmonics=[[2.0, 0.0]])

    def test_what_is_prepared_is_played(self) -> None:
        doc = document(performance=note(0.2, 0.0))
        self.assertEqual(self.client.post("/api/prepare", json={"document": doc}).status_code, 204)
        self.assertEqual(self.client.post("/api/sound", json={"document": doc}).status_code, 200)


class Assisting(Api):
    def test_each_hands_back_a_document(self) -> None:
        doc = document([ENV, WAVE], [RAISE, ROUTE])
        said = self.post("assist/sentence", document=doc, text="swell raises fold 30%")
        self.assertEqual(said["route"], "swell to fold")
        ranged = self.post("assist/route", document=doc, route="up", to="range")["document"]
        back = self.post("assist/route", document=ranged, route="up", to="amount")["document"]
        self.assertAlmostEqual(back["routes"][0]["amount"], 24.0)
        turned = self.post("assist/polarity", document=doc, route="vib", polarity="unipolar")["document"]
        self.assertAlmostEqual(turned["routes"][1]["amount"], 1.0)
        form = {"document": doc, "lane": "cutoff", "targets": [{"what": "start", "value": 500.0}]}
        lines = [json.loads(line) for line in self.client.post("/api/assist/solve", json=form).text.splitlines()]
        self.assertEqual(lines[0]["tries"], 1)
        self.assertTrue(lines[-1]["answer"]["met"][0]["met"])
        self.assertAlmostEqual(lines[-1]["answer"]["document"]["voice"]["base"]["cutoff"], 500.0, delta=2)

    def test_what_may_change_can_be_chosen(self) -> None:
        doc = document([ENV], [RAISE])
        offered: Any = self.post(
            "assist/changeable", document=doc, lane="cutoff", targets=[{"what": "peak_s", "value": 0.2}]
        )
        usual = {one["name"] for one in offered if one["usual"]}
        self.assertEqual(usual, {f"{ENV['id']}.attack_s"})
        form = {"document": doc, "lane": "cutoff", "targets": [{"what": "peak", "value": 3000.0}]}
        body = {**form, "changing": ["cutoff"]}
        lines = self.client.post("/api/assist/solve", json=body).text.splitlines()
        made = json.loads(lines[-1])["answer"]["document"]
        self.assertEqual(made["routes"], doc["routes"])
        # The peak lies two octaves over the set value, scaled by the velocity.
        self.assertAlmostEqual(made["voice"]["base"]["cutoff"], 3000 / 2 ** (2 * 96 / 127), delta=5)
        self.assertEqual(
            self.post("assist/solve", 422, **{**form, "changing": ["nothing"]})["place"], "what may change"
        )

    def test_a_ring_and_its_settings(self) -> None:
        ring_page = {"what": "source", "id": "ring"}
        ringer = {"id": "ring", "kind": "filter", "input": "gate", "frequency_hz": 7.5, "q": 7.0}
        doc = document([ENV, ringer], [RAISE])
        said = {r["name"]: r for r in self.post("judge", document=doc)["figures"] if r["about"] == ring_page}
        self.assertAlmostEqual(said["rings at"]["value"], 7.5 * np.sqrt(1 - 1 / 196))
        self.assertTrue(said["gone after"]["settable"])
        form: Json = {"kind": "ringing", "about": ring_page, "name": "gone after", "value": 2.0}
        ring = self.post("assist/figure", document=doc, **form)["document"]["modules"][1]
        self.assertAlmostEqual(np.log(1000) * ring["q"] / (np.pi * ring["frequency_hz"]), 2.0, places=4)
        wrong = self.post("assist/figure", 422, document=doc, **{**form, "name": "audible cycles"})
        self.assertEqual(wrong["place"], "signal.ring")

    def test_what_a_lane_reaches_at_keys_and_velocities(self) -> None:
        opens = {**RAISE, "via": "velocity"}
        follow = {"id": "follow", "source": "key", "destination": "cutoff", "amount": 12}
        doc = document([ENV], [opens, follow])
        rows: Any = self.post("reached", document=doc, lane="cutoff", keys=[48, 72], velocities=[40, 127])
        self.assertEqual([(r["key"], r["velocity"]) for r in rows], [(48, 40), (48, 127), (72, 40), (72, 127)])
        for row in rows:
            octaves = RAISE["amount"] / 12 * row["velocity"] / 127 + (row["key"] - 60) / 12
            self.assertAlmostEqual(row["measures"]["peak"], 1000 * 2**octaves, delta=0.01)
        wrong = self.post("reached", 422, document=doc, lane="fold", keys=[48], velocities=[40])
        self.assertEqual(wrong["place"], "the lane")

    def test_a_stretch_between_two_moments(self) -> None:
        doc = document([ENV], [RAISE], performance=note(1.0, 0.2))
        said = self.post("stretch", document=doc, lane="cutoff", from_s=0.0, to_s=0.1)
        self.assertAlmostEqual(said["distance"], 24 * 96 / 127, delta=0.02)
        self.assertEqual(said["shares"], {"up": 1.0})
        self.assertEqual(
            self.post("stretch", 422, document=doc, lane="cutoff", from_s=7, to_s=8)["place"], "the stretch"
        )

    def test_what_cannot_be_done_is_refused_with_the_place(self) -> None:
        doc = document([ENV], [RAISE])
        for path, body, place in (
            ("sentence", {"text": "swell"}, "the sentence"),
            ("route", {"route": "none", "to": "range"}, "route"),
            ("macro-set", {"macro": "swell", "place": 1.0, "values": {}}, "macro"),
            ("solve", {"lane": "cutoff", "targets": []}, "targets"),
        ):
            self.assertEqual(self.post(f"assist/{path}", 422, document=doc, **body)["place"], place, path)


if __name__ == "__main__":
    unittest.main()
