"""Played live on the page: keys that are held, lanes under the hand, edits while it sounds; kept, and broken off."""

import os
import re
import signal
import unittest

import numpy as np
from playwright.sync_api import Locator, expect

from jorvik.core.document.patch import check_patch
from jorvik.core.live.player import BLOCK
from jorvik.core.voice.render import render
from jorvik.core.voice.sounding import delay_of
from tests.browser.playing import Playing
from tests.browser.test_bench import patch_of
from tests.support import wait_until


class PlayedLive(Playing):
    def setUp(self) -> None:
        super().setUp()
        self.open_demo("Barge Bell")
        self.live()

    def key(self, name: str) -> Locator:
        return self.page.get_by_role("group", name=re.compile("^Keys;")).get_by_role("button", name=name, exact=True)

    def press(self, name: str, how_low: float) -> None:
        box = self.key(name).bounding_box()
        assert box is not None
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + how_low * box["height"])
        self.page.mouse.down()

    def loud(self) -> bool:
        return self.heard.level() > 0.02

    def test_a_held_key_a_turned_macro_and_what_is_kept_renders_as_it_was_heard(self) -> None:
        self.press("C4", 0.8)
        self.eventually(self.loud, lambda: "the key was not heard")
        striker = self.page.get_by_label("Play Wood to iron")
        striker.evaluate("node => { node.value = '1'; node.dispatchEvent(new Event('input', { bubbles: true })) }")
        self.more(30)
        self.page.mouse.up()
        self.page.keyboard.down("g")
        self.more(20)
        self.page.keyboard.up("g")
        self.more(20)
        heard = self.heard.samples
        self.page.get_by_role("button", name="Keep it").click()
        expect(self.page.get_by_label("Played", exact=True)).to_contain_text("As it was played")
        kept = self.until_kept("As it was played", lambda p: len(p.played) == 2)
        self.assertEqual([note.key for note in kept.played], [60, 66])
        self.assertAlmostEqual(kept.played[0].velocity, 10 + 117 * 0.8, delta=3)
        self.assertEqual(kept.controls["macro:striker"][-1][1], 1.0)
        of = check_patch(patch_of(self.page))
        # The phrase begins with the bar of its first note.
        rate = int(self.page.evaluate("new AudioContext().sampleRate"))
        bar = of.performance.tempo.beats_per_bar * kept.beat_s
        rendered = render(of.under(kept), rate).samples
        struck = round(kept.played[0].at * kept.beat_s * rate)
        sounding = int(np.argmax(np.abs(heard).max(axis=1) > 1e-6))
        late = 2 * round(0.002 * rate) + delay_of(of)
        begin = sounding - late - int(np.argmax(np.abs(rendered[struck:]).max(axis=1) > 1e-6)) - struck
        self.assertEqual((begin % round(bar * rate)), 0)
        length = len(heard) - late - max(begin, 0) - 2 * BLOCK
        np.testing.assert_allclose(heard[begin + late :][struck:length], rendered[struck:length], atol=1e-6)

    def test_an_edit_is_heard_while_the_key_is_held_and_its_end_when_it_is_let_go(self) -> None:
        self.open_demo("Ferry Horn")
        self.press("C3", 0.9)
        self.eventually(self.loud, lambda: "the key was not heard")
        self.more(60)
        before = self.heard.level(30)
        self.page.keyboard.press("Escape")
        self.redrawn(lambda: self.type_into("Amplitude set value", "10 %"))
        self.eventually(lambda: self.heard.level() < 0.5 * before, lambda: "the edit was not heard")
        self.page.mouse.up()
        self.eventually(lambda: self.heard.level() < 1e-5, lambda: "the note never ended")
        self.page.get_by_role("button", name="Keep it").click()
        expect(self.page.get_by_label("Name of the phrase")).to_have_value("As it was played")
        self.page.get_by_role("button", name=re.compile("^Takes")).click()
        self.page.get_by_label("Pick As it was played").check()
        expect(self.page.get_by_text("edited once meanwhile")).to_be_visible()

    def test_over_the_beat_of_the_phrase(self) -> None:
        expect(self.page.get_by_role("button", name="Beat", exact=True)).to_have_count(0)
        self.under("Ice-Hammer Beat")
        self.hands.get_by_text("its notes too").click()
        self.page.get_by_role("button", name="Beat", exact=True).click()
        # No key is down: what is heard are the hits.
        self.eventually(self.loud, lambda: "the beat was not heard")
        self.press("C4", 0.5)
        self.more(20)
        self.page.mouse.up()
        self.more(4)
        self.page.get_by_role("button", name="Keep it").click()
        kept = self.until_kept("As it was played", lambda p: len(p.played) == 1)
        over = self.phrase("Ice-Hammer Beat")
        self.assertEqual(
            (kept.tempo_bpm, [hit.id for hit in kept.hits]), (over.tempo_bpm, [hit.id for hit in over.hits])
        )
        # A bar was kept: each of its strokes lies where one of the phrase's bars has it.
        every = {(round(s.at % over.beats_per_bar, 6), s.strength) for s in over.hits[0].strikes}
        found = {(round(s.at % over.beats_per_bar, 6), s.strength) for s in kept.hits[0].strikes}
        self.assertTrue(found)
        self.assertLessEqual(found, every)
        self.page.get_by_role("button", name="Beat", exact=True).click()
        self.eventually(lambda: self.heard.level() < 1e-4, lambda: "the beat went on")

    def test_what_is_asked_before_the_line_stands_is_done(self) -> None:
        self.under("Ice-Hammer Beat")
        self.live_button.click()
        expect(self.hands).to_have_count(0)
        # Quicker than any hand: at the first moment at which there is something to press.
        self.live_button.evaluate("""live => new Promise(done => {
            const press = () => [...document.querySelectorAll('button')].find(b => b.textContent.trim() === 'Beat');
            new MutationObserver((_, watch) => {
                if (!press()) return;
                watch.disconnect();
                press().click();
                done();
            }).observe(document.body, { childList: true, subtree: true });
            live.click();
        })""")
        self.eventually(self.loud, lambda: "the beat was not heard")
        self.press("C4", 0.5)
        self.more(20)
        self.page.mouse.up()
        self.page.get_by_role("button", name="Keep it").click()
        kept = self.until_kept("As it was played", lambda p: 60 in [note.key for note in p.played])
        self.assertEqual(kept.tempo_bpm, self.phrase("Ice-Hammer Beat").tempo_bpm)

    def test_panic_and_turning_it_off_are_silence(self) -> None:
        self.press("C4", 0.8)
        self.eventually(self.loud, lambda: "the key was not heard")
        self.page.mouse.up()
        self.page.get_by_role("button", name="Panic").click()
        self.eventually(lambda: self.heard.level() == 0.0, lambda: "something went on sounding")
        self.press("E4", 0.8)
        self.eventually(self.loud, lambda: "nothing was heard after the panic")
        self.page.mouse.up()
        self.live_button.click()
        expect(self.hands).to_have_count(0)
        wait_until(lambda: self.served.app.state.stage.pid is None, "the process went on")

    def test_a_controller_of_the_browsers_plays_and_its_knobs_are_learnt(self) -> None:
        self.live_button.click()
        # What the browser would offer, were it connected: one input, whose messages the test sends.
        self.page.evaluate("""() => {
            window.input = { name: 'Stand-in keys' };
            navigator.requestMIDIAccess = async () => ({ inputs: new Map([['1', window.input]]) });
            window.sent = (...bytes) => window.input.onmidimessage({ data: new Uint8Array(bytes) });
        }""")
        self.live_button.click()
        self.page.get_by_role("button", name="Controller…").click()
        expect(self.hands).to_contain_text("Stand-in keys")
        self.page.get_by_role("button", name="Learn Wood to iron").click()
        self.page.evaluate("sent(0xb0, 21, 127)")
        expect(self.page.get_by_label("Play Wood to iron")).to_have_value("1")
        self.page.evaluate("sent(0x90, 62, 100)")
        key = self.page.get_by_role("button", name="D4", exact=True)
        expect(key).to_have_attribute("aria-pressed", "true")
        self.eventually(self.loud, lambda: "the key was not heard")
        for sent in ("0xe0, 127, 127", "0xd0, 64", "0xb0, 1, 127", "0xb0, 30, 9", "0x80, 62, 0"):
            self.page.evaluate(f"sent({sent})")
        expect(key).to_have_attribute("aria-pressed", "false")
        self.more(4)
        self.page.get_by_role("button", name="Keep it").click()
        kept = self.until_kept("As it was played", lambda p: len(p.played) == 1)
        self.assertEqual([(note.key, note.velocity) for note in kept.played], [(62, 100)])
        last = {name: points[-1][1] for name, points in kept.controls.items()}
        self.assertEqual((last["pitch_bend"], last["mod_wheel"]), (1.0, 1.0))
        self.assertAlmostEqual(last["pressure"], 64 / 127)
        self.assertEqual(set(last), {"pitch_bend", "mod_wheel", "pressure", "macro:striker"})
        self.assertEqual(last["macro:striker"], 1.0)

    def test_a_process_that_dies_is_told_and_can_be_started_again(self) -> None:
        self.press("C4", 0.5)
        self.eventually(self.loud, lambda: "the key was not heard")
        self.page.mouse.up()
        pid = self.served.app.state.stage.pid
        os.kill(pid, signal.SIGKILL)
        expect(self.page.get_by_text("What was playing has stopped")).to_be_visible()
        self.page.get_by_role("status").get_by_role("button", name="Keep it").click()
        self.until_kept("As it was played", lambda p: [note.key for note in p.played] == [60])
        expect(self.live_button).to_have_attribute("aria-pressed", "false")
        self.live_button.click()
        expect(self.hands).to_be_visible()

    def test_a_second_page_is_told_that_the_first_one_plays(self) -> None:
        other = self.fresh_page()
        other.get_by_role("button", name="Keys", exact=True).click()
        other.get_by_role("button", name="Live", exact=True).click()
        expect(other.get_by_text("Another page is playing")).to_be_visible()
        expect(other.get_by_role("button", name="Live", exact=True)).to_have_attribute("aria-pressed", "false")
        expect(self.hands).to_be_visible()


if __name__ == "__main__":
    unittest.main()
