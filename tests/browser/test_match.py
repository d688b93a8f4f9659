"""The Match view: a note that the project did not make becomes a patch; both are heard at one loudness."""

import json
import re
import tempfile
from pathlib import Path
from typing import Final

import numpy as np
import soundfile
from playwright.sync_api import expect

from jorvik.core.analysis.recording import recorded
from jorvik.core.document.patch import check_patch
from jorvik.core.measure.sound import loudness
from jorvik.core.voice.render import render
from tests.browser.test_bench import patch_of
from tests.browser.test_figures import OnThePage
from tests.core.test_matching import RATE, note

HEARS = """() => {
    window.gains = [];
    const start = AudioBufferSourceNode.prototype.start;
    const nodes = new Map();
    const connect = AudioNode.prototype.connect;
    AudioNode.prototype.connect = function (to, ...rest) {
        nodes.set(this, to);
        return connect.call(this, to, ...rest);
    };
    AudioBufferSourceNode.prototype.start = function (...rest) {
        const into = nodes.get(this);
        window.gains.push({
            gain: into instanceof GainNode && nodes.get(into) instanceof GainNode ? into.gain.value : 1,
            samples: Array.from(this.buffer.getChannelData(0)),
        });
        return start.apply(this, rest);
    };
}"""
"""Notes what is played, and the gain between it and the level that everything goes through."""

SHORT: Final[dict[str, float]] = {"cents": 0.0, "off": 0.6, "seconds": 1.2}
"""A note that is analysed quickly, where its figures do not matter."""


class Matching(OnThePage):
    def setUp(self) -> None:
        super().setUp()
        self.page.get_by_role("tab", name="Match").click()

    def read(self, **how: float) -> None:
        """Choose a recorded note, and wait until a patch was brought near to it."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "ferry bell.wav"
            soundfile.write(path, note(**how), RATE, subtype="PCM_16")
            self.page.get_by_label("Choose a recorded note").set_input_files(path)
            expect(self.page.get_by_role("button", name="Play patch")).to_be_visible()

    def test_a_recorded_note_becomes_a_patch_of_its_own(self) -> None:
        self.read()
        found = self.page.get_by_role("list", name="What was found in the recording")
        expect(found).to_contain_text("Vibrato: 5.5 Hz, 30")
        expect(found).to_contain_text("Pitch: 220 Hz, A3")
        self.redrawn(lambda: self.page.get_by_role("button", name="Keep as a new patch").click())
        expect(self.name_field).to_have_value("ferry bell")
        of = check_patch(patch_of(self.page))
        again = recorded(render(of).samples, 48_000)
        self.assertAlmostEqual(again.pitch_hz or 0.0, 220.0, delta=0.4)
        self.assertAlmostEqual(again.facts()["vibrato"]["rate_hz"], 5.5, delta=0.06)
        self.assertAlmostEqual(again.level.attack_s, 0.08, delta=0.01)
        expect(self.stave("Pitch")).to_contain_text("shake")

    def test_both_are_heard_at_one_loudness_then_the_recording_is_kept_under_a_name(self) -> None:
        self.read(**SHORT)
        self.page.evaluate(HEARS)
        heard = []
        for number, name in enumerate(("Play recording", "Play patch"), 1):
            self.page.get_by_role("button", name=name).click()
            self.until(f"gains.length === {number}", f"{name} was not heard")
            last = self.page.evaluate("gains.at(-1)")
            samples = np.array(last["samples"]) * last["gain"]
            rate = int(self.page.evaluate("new AudioContext().sampleRate"))
            heard.append(loudness(np.stack([samples, samples], axis=1), rate))
        self.assertAlmostEqual(heard[0], heard[1], delta=0.5)
        self.page.get_by_role("button", name="Blind").click()
        expect(self.page.get_by_role("button", name="Play recording")).to_have_count(0)
        self.page.get_by_role("button", name="Play A").click()
        self.until("gains.length === 3", "A was not heard")
        self.page.get_by_role("button", name="Which was which?").click()
        told = self.page.get_by_text("A was the").inner_text()
        first = self.page.evaluate("gains[2].samples.length") == self.page.evaluate("gains[0].samples.length")
        self.assertEqual(told, f"A was the {'recording' if first else 'patch'}")
        self.keep_and_lay_on_the_staves()

    def keep_and_lay_on_the_staves(self) -> None:
        """Keep the recording under another name, lay it on the staves, delete it and take that back."""
        name = self.page.get_by_label("Name of the recording")
        expect(name).to_have_value("ferry bell")
        name.fill("Bell at the Staithe")
        name.press("Enter")
        kept = self.page.get_by_label("Recordings that are kept")
        expect(kept.locator("option", has_text="Bell at the Staithe")).to_have_count(1)
        self.page.get_by_role("button", name="On the staves").click()
        expect(self.stave("Heard level")).to_contain_text("dashed: the recording")
        expect(self.stave("Heard pitch")).to_be_visible()
        self.page.get_by_role("tab", name="Match").click()
        self.page.get_by_role("button", name="delete it").click()
        expect(kept).to_have_count(0)
        self.page.get_by_role("status").get_by_role("button", name="Undo").click()
        expect(kept.locator("option", has_text="Bell at the Staithe")).to_have_count(1)

    def test_the_open_patch_is_brought_near_taken_and_taken_back(self) -> None:
        before = json.dumps(patch_of(self.page), sort_keys=True)
        self.page.get_by_label("What is brought near").select_option("open")
        self.read()
        table = self.page.get_by_role("table", name="Left over the note")
        expect(table).to_contain_text("before")
        rows = [row.get_by_role("cell").all_inner_texts() for row in table.get_by_role("row").all()[1:]]
        for name, now, was, _ in rows:
            self.assertLess(float(now.split()[0]), float(was.split()[0]), name)
        self.redrawn(lambda: self.page.get_by_role("button", name="Take it").click())
        self.undo_says("matched with ferry bell")
        self.kept()
        of = check_patch(patch_of(self.page))
        # The sources that it had are set: none is new.
        names = {module["id"] for module in json.loads(before)["modules"]}
        self.assertEqual({module.id for module in of.modules}, names)
        self.redrawn(lambda: self.page.get_by_role("button", name="Undo", exact=False).first.click())
        self.kept()
        self.assertEqual(json.dumps(patch_of(self.page), sort_keys=True), before)

    def test_it_is_let_go_where_the_hand_says_and_stays_after_a_reload(self) -> None:
        self.read(sustain=0.0, fall=0.2, off=9.0, cents=0.0, seconds=1.4)
        found = self.page.get_by_role("list", name="What was found in the recording")
        expect(found).to_contain_text("It ends by itself")
        # A tenth of a second is left before the note.
        self.type_into("When it is let go", "600 ms")
        changed = self.page.get_by_role("list", name="What was changed")
        expect(changed).to_contain_text(re.compile(r"held (500|50\d(\.\d)?|49\d(\.\d)?) ms"))
        self.page.reload()
        self.settle()
        self.page.get_by_role("tab", name="Match").click()
        expect(changed).to_contain_text(re.compile(r"held (500|50\d(\.\d)?|49\d(\.\d)?) ms"))

    def test_what_cannot_be_read_is_said(self) -> None:
        choose = self.page.get_by_label("Choose a recorded note")
        choose.set_input_files({"name": "page.wav", "mimeType": "audio/wav", "buffer": b"not a sound"})
        expect(self.page.get_by_role("alert")).to_contain_text("no sound that can be read")
        choose.set_input_files({"name": "long.wav", "mimeType": "audio/wav", "buffer": bytes(6_500_000)})
        expect(self.page.get_by_text("it must be 6.4 MB at most")).to_be_visible()
