"""Recorded pass after pass: takes on the page, kept whatever dies, written over, joined, printed and swept again."""

import io
import json
import re
import unittest
import zipfile
from pathlib import Path

import numpy as np
import soundfile
from playwright.sync_api import Route, expect

from jorvik.core.document.patch import check_patch
from jorvik.core.document.take import Take
from jorvik.core.measure.sound import loudness
from jorvik.core.phrases.takes import phrase_of, printed
from jorvik.core.voice.render import render
from jorvik.core.voice.sounding import delay_of
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PATCHES, TAKES
from tests.browser.playing import BEAT_S, ROUND, TURN_S, Playing
from tests.browser.test_bench import patch_of
from tests.support import RATE, Served, cluster


class OnABell(Playing):
    def setUp(self) -> None:
        super().setUp()
        self.open_demo("Barge Bell")
        self.keep_phrase(ROUND)
        self.under("Short Round")


class Takes(OnABell):
    def two_passes(self) -> list[Take]:
        """Record two turns of the phrase and a bit, with the macro moved in the second."""
        self.live()
        self.record()
        self.during(2)
        self.pad_to(0.1, 0.5)
        self.pad_to(0.9, 0.5, down=False)
        self.page.mouse.up()
        self.during(3)
        self.stop()
        self.eventually(
            lambda: any("macro:striker" in phrase_of(take).controls for take in self.takes()),
            lambda: "the pass in which the macro was moved was not kept",
        )
        return self.until_taken(2)

    def keep_takes(self) -> list[Take]:
        """Keep two turns of the phrase as if they had been recorded, with the macro moved in the second."""
        patches, takes = DocumentStore(self.served.engine, PATCHES), DocumentStore(self.served.engine, TAKES)
        [bell] = [head for head in patches.heads() if head.name == "Barge Bell"]
        beat, turn = round(BEAT_S * RATE), round(TURN_S * RATE)
        for number in (1, 2):
            begins = (number - 1) * turn
            struck = [(note["key"], note["at"], note["length"]) for note in ROUND["played"]]
            played = [
                {"key": key, "on": begins + round(at * beat), "off": begins + round((at + length) * beat)}
                for key, at, length in struck
            ]
            moved = [[begins, 0.1], [begins + beat, 0.9], [begins + 2 * beat, 0.5]]
            takes.create(
                {
                    "format": "jorvik-take",
                    "version": 1,
                    "name": f"Barge Bell, take {number}",
                    "rate": RATE,
                    "begins": begins,
                    "ends": begins + turn,
                    "tempo_bpm": ROUND["tempo_bpm"],
                    "played": played,
                    "patch": patches.get(bell.id).document,
                    "over": ROUND,
                    "of": {"patch": str(bell.id), "sequence": bell.sequence},
                    "lanes": {"macro:striker": moved} if number == 2 else {},
                }
            )
        self.page.reload()
        self.settle()
        self.live()
        return self.takes()

    def test_each_turn_of_the_phrase_is_a_take_that_renders_as_it_was_heard(self) -> None:
        first, second, *_ = takes = self.two_passes()
        rate = first.rate
        turn = round(TURN_S * rate)
        self.assertEqual([(take.begins, take.ends) for take in (first, second)], [(0, turn), (turn, 2 * turn)])
        beat = BEAT_S * rate
        expected = [(48, round(0.1 * beat)), (55, round(2.3 * beat))]
        self.assertEqual([(note.key, note.on) for note in first.inside], expected)
        assert second.of is not None
        self.assertEqual(second.patch["name"], "Barge Bell")
        moved = next(phrase_of(take) for take in takes if "macro:striker" in phrase_of(take).controls)
        self.assertEqual(set(moved.controls), {"macro:striker", "mod_wheel"})
        self.assertAlmostEqual(moved.controls["macro:striker"][-1][1], 0.9, delta=0.02)
        recording = next(message["recording"] for message in self.heard.told if "recording" in message)
        heard = self.heard.after(recording["first"])
        late = 2 * round(0.002 * rate) + delay_of(first.played_patch)
        for number, take in enumerate((first, second)):
            made = printed(take, with_hits=True).samples[:turn]
            with self.subTest(take=number):
                np.testing.assert_allclose(heard[late + number * turn :][:turn], made, atol=1e-6)

    def test_a_take_is_named_opened_edited_held_against_another_and_joined(self) -> None:
        moved = next(n for n, take in enumerate(self.keep_takes(), 1) if "macro:striker" in phrase_of(take).controls)
        other = f"Barge Bell, take {moved}"
        self.page.get_by_role("button", name=re.compile("^Takes")).click()
        name = self.page.get_by_label("Name of Barge Bell, take 1", exact=True)
        name.fill("The calm one")
        name.press("Enter")
        self.redrawn(lambda: self.page.get_by_role("button", name="Open The calm one").click())
        expect(self.page.get_by_label("Name of the phrase")).to_have_value("The calm one")
        first = next(take for take in self.takes() if take.begins == 0)
        self.assertEqual(first.name, "The calm one")
        # Opened again, it is the same phrase, with what was changed of it; the take stays as it was played.
        self.redrawn(lambda: self.score.get_by_role("button", name=re.compile("^Note C3")).press("ArrowUp"))
        self.until_kept("The calm one", lambda p: p.played[0].key == 49)
        self.page.get_by_role("button", name=re.compile("^Takes")).click()
        self.redrawn(lambda: self.page.get_by_role("button", name="Open The calm one").click())
        self.assertEqual(self.phrase("The calm one").played[0].key, 49)
        self.assertEqual([one.key for one in first.inside], [48, 55])
        self.page.get_by_role("button", name=re.compile("^Takes")).click()
        for one in ("The calm one", other):
            self.page.get_by_label(f"Pick {one}", exact=True).check()
        self.page.get_by_label(f"Bar 1 of {other}", exact=True).click()
        self.redrawn(lambda: self.page.get_by_role("button", name="Join as a phrase").click())
        joined = self.until_kept("Joined", lambda p: "macro:striker" in p.controls)
        self.assertEqual([n.key for n in joined.played], [n.key for n in self.takes()[moved - 1].inside])
        self.page.get_by_role("button", name=re.compile("^Takes")).click()
        for one in ("The calm one", other):
            self.page.get_by_label(f"Pick {one}", exact=True).check()
        self.page.get_by_role("button", name="Compare", exact=True).last.click()
        expect(self.page.get_by_role("table").first).to_contain_text("The calm one")
        expect(self.page.get_by_role("table").first).to_contain_text(other)
        self.page.get_by_role("tab", name="Note").click()
        self.page.get_by_role("button", name="Delete The calm one").click()
        expect(self.page.get_by_label("Pick The calm one")).to_have_count(0)
        self.page.get_by_role("status").get_by_role("button", name="Undo", exact=True).click()
        expect(self.page.get_by_label("Pick The calm one")).to_have_count(1)

    def test_directions_go_where_they_are_sent_over_a_range_with_a_curve(self) -> None:
        self.live()
        self.page.get_by_role("button", name="Directions…").click()
        for end, share in (("Least", "20 %"), ("Greatest", "60 %")):
            self.type_into(f"{end} of pad across", share)
        # What was typed is understood by the server, and takes effect then.
        self.until("localStorage.getItem('jorvik.directions')?.includes('0.6')", "the range was not set")
        self.page.get_by_label("Curve of pad across").select_option("slow at first")
        self.page.get_by_label("What pad up moves").select_option("pressure")
        self.page.keyboard.press("Escape")
        self.record()
        self.during(1)
        self.pad_to(0.5, 0.25)
        self.during(self.pass_now() + 1)
        self.page.mouse.up()
        self.stop()
        self.eventually(lambda: any(take.lanes.get("pressure") for take in self.takes()), lambda: "it was not kept")
        lanes = next(found for take in self.takes() if "pressure" in (found := phrase_of(take).controls))
        # Half the way, slow at first: a quarter of what lies between.
        self.assertAlmostEqual(lanes["macro:striker"][-1][1], 0.2 + 0.4 * 0.25, delta=0.01)
        self.assertAlmostEqual(lanes["pressure"][-1][1], 0.25, delta=0.02)

    def test_a_lane_is_smoothed_scaled_and_drawn_and_thinned_by_a_slider(self) -> None:
        lane = [[0, 0.2], [1, 0.9], [1.05, 0.88], [2, 0.3], [3, 0.8], [4, 0.4]]
        self.keep_phrase({**ROUND, "name": "Drawn Round", "controls": {"macro:striker": lane}})
        self.under("Drawn Round")
        self.page.get_by_role("button", name="Drawn Round", exact=True).click()
        played = self.score.get_by_role("group", name="Played striker")
        slider = self.page.get_by_label("How far striker may be off")
        slider.evaluate("node => { node.value = '0.4'; node.dispatchEvent(new Event('input', { bubbles: true })) }")
        # What it would be is drawn over what it is: the fewer points lie within 6.4 % of all.
        proposed = played.locator("polyline.proposed")
        expect(proposed).to_have_count(1)
        expect(self.aside).to_contain_text("5 of 6 points")
        self.redrawn(lambda: self.page.get_by_role("button", name="Thin striker", exact=True).click())
        thin = self.until_kept("Drawn Round", lambda p: len(p.controls["macro:striker"]) == 5)
        self.assertEqual(thin.controls["macro:striker"], [point for point in lane if point[0] != 1.05])
        # What was typed counts, though it is understood only after the button is pressed.
        held: list[Route] = []
        self.page.route("**/api/value", lambda route: held.append(route))
        self.type_into("Scale striker by", "0.5")
        self.type_into("Shift striker by", "30 %")
        self.page.get_by_role("button", name="Scale striker", exact=True).click()
        fields = {"Scale striker by", "Shift striker by"}
        self.eventually(
            lambda: {json.loads(route.request.post_data or "{}")["place"] for route in held} == fields,
            lambda: "what was typed was not asked for",
        )
        for route in held:
            route.continue_()
        self.page.unroute("**/api/value")
        half = self.until_kept("Drawn Round", lambda p: abs(p.controls["macro:striker"][1][1] - 0.75) < 1e-6)
        self.assertAlmostEqual(half.controls["macro:striker"][0][1], 0.4)
        self.redrawn(lambda: self.page.get_by_role("button", name="Smooth striker", exact=True).click())
        smooth = self.until_kept("Drawn Round", lambda p: len(p.controls["macro:striker"]) > 5)
        self.assertLess(max(value for _, value in smooth.controls["macro:striker"]), 0.75)
        self.redrawn(lambda: self.page.get_by_role("button", name="as a drawn curve").click())
        self.kept()
        curve = patch_of(self.page)["modules"][-1]
        self.assertEqual(curve["points"], smooth.controls["macro:striker"])
        self.redrawn(lambda: self.page.get_by_label("Play another lane").select_option("pressure"))
        self.redrawn(lambda: self.page.get_by_label("Play pressure as a curve goes").select_option(curve["id"]))
        back = self.until_kept("Drawn Round", lambda p: len(p.controls.get("pressure", [])) == len(curve["points"]))
        np.testing.assert_allclose(np.array(back.controls["pressure"]), np.array(curve["points"]), atol=1e-6)

    def test_the_pedal_holds_keys_until_it_is_up(self) -> None:
        self.live()
        pedal = self.page.get_by_role("button", name="Pedal")
        pedal.click()
        self.page.keyboard.press("g")
        self.eventually(lambda: self.heard.level() > 0.02, lambda: "the key was not heard")
        released = [message for message in self.heard.told if message.get("log", {}).get("off")]
        self.assertEqual(released, [])
        pedal.click()
        self.eventually(
            lambda: any(message.get("log", {}).get("off") for message in self.heard.told),
            lambda: "the key was never let go",
        )

    def test_the_sheet_draws_behind_the_hand_while_it_plays(self) -> None:
        def ink() -> int:
            drawn = self.page.locator('[data-drawn="cutoff"] canvas')
            script = """canvas => { const c = canvas.getContext('2d');
                const { data } = c.getImageData(0, 0, canvas.width, canvas.height);
                return data.filter((value, i) => i % 4 === 3 && value).length }"""
            return int(drawn.evaluate(script)) if drawn.count() else 0

        self.live()
        self.assertEqual(ink(), 0)
        self.page.get_by_role("button", name="Beat", exact=True).click()
        self.eventually(lambda: ink() > 100, lambda: "nothing was drawn behind the hand")
        self.page.get_by_role("button", name="Live", exact=True).click()
        expect(self.page.locator("[data-drawn]")).to_have_count(0)

    def test_a_window_that_goes_while_it_plays_leaves_what_was_played_to_the_next(self) -> None:
        laid = """new Promise((done) => {
            const asked = indexedDB.open('jorvik-played', 1);
            asked.onsuccess = () => {
                const counted = asked.result.transaction('sessions').objectStore('sessions').count();
                counted.onsuccess = () => { asked.result.close(); done(counted.result > 0); };
            };
        })"""
        self.live()
        self.page.keyboard.press("g")
        self.until(laid, "nothing was laid down")
        context, url = self.page.context, self.page.url
        self.page.close()
        self.page = context.new_page()
        self.page.goto(url)
        self.settle()
        said = self.page.get_by_role("status").filter(has_text="Something was being played")
        said.get_by_role("button", name="Keep it").click()
        kept = self.until_kept("As it was played", lambda p: len(p.played) == 1)
        self.assertEqual(kept.played[0].key, 54)

    def test_takes_are_printed_at_one_loudness_and_one_becomes_a_tone(self) -> None:
        first = self.keep_takes()[0]
        self.page.get_by_role("button", name=re.compile("^Takes")).click()
        self.page.get_by_label("Pick Barge Bell, take 1", exact=True).check()
        self.page.get_by_role("button", name="Print…").click()
        with self.page.expect_download() as download:
            self.page.get_by_role("dialog").get_by_role("button", name="Print", exact=True).click()
        sound, rate = soundfile.read(io.BytesIO(Path(download.value.path()).read_bytes()))
        made = printed(first).samples
        np.testing.assert_allclose(sound, made, atol=2e-7)
        # Two at the loudness of the quieter one, in one go.
        self.page.keyboard.press("Escape")
        self.page.get_by_label("Pick Barge Bell, take 2", exact=True).check()
        self.page.get_by_role("button", name="Print…").click()
        with self.page.expect_download() as download:
            self.page.get_by_role("dialog").get_by_role("button", name="Print", exact=True).click()
        with zipfile.ZipFile(download.value.path()) as archive:
            names = [f"barge-bell-take-{n}.wav" for n in (1, 2)]
            levels = [loudness(soundfile.read(io.BytesIO(archive.read(name)))[0], rate) for name in names]
            self.assertEqual(json.loads(archive.read("barge-bell-take-1.take.json"))["played"][0]["key"], 48)
        self.assertAlmostEqual(levels[0], levels[1], delta=0.05)
        self.page.keyboard.press("Escape")
        self.page.get_by_label("Pick Barge Bell, take 2", exact=True).uncheck()
        self.page.get_by_role("button", name="Print…").click()
        with self.page.expect_download():
            self.page.get_by_role("dialog").get_by_role("button", name="Print", exact=True).click()
        self.page.get_by_role("button", name="As the tone of a new patch").click()
        expect(self.name_field).to_have_value("Barge Bell, take 1, again")
        self.kept()
        again = render(check_patch(patch_of(self.page)), rate).samples
        # Mono, through an open filter: as loud as what was printed, and moving with it.
        self.assertAlmostEqual(loudness(again, rate), loudness(made, rate), delta=1.5)
        length = min(len(again), len(made)) - rate // 4
        both = np.corrcoef(again[:length].mean(axis=1), made[:length, 0])
        self.assertGreater(float(both[0, 1]), 0.9)


class EverythingDied(OnABell):
    shares_a_server = False

    def test_what_was_being_played_when_everything_died_is_kept(self) -> None:
        self.live()
        self.record()
        self.page.keyboard.down("g")
        self.eventually(lambda: self.heard.level() > 0.02, lambda: "the key was not heard")
        self.during(2)
        port, data = self.served.port, self.served.data
        before = len(self.takes())
        cluster().stop()
        self.addCleanup(cluster().ensure_started)
        type(self).served.stop()
        expect(self.page.get_by_text("connection was lost")).to_be_visible()
        expect(self.hands).to_have_count(0)
        context = self.page.context
        url = self.page.url
        self.page.close()
        cluster().ensure_started()
        type(self).served = Served(port, data)
        self.page = context.new_page()
        self.page.goto(url)
        self.settle()
        self.page.get_by_role("button", name="Keys", exact=True).click()
        self.live()
        # The pass that was not complete is a take too, with the key that was down.
        found = self.until_taken(max(before, 1) + 1)
        self.assertTrue(any(note.key not in (48, 55) for take in found for note in take.inside))


if __name__ == "__main__":
    unittest.main()
