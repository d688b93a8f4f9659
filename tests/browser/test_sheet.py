"""The note sheet, used as a programmer uses it."""

import json
import re
import tempfile
import unittest
from pathlib import Path

import soundfile
from playwright.sync_api import FilePayload, expect

from tests.browser.driver import BrowserCase
from tests.support import document


class Figure(BrowserCase):
    def test_the_first_start_shows_a_note_that_moves(self) -> None:
        expect(self.name_field).to_have_value("Ferry Horn")
        for name in ("Pitch", "Cutoff", "Wavetable position", "Amplitude"):
            expect(self.stave(name)).to_be_visible()
            self.assertGreater((self.ink(name) < 70).sum(), 500, name)
        for source in ("swell", "lip", "shake", "breath"):
            expect(self.page.get_by_role("button", name=re.compile(f"^Source {source}"))).to_be_visible()
        self.assertFalse(self.page.evaluate("document.documentElement.scrollHeight > innerHeight"))

    def test_the_cursor_reads_every_stave_and_ribbons_open_under_it(self) -> None:
        axis = self.page.get_by_role("slider", name="Time cursor")
        box = axis.bounding_box()
        assert box is not None
        self.page.mouse.move(box["x"] + box["width"] * 2.0 / 2.3, box["y"] + 200)
        expect(axis).to_have_attribute(
            "aria-valuetext", re.compile(r"^At (1\.99\d|2) s: Pitch .*Cutoff .*Hz; Wavetable")
        )
        expect(self.stave("Cutoff").locator("output")).to_have_text(re.compile(r"^1[789]\d(\.\d)? Hz$"))
        axis.focus()
        before = axis.get_attribute("aria-valuenow")
        axis.press("ArrowRight")
        self.assertNotEqual(axis.get_attribute("aria-valuenow"), before)
        self.page.get_by_role("button", name="Open the ribbons under cutoff").click()
        expect(self.stave("Cutoff")).to_contain_text("shake: −1.5 st to 1.5 st")

    def test_the_theme_and_the_level_which_starts_low_are_remembered(self) -> None:
        level = self.page.get_by_role("slider", name="Playback level")
        self.assertLessEqual(float(level.input_value()), 0.3)
        level.fill("0.6")
        light = self.page.evaluate("getComputedStyle(document.body).backgroundColor")
        self.page.get_by_role("button", name="Dark theme").click()
        self.assertNotEqual(self.page.evaluate("getComputedStyle(document.body).backgroundColor"), light)
        self.page.reload()
        self.settle()
        expect(self.page.get_by_role("button", name="Light theme")).to_be_visible()
        self.assertEqual(level.input_value(), "0.6")


class Editing(BrowserCase):
    def test_a_typed_amount_moves_the_curve_and_is_undone_by_name(self) -> None:
        label = "Amount of swell on cutoff"
        before = self.curve_top("Wavetable position")
        table = "Amount of swell on wavetable position"
        self.redrawn(lambda: self.type_into(table, "5%"))
        self.assertNotEqual(self.curve_top("Wavetable position"), before)
        self.undo_says("swell on wavetable position 5 %")
        self.redrawn(lambda: self.type_into(label, "2oct"))
        expect(self.page.get_by_label(label, exact=True)).to_have_value("24 st")
        self.redrawn(lambda: self.page.keyboard.press("Control+z"))
        expect(self.page.get_by_label(label, exact=True)).to_have_value("44 st")
        self.redrawn(lambda: self.page.get_by_role("button", name=re.compile("^Undo")).click())
        self.assertEqual(self.curve_top("Wavetable position"), before)
        self.redrawn(lambda: self.page.get_by_role("button", name=re.compile("^Redo")).click())
        expect(self.page.get_by_label(table, exact=True)).to_have_value("5 %")

    def test_stages_are_dragged_on_the_curve(self) -> None:
        self.page.get_by_role("button", name=re.compile("^Source swell")).click()
        handle = self.page.get_by_role("button", name=re.compile("^swell: decay ends"))
        box = handle.bounding_box()
        assert box is not None
        x, y = box["x"] + 7, box["y"] + 7
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        for step in range(1, 9):
            self.page.mouse.move(x - 8 * step, y + 4 * step)
        self.page.mouse.up()
        decay = self.page.get_by_label("swell decay", exact=True)
        expect(decay).not_to_have_value("600 ms")
        expect(self.page.get_by_label("swell sustain", exact=True)).not_to_have_value("62 %")
        milliseconds = float(decay.input_value().split()[0])
        width = self.page.get_by_role("slider", name="Time cursor").bounding_box()
        assert width is not None
        self.assertAlmostEqual(milliseconds, 600 - 64 / width["width"] * 2300, delta=12)
        self.page.keyboard.press("Control+z")
        expect(decay).to_have_value("600 ms")
        handle.focus()
        handle.press("ArrowRight")
        expect(decay).to_have_value("630 ms")

    def test_nothing_that_appears_under_the_pointer_takes_a_click_on_a_figure(self) -> None:
        self.redrawn(lambda: self.type_into("Amount of swell on cutoff", "-43.123st"))
        stave = self.stave("Cutoff")
        field = stave.get_by_label("Amount of swell on cutoff", exact=True)
        field.hover()
        figure = field.bounding_box()
        assert figure is not None
        for act in ("Mute", "Remove"):
            box = stave.get_by_role("button", name=f"{act} swell on cutoff").or_(
                stave.get_by_role("button", name=f"{act} swell from cutoff")
            )
            appears = box.bounding_box()
            assert appears is not None
            self.assertGreaterEqual(appears["x"], figure["x"] + figure["width"], act)
        self.page.mouse.click(figure["x"] + figure["width"] - 3, figure["y"] + figure["height"] / 2)
        expect(field).to_be_focused()
        expect(stave.get_by_role("button", name="Mute swell on cutoff")).to_have_count(1)

    def test_sources_and_routes_are_added_changed_muted_and_removed(self) -> None:
        self.redrawn(lambda: self.page.get_by_label("Add a source").select_option("lfo"))
        expect(self.page.get_by_label("Name of the source")).to_have_value("lfo")
        self.redrawn(lambda: self.page.get_by_label("Let lfo move something").select_option("pan"))
        expect(self.stave("Pan")).to_be_visible()
        self.page.get_by_role("button", name=re.compile("^Source lfo")).click()
        self.redrawn(lambda: self.type_into("lfo rate", "1/8"))
        expect(self.page.get_by_role("button", name=re.compile("^Source lfo"))).to_contain_text("every 1/8")
        self.page.get_by_label("Name of the source").fill("swing")
        self.page.get_by_label("Name of the source").press("Enter")
        pan = self.stave("Pan")
        expect(pan.get_by_role("button", name="swing", exact=True)).to_be_visible()
        pan.get_by_role("group").hover()
        self.redrawn(lambda: pan.get_by_role("button", name="Mute swing on pan").click())
        expect(pan.locator("output")).to_have_text("0 %")
        self.redrawn(lambda: pan.get_by_role("button", name="Unmute swing on pan").click())
        expect(pan.locator("output")).not_to_have_text("0 %")
        self.redrawn(lambda: self.page.get_by_role("button", name="Mute it").click())
        expect(self.page.get_by_role("button", name="Unmute it")).to_be_visible()
        self.redrawn(lambda: self.page.get_by_role("button", name="Remove it").click())
        expect(self.page.get_by_role("button", name=re.compile("^Source swing"))).to_have_count(0)
        self.undo_says("remove swing")
        self.redrawn(lambda: self.page.get_by_role("button", name=re.compile("^Undo")).click())
        expect(self.page.get_by_role("button", name=re.compile("^Source swing"))).to_be_visible()

    def test_a_route_is_told_in_full(self) -> None:
        self.stave("Cutoff").get_by_role("button", name="swell", exact=True).click()
        page = self.page.get_by_role("complementary")
        expect(page).to_contain_text("swell raises cutoff 44 st, scaled by velocity")
        self.redrawn(lambda: page.get_by_label("What scales the route").select_option("mod_wheel"))
        self.redrawn(lambda: page.get_by_label("Mode of the route").select_option("range"))
        self.redrawn(lambda: self.type_into("High end of the range", "5kHz"))
        expect(self.stave("Cutoff").get_by_role("group").first).to_contain_text("sets it")
        self.redrawn(lambda: page.get_by_label("Polarity of the route").select_option("bipolar"))
        self.redrawn(lambda: page.get_by_label("Mode of the route").select_option("scale"))

    def test_every_kind_of_source_can_be_added_and_stands(self) -> None:
        kinds = self.page.get_by_label("Add a source").locator("option").evaluate_all("all => all.map(o => o.value)")
        for kind in filter(None, kinds):
            self.redrawn(lambda kind=kind: self.page.get_by_label("Add a source").select_option(kind))  # type: ignore[misc]
        expect(self.page.get_by_role("button", name=re.compile("^Source "))).to_have_count(4 + len(kinds) - 1)
        expect(self.page.get_by_role("alert")).to_have_count(0)

    def test_a_change_that_cannot_be_is_taken_back(self) -> None:
        self.redrawn(lambda: self.page.get_by_label("Add a source").select_option("quantise"))
        self.type_into("quantise root", "99")
        expect(self.page.get_by_role("alert")).to_contain_text("0 to 11")
        self.undo_says("add quantise")
        self.page.get_by_role("button", name=re.compile("^Source shake")).click()
        self.redrawn(lambda: self.page.get_by_label("shake shape", exact=True).select_option("drawn"))
        expect(self.page.get_by_role("slider", name="Point 2 of shake at 0.5, 1", exact=True)).to_be_visible()

    def test_the_test_note(self) -> None:
        self.redrawn(lambda: self.type_into("Test key", "C3"))
        self.redrawn(lambda: self.type_into("Test length", "1/4"))
        expect(self.page.get_by_label("Test length", exact=True)).to_have_value("833.3 ms")
        self.redrawn(lambda: self.page.get_by_role("button", name="hard", exact=True).click())
        expect(self.page.get_by_label("Test velocity", exact=True)).to_have_value("118")
        self.redrawn(lambda: self.page.get_by_role("button", name="All three").click())
        self.type_into("Test length", "0s")
        expect(self.page.get_by_role("alert")).to_contain_text("0.001 to 60")
        self.type_into("Test length", "60min")
        expect(self.page.get_by_role("alert").last).to_contain_text("3600")


class Playing(BrowserCase):
    def test_play_moves_a_playhead_and_stops(self) -> None:
        self.page.get_by_role("button", name="Play", exact=True).click()
        expect(self.page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
        head = self.page.locator(".line.head")
        expect(head).to_be_visible()
        at = "document.querySelector('.line.head')?.getBoundingClientRect().x"
        first = self.page.evaluate(at)
        self.until(f"{at} > {first} + 10", "the playhead stands still")
        expect(self.page.get_by_role("button", name="Play", exact=True)).to_be_visible()
        expect(head).to_have_count(0)

    def test_a_change_is_heard_at_the_next_pass_of_a_loop(self) -> None:
        self.open_demo("Ice Crack")
        self.page.get_by_role("button", name="Loop").click()
        self.asked("hear", self.page.get_by_role("button", name="Play", exact=True).click)
        before = len(self.sent)
        self.asked("hear", lambda: self.type_into("Amount of snap on pitch", "12st"))
        # The sound is of the document after the edit.
        edit, *later = [message for message in self.sent[before:] if message["type"] in ("edit", "hear")]
        self.assertEqual([each["value"] for each in edit["operations"] if each["at"][-1] == "amount"], [12])
        self.assertIn("hear", [message["type"] for message in later])
        # Ice Crack lasts for less than a second: the next pass is under way when the head is back at the start.
        at = "document.querySelector('.line.head')?.getBoundingClientRect().x"
        self.until(f"{at} > (window.farthest = Math.max(window.farthest ?? 0, {at})) - 1 && {at} > 600", "no playhead")
        self.until(f"{at} < 600", "it did not begin again")
        expect(self.page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
        self.page.get_by_role("button", name="Stop", exact=True).click()


class Files(BrowserCase):
    def test_patch_sound_and_trace_are_downloaded(self) -> None:
        self.page.get_by_role("button", name="Patches", exact=True).click()
        with tempfile.TemporaryDirectory() as folder:
            for button, name in (
                ("Patch file", "ferry-horn.json"),
                ("Trace (CSV)", "ferry-horn.csv"),
            ):
                with self.page.expect_download() as download:
                    self.page.get_by_role("button", name=button, exact=True).click()
                self.assertEqual(download.value.suggested_filename, name)
                download.value.save_as(Path(folder) / name)
            self.page.get_by_role("button", name="Sound or voltage (WAV)…").click()
            dialog = self.page.get_by_role("dialog")
            for what, name in (("sound", "ferry-horn.wav"), ("lane.cutoff", "ferry-horn-lane-cutoff.wav")):
                dialog.get_by_label("What is written").select_option(what)
                if what != "sound":
                    expect(dialog.get_by_role("note")).to_contain_text("never play this file through loudspeakers")
                with self.page.expect_download() as download:
                    dialog.get_by_role("button", name="Write the file").click()
                self.assertEqual(download.value.suggested_filename, name)
                download.value.save_as(Path(folder) / name)
            expect(dialog.get_by_role("status")).to_contain_text("full scale is 10 V")
            self.assertEqual(json.loads((Path(folder) / "ferry-horn.json").read_text())["name"], "Ferry Horn")
            self.assertEqual(soundfile.info(Path(folder) / "ferry-horn.wav").subtype, "PCM_24")
            with (Path(folder) / "ferry-horn.csv").open() as file:
                self.assertTrue(file.readline().startswith("time_s,signal.swell,"))

    def test_a_long_file_is_made_behind_and_can_be_given_up(self) -> None:
        self.type_into("Test length", "50 s")
        self.kept()
        self.page.get_by_role("button", name="Patches", exact=True).click()
        self.page.get_by_role("button", name="Sound or voltage (WAV)…").click()
        self.page.get_by_role("dialog").get_by_role("button", name="Write the file").click()
        expect(self.page.get_by_role("dialog").get_by_role("status")).to_contain_text("may be closed")
        self.page.reload()
        self.settle()
        self.page.get_by_role("button", name=re.compile(r"^Files: \d+ %")).click()
        files = self.page.get_by_role("dialog")
        expect(files.get_by_text(re.compile(r"is made, [1-9]\d* %"))).to_be_visible()
        files.get_by_role("button", name="Cancel Sound of Ferry Horn").click()
        expect(files.get_by_text("cancelled", exact=True)).to_be_visible()
        files.get_by_role("button", name="Forget Sound of Ferry Horn").click()
        expect(files).to_contain_text("Nothing is being made")

    def test_a_bad_file_is_refused_the_open_patch_untouched_and_a_good_one_opened(self) -> None:
        bad = {
            "{": "line 1",
            json.dumps(document([{"id": f"m{i}", "kind": "constant"} for i in range(10_000)])): "64 at most",
            '{"format": "jorvik-patch", "version": 1, "name": NaN}': "NaN",
        }
        for text, said in bad.items():
            self.choose("bad.json", text)
            expect(self.page.get_by_role("alert").last).to_contain_text(said)
            expect(self.name_field).to_have_value("Ferry Horn")
        with tempfile.TemporaryDirectory() as folder:
            large = Path(folder) / "large.json"
            large.write_bytes(b" " * 100_000_000)
            self.page.get_by_role("button", name="Patches", exact=True).click()
            self.page.get_by_label("Choose a patch file").set_input_files(large)
            expect(self.page.get_by_role("alert").last).to_contain_text("100 MB")
        self.choose("wheel.json", json.dumps(document([{"id": "turn", "kind": "lfo"}], name="Mill Wheel")))
        expect(self.name_field).to_have_value("Mill Wheel")
        expect(self.page.get_by_role("button", name=re.compile("^Source turn"))).to_be_visible()

    def choose(self, name: str, text: str) -> None:
        self.page.get_by_role("button", name="Patches", exact=True).click()
        file: FilePayload = {"name": name, "mimeType": "application/json", "buffer": text.encode()}
        self.page.get_by_label("Choose a patch file").set_input_files([file])


if __name__ == "__main__":
    unittest.main()
