"""The note in its place: a patch under a phrase, made and changed with pointer and keys, read and heard."""

import json
import re
import tempfile
import unittest
from pathlib import Path
from typing import Any

import mido
import numpy as np
import soundfile
from playwright.sync_api import Locator, Route, expect

from jorvik.core.document.patch import check_patch
from jorvik.core.document.phrase import Phrase, check_phrase
from jorvik.core.engine.trace import trace
from jorvik.core.measure.sound import loudness
from jorvik.core.voice.render import render
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PHRASES
from tests.browser.driver import MIRRORS
from tests.browser.test_bench import patch_of
from tests.browser.test_figures import OnThePage
from tests.support import RATE, demos


class UnderAPhrase(OnThePage):
    def under(self, name: str) -> None:
        self.redrawn(lambda: self.page.get_by_label("Played", exact=True).select_option(label=name))

    @property
    def score(self) -> Locator:
        return self.page.get_by_role("group", name="The phrase")

    def note(self, name: str) -> Locator:
        return self.score.get_by_role("button", name=re.compile(f"^Note {name}"))

    def phrase(self, name: str) -> Phrase:
        """A phrase, as the store has it."""
        found = self.found(name)
        assert found is not None, name
        return found

    def found(self, name: str) -> Phrase | None:
        """The phrase of a name that was changed last, where there is one."""
        store = DocumentStore(self.served.engine, PHRASES)
        named = sorted((head for head in store.heads() if head.name == name), key=lambda head: head.changed_at)
        return check_phrase(store.get(named[-1].id).document) if named else None

    def until_kept(self, name: str, so: Any) -> Phrase:
        """Wait until the store has all that the page has of a phrase, and something is so of it.

        A drag is kept on its way too, so that what the store has in the middle of one may already be so.
        """

        def is_so() -> bool:
            found = self.found(name) if self.page.evaluate(f"{MIRRORS} === 0") else None
            return found is not None and bool(so(found))

        self.eventually(is_so, lambda: f"{name} was not kept so")
        return self.phrase(name)

    def new_phrase(self) -> None:
        self.redrawn(lambda: self.page.get_by_label("Played", exact=True).select_option("new"))
        expect(self.page.get_by_label("Name of the phrase")).to_have_value("Untitled phrase")


class Phrases(UnderAPhrase):
    def test_a_patch_under_a_phrase_and_whose_voice_is_strong(self) -> None:
        self.under("Skaters' Round")
        self.redrawn(lambda: self.note("C4 at 1.2").click())
        self.figures_of("cutoff")
        of = check_patch(patch_of(self.page)).under(self.phrase("Skaters' Round"))
        values = trace(of, RATE, 3).lanes["cutoff"].value
        peak = int(np.argmax(values)) / RATE
        expect(self.aside).to_contain_text(f"{values.max():.4g} Hz after {1000 * peak:.4g} ms")
        # The choice is the patch's own, and outlives a reload.
        self.page.reload()
        self.settle()
        expect(self.page.get_by_label("Played", exact=True)).to_have_value(re.compile("."))
        expect(self.note("C4 at 1.2")).to_be_visible()
        self.open_demo("Ice Crack")
        expect(self.score).to_have_count(0)
        self.open_demo("Ferry Horn")
        self.redrawn(lambda: self.page.get_by_label("Played", exact=True).select_option(""))
        expect(self.page.get_by_label("Test velocity")).to_be_visible()

    def test_notes_are_moved_with_the_keys_and_undone_by_name(self) -> None:
        self.new_phrase()
        note = self.note("C3 at 1.1,")
        note.focus()
        for key in ("ArrowUp", "ArrowUp"):
            self.redrawn(lambda key=key: self.page.keyboard.press(key))  # type: ignore[misc]
        moved = self.note("D3 at 1.1,")
        expect(moved).to_be_visible()
        moved.focus()
        self.redrawn(lambda: self.page.keyboard.press("ArrowRight"))
        self.redrawn(lambda: self.page.keyboard.press("Alt+ArrowUp"))
        self.redrawn(lambda: self.page.keyboard.press("Alt+ArrowRight"))
        first = self.until_kept("Untitled phrase", lambda p: p.played[0].length > 1).played[0]
        self.assertEqual((first.key, first.at, first.velocity, first.length), (50, 0.25, 101, 1.15))
        self.undo_says("lengthen D3 at 1.1.25")
        self.redrawn(lambda: self.page.get_by_role("button", name=re.compile("^Undo")).click())
        self.undo_says("strike D3 at 1.1.25")
        self.note("D3 at 1.1.25").focus()
        self.redrawn(lambda: self.page.keyboard.press("Delete"))
        expect(self.note("D3")).to_have_count(0)

    def test_a_note_is_dragged_lengthened_and_added_with_the_pointer(self) -> None:
        self.new_phrase()
        sheet = self.page.get_by_role("slider", name="Time cursor").bounding_box()
        note = self.note("C3 at 1.1,").bounding_box()
        assert sheet is not None and note is not None
        tail = demos()["ferry-horn"]["performance"]["tail_s"]
        beat = sheet["width"] * (60 / 96) / (4 * 60 / 96 + tail)
        x, y = note["x"] + 8, note["y"] + 3
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + beat, y, steps=4)
        self.page.mouse.up()
        kept = self.until_kept("Untitled phrase", lambda p: p.played[0].at > 0)
        self.assertEqual((kept.played[0].at, kept.played[0].key, kept.played[0].length), (1.0, 48, 0.9))
        box = self.note("C3 at 1.2,").bounding_box()
        assert box is not None
        self.page.mouse.move(box["x"] + box["width"] - 2, box["y"] + 3)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + box["width"] - 2 + 0.6 * beat, box["y"] + 3, steps=4)
        self.page.mouse.up()
        self.until_kept("Untitled phrase", lambda p: p.played[0].length == 1.5)
        lanes = self.score.locator(".notes").bounding_box()
        assert lanes is not None
        self.page.mouse.dblclick(lanes["x"] + 3.3 * beat, lanes["y"] + 20)
        kept = self.until_kept("Untitled phrase", lambda p: len(p.played) == 3)
        self.assertEqual(kept.played[2].at, 3.25)

    def test_several_notes_are_moved_copied_and_changed_at_once(self) -> None:
        self.new_phrase()
        first = self.note("C3 at 1.1,")
        first.click()
        self.note("G3 at 1.3,").click(modifiers=["Shift"])
        expect(self.aside).to_contain_text("G3, and 1 more")
        second = self.note("G3 at 1.3,")
        second.focus()
        self.redrawn(lambda: self.page.keyboard.press("Shift+ArrowUp"))
        self.redrawn(lambda: self.page.keyboard.press("ArrowRight"))
        kept = self.until_kept("Untitled phrase", lambda p: p.played[0].at > 0)
        self.assertEqual([(n.key, n.at) for n in kept.played], [(60, 0.25), (67, 2.25)])
        self.undo_says("move 2 notes")
        # To the left of the beginning they stay together.
        for _ in range(2):
            self.note("G4").press("ArrowLeft")
        kept = self.until_kept("Untitled phrase", lambda p: p.played[0].at == 0)
        self.assertEqual([n.at for n in kept.played], [0, 2])
        self.redrawn(lambda: self.note("G4").press("Control+d"))
        kept = self.until_kept("Untitled phrase", lambda p: len(p.played) == 4)
        # The last of them ends at 2.9, and the next step is the third beat.
        self.assertEqual([(n.key, n.at) for n in kept.played[2:]], [(60, 3), (67, 5)])
        self.redrawn(lambda: self.type_into("transpose the notes", "-1 oct"))
        kept = self.until_kept("Untitled phrase", lambda p: p.played[2].key == 48)
        self.assertEqual([n.key for n in kept.played], [60, 67, 48, 55])
        self.redrawn(lambda: self.type_into("stretch the notes", "0.5"))
        kept = self.until_kept("Untitled phrase", lambda p: p.played[3].at == 4)
        self.assertEqual([(n.at, n.length) for n in kept.played[2:]], [(3, 0.45), (4, 0.45)])
        # One is copied to where the cursor stands, which is nearest to the second beat.
        self.note("C4 at 1.1,").click()
        axis = self.page.get_by_role("slider", name="Time cursor").bounding_box()
        assert axis is not None
        tail = demos()["ferry-horn"]["performance"]["tail_s"]
        self.note("C4 at 1.1,").press("Control+c")
        beat = axis["width"] * (60 / 96) / (5.5 * 60 / 96 + tail)
        self.page.mouse.move(axis["x"] + 1.05 * beat, axis["y"] + 5)
        self.redrawn(lambda: self.note("C4 at 1.1,").press("Control+v"))
        pasted = self.until_kept("Untitled phrase", lambda p: len(p.played) == 5).played[4]
        self.assertEqual((pasted.key, pasted.at, pasted.length), (60, 1.0, kept.played[0].length))
        before = self.phrase("Untitled phrase").played
        self.redrawn(lambda: self.page.get_by_role("button", name="Humanise").click())
        by_hand = self.until_kept("Untitled phrase", lambda p: p.played != before).played
        self.assertLessEqual(
            max(abs(a.at - b.at) * 60 / 96 for a, b in zip(before, by_hand, strict=True)), 0.012 + 1e-9
        )
        notes = self.score.locator(".notes").bounding_box()
        assert notes is not None
        self.page.mouse.move(notes["x"] + 1, notes["y"] + 1)
        self.page.mouse.down()
        self.page.mouse.move(notes["x"] + notes["width"] - 1, notes["y"] + notes["height"] - 1, steps=3)
        self.page.mouse.up()
        expect(self.aside).to_contain_text("and 4 more")
        self.redrawn(lambda: self.note("C4").first.press("Delete"))
        self.until_kept("Untitled phrase", lambda p: not p.played)
        self.undo_says("remove 5 notes")

    def test_a_stroke_is_moved_and_struck_harder_with_the_pointer(self) -> None:
        self.under("Ice-Hammer Beat")
        sheet = self.page.get_by_role("slider", name="Time cursor").bounding_box()
        stroke = self.score.get_by_role("button", name=re.compile("^Stroke of thud at 1.3,")).bounding_box()
        assert sheet is not None and stroke is not None
        before = self.phrase("Ice-Hammer Beat")
        tail = demos()["ferry-horn"]["performance"]["tail_s"]
        beat = sheet["width"] * before.beat_s / (before.seconds + tail)
        x, y = stroke["x"] + 2, stroke["y"] + stroke["height"] - 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 0.5 * beat, y, steps=4)
        self.page.mouse.up()
        kept = self.until_kept("Ice-Hammer Beat", lambda p: p != before)
        moved = [s for s in kept.hits[0].strikes if s not in before.hits[0].strikes]
        self.assertEqual([(s.at, s.strength) for s in moved], [(2.5, 0.9)])
        self.page.get_by_role("button", name=re.compile("^Undo")).click()
        self.until_kept("Ice-Hammer Beat", lambda p: p == before)

    def test_figures_of_a_note_are_typed_in_beats_or_time(self) -> None:
        self.new_phrase()
        self.redrawn(lambda: self.note("G3").click())
        self.redrawn(lambda: self.type_into("note at", "1/8d"))
        self.redrawn(lambda: self.type_into("note length", "500 ms"))
        self.redrawn(lambda: self.type_into("note key", "A3"))
        self.redrawn(lambda: self.type_into("phrase tempo", "120"))
        kept = self.until_kept("Untitled phrase", lambda p: p.tempo_bpm == 120).played[1]
        # Half a second is 0.8 of a beat at the tempo that it was typed at.
        self.assertEqual((kept.key, kept.at, kept.length), (57, 0.75, 0.8))
        self.type_into("note velocity", "500")
        expect(self.page.get_by_role("alert")).to_contain_text("0 to 127")

    def test_the_axis_counts_beats_and_the_other_voices_stand_behind(self) -> None:
        self.under("Landing Steps")
        self.redrawn(lambda: self.note("E3 at 1.2").click())
        # Those behind the voice that was strong before may still be on their way.
        others = {0, *range(2, 9)}

        def voices() -> list[set[int]]:
            found = [message["voices"] for message in self.received if message["type"] == "voices"]
            return [{voice["number"] for voice in each} for each in found]

        self.eventually(lambda: others in voices(), lambda: f"the other voices were never {others}: {voices()}")
        axis = self.page.get_by_role("slider", name="Time cursor")
        expect(axis).to_contain_text("2 s")
        self.page.get_by_role("button", name="in beats").click()
        expect(axis).to_contain_text("2.1")
        axis.focus()
        self.page.keyboard.press("ArrowRight")
        # Where the strong voice is not yet, or no more, nothing is read.
        expect(self.stave("Cutoff").locator("output")).to_have_text("–")

    def test_macros_wheel_and_phrases_are_compared_under_the_phrase(self) -> None:
        self.open_demo("Barge Bell")
        self.under("Landing Steps")
        self.page.get_by_role("tab", name="Compare").click()
        choice = self.page.get_by_label("What is compared")
        choice.select_option("macro striker, none to full")
        rows = self.page.get_by_role("table", name="the difference from the first").locator("tbody tr")
        expect(rows).to_have_count(5)
        self.page.get_by_role("button", name="Cutoff", exact=True).click()
        under, bell = self.phrase("Landing Steps"), check_patch(patch_of(self.page))
        full = under.model_copy(update={"controls": {"macro:striker": [[0.0, 1.0]]}})
        peak = float(trace(bell.under(full), RATE, 0).lanes["cutoff"].value.max())
        expect(rows.nth(4)).to_contain_text(f"{peak / 1000:.4g} kHz")
        sound = render(bell.under(full))
        expect(rows.nth(4)).to_contain_text(f"{loudness(sound.samples, RATE):.3g} LUFS".replace("-", "−"))
        # What is played is the step, macro and all.
        with self.page.expect_request("**/api/sound") as asked:
            rows.nth(4).get_by_role("button", name="Play 100 %").click()
        body: Any = asked.value.post_data_json
        self.assertEqual(body["phrase"]["controls"], {"macro:striker": [[0, 1]]})
        choice.select_option("phrases")
        expect(rows).to_have_count(1)
        self.page.get_by_label("Add a phrase to compare with").select_option("test note")
        self.page.get_by_label("Add a phrase to compare with").select_option(label="Skaters' Round")
        expect(rows).to_have_count(3)
        expect(rows.nth(1)).to_contain_text("test note")
        expect(rows.nth(2)).to_contain_text("Skaters' Round")
        alone = float(trace(bell, RATE).lanes["cutoff"].value.max())
        expect(rows.nth(1)).to_contain_text(f"{alone / 1000:.4g} kHz")

    def test_a_phrase_that_does_not_go_under_a_patch_gives_way_to_the_test_note(self) -> None:
        self.open_demo("Night Watch")
        self.new_phrase()
        self.redrawn(lambda: self.page.get_by_label("Play another lane").select_option("macro:watch"))
        self.redrawn(lambda: self.type_into("Name of the phrase", "Watch alone"))
        expect(self.page.get_by_label("Played", exact=True)).to_contain_text("Watch alone")
        self.until_kept("Watch alone", lambda p: "macro:watch" in p.controls)
        self.open_demo("Ferry Horn")
        self.page.get_by_label("Played", exact=True).select_option(label="Watch alone")
        expect(self.page.get_by_text("macro:watch")).to_be_visible()
        expect(self.page.get_by_label("Played", exact=True)).to_have_value("")
        expect(self.page.get_by_label("Test velocity")).to_be_visible()

    def test_edits_of_two_windows_on_one_phrase_are_merged(self) -> None:
        self.new_phrase()
        self.until_kept("Untitled phrase", lambda p: len(p.played) == 2)
        store = DocumentStore(self.served.engine, PHRASES)
        head = max((h for h in store.heads() if h.name == "Untitled phrase"), key=lambda h: h.changed_at)
        theirs = {**store.get(head.id).document, "bars": 3}
        store.write_draft(head.id, theirs, store.get(head.id).sequence)
        self.redrawn(lambda: self.type_into("phrase tempo", "120"))
        expect(self.page.get_by_label("phrase bars")).to_have_value("3")
        expect(self.page.get_by_label("phrase tempo", exact=True)).to_have_value("120 bpm")
        merged = self.until_kept("Untitled phrase", lambda p: p.tempo_bpm == 120)
        self.assertEqual(merged.bars, 3)

    def test_a_lane_is_played_by_points(self) -> None:
        self.new_phrase()
        self.redrawn(lambda: self.page.get_by_label("Play another lane").select_option("mod_wheel"))
        lane = self.score.get_by_role("group", name="Played mod wheel")
        first = lane.get_by_role("button", name=re.compile("^Point 1 of mod wheel"))
        first.focus()
        self.redrawn(lambda: self.page.keyboard.press("ArrowUp"))
        self.redrawn(lambda: self.page.keyboard.press("ArrowRight"))
        kept = self.until_kept("Untitled phrase", lambda p: p.controls.get("mod_wheel", [[0]])[0][0] > 0)
        self.assertEqual(kept.controls["mod_wheel"], [[0.25, 0.05], [4, 1]])
        box = lane.bounding_box()
        assert box is not None
        self.redrawn(lambda: self.page.mouse.dblclick(box["x"] + 0.4 * box["width"], box["y"] + box["height"] / 2))
        kept = self.until_kept("Untitled phrase", lambda p: len(p.controls["mod_wheel"]) == 3)
        self.assertAlmostEqual(kept.controls["mod_wheel"][1][1], 0.5, delta=0.03)
        # What is played is what the sheet works on.
        self.say("mod wheel raises fold 100%")
        self.kept()
        of = check_patch(patch_of(self.page)).under(kept)
        self.assertAlmostEqual(float(trace(of, RATE, 0).lanes["fold"].value[0]), 0.05, places=6)
        self.redrawn(lambda: lane.get_by_role("button").last.press("Delete"))
        self.undo_says("a point less of mod wheel")

    def say(self, sentence: str) -> None:
        field = self.page.get_by_label("Say a route")
        field.fill(sentence)
        self.redrawn(lambda: field.press("Enter"))

    def test_a_row_is_typed_and_a_pattern_made(self) -> None:
        self.new_phrase()
        row = self.page.get_by_label("Notes typed in a row")
        row.fill("C3 1/8 E3 1/8d . G3 1/4 v112")
        self.redrawn(lambda: row.press("Enter"))
        kept = self.until_kept("Untitled phrase", lambda p: len(p.played) == 3)
        self.assertEqual([(n.key, n.at, n.velocity) for n in kept.played], [(48, 0, 96), (52, 0.5, 96), (55, 2, 112)])
        row.fill("C3 1/8 H3")
        row.press("Enter")
        expect(self.page.get_by_text('word 3 of the row: found "H3"')).to_be_visible()
        self.page.get_by_role("button", name="To a pattern").click()
        self.page.get_by_label("pattern kind").select_option("down")
        self.page.get_by_label("Rate of the pattern").fill("1/4")
        self.redrawn(lambda: self.page.get_by_role("button", name="Make its notes").click())
        kept = self.until_kept("Untitled phrase", lambda p: len(p.played) == 4)
        self.assertEqual([n.key for n in kept.played], [55, 51, 48, 55])
        self.redrawn(lambda: self.page.get_by_role("button", name="Twice").click())
        self.assertEqual(self.until_kept("Untitled phrase", lambda p: len(p.played) == 8).bars, 2)

    def test_a_track_of_hits_is_added_struck_and_heard(self) -> None:
        self.new_phrase()
        self.redrawn(lambda: self.page.get_by_role("button", name="+ a track of hits").click())
        stroke = self.score.get_by_role("button", name=re.compile("^Stroke of thud"))
        expect(stroke).to_have_count(1)
        stroke.focus()
        self.redrawn(lambda: self.page.keyboard.press("ArrowDown"))
        self.redrawn(lambda: self.page.keyboard.press("ArrowRight"))
        kept = self.until_kept("Untitled phrase", lambda p: p.hits and p.hits[0].strikes[0].at > 0)
        self.assertEqual((kept.hits[0].strikes[0].at, kept.hits[0].strikes[0].strength), (0.25, 0.95))
        self.asked("hear", self.page.get_by_role("button", name="Play", exact=True).click)
        expect(self.page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
        self.page.get_by_role("button", name="Stop", exact=True).click()

    def test_nothing_is_chosen_before_there_is_a_patch_to_play(self) -> None:
        held: list[Route] = []
        self.page.route(re.compile(r"/api/patches/[0-9a-f-]+$"), lambda route: held.append(route))
        self.page.reload()
        self.eventually(lambda: bool(held), lambda: "no patch was asked for")
        choice = self.page.get_by_label("Played", exact=True)
        expect(choice).to_have_count(1)
        expect(choice).not_to_be_visible()
        held[0].continue_()
        expect(choice).to_be_visible()

    def test_the_guard_before_playing_hears_the_whole_phrase(self) -> None:
        first = {"key": 48, "at": 0, "length": 1}
        chord = [{"key": 30 + 2 * n, "at": 2, "length": 1, "velocity": 120} for n in range(20)]
        store = DocumentStore(self.served.engine, PHRASES)
        for name, played in (("One Note", [first]), ("And Then Twenty", [first, *chord])):
            head = {"format": "jorvik-phrase", "version": 1, "tempo_bpm": 120, "bars": 1}
            store.create({**head, "name": name, "played": played})
        self.page.reload()
        self.settle()
        self.redrawn(lambda: self.type_into("Amplitude set value", "3 %"))
        play = self.page.get_by_role("button", name="Play", exact=True)
        for name in ("One Note", "And Then Twenty"):
            expect(play).to_be_visible()
            self.under(name)
            self.asked("hear", play.click)
        # Both begin alike; what is louder comes later.
        expect(self.page.get_by_role("alert")).to_contain_text(re.compile("dB louder than the last one played"))

    def test_a_strangers_midi_file_is_played_and_one_is_written(self) -> None:
        file = mido.MidiFile(ticks_per_beat=480)
        track = mido.MidiTrack()
        track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(110), time=0))
        for key in (50, 57, 62):
            track.append(mido.Message("note_on", note=key, velocity=90, time=0))
            track.append(mido.Message("note_off", note=key, velocity=0, time=240))
        file.tracks.append(track)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a round.mid"
            file.save(path)
            self.new_phrase()
            self.redrawn(lambda: self.page.get_by_label("Choose a phrase, MIDI or WAV file").set_input_files(path))
            expect(self.page.get_by_label("Name of the phrase")).to_have_value("a round")
            self.assertEqual([n.key for n in self.phrase("a round").played], [50, 57, 62])
            with self.page.expect_download() as download:
                self.page.get_by_role("button", name="MIDI file", exact=True).click()
            out = Path(folder) / "out.mid"
            download.value.save_as(out)
            self.assertEqual(mido.MidiFile(out).tracks[1].name, "notes")
            self.page.get_by_role("button", name="MIDI with controllers").click()
            self.page.get_by_label("Write a lane as a controller").select_option("cutoff")
            self.page.get_by_label("In 14 bits").check()
            self.type_into("Controller of cutoff", "20")
            with self.page.expect_download() as download:
                self.page.get_by_role("button", name="Write it").click()
            download.value.save_as(out)
            controls = {m.control for track in mido.MidiFile(out).tracks for m in track if m.type == "control_change"}
            self.assertEqual(controls, {20, 52})
            with self.page.expect_download() as download:
                self.page.get_by_role("button", name="Phrase file").click()
            kept = Path(folder) / "out.json"
            download.value.save_as(kept)
            self.assertEqual(check_phrase(json.loads(kept.read_text())), self.phrase("a round"))
            loop, rate = Path(folder) / "loop.wav", 22_050
            sound, ring = np.zeros(2 * rate), np.exp(-np.arange(2000) / 300)
            for place, level in ((0.0, 0.9), (0.5, 0.4), (1.0, 0.9), (1.5, 0.4)):
                first = round(place * rate)
                sound[first : first + 2000] += level * ring * np.random.default_rng(first).uniform(-1, 1, 2000)
            soundfile.write(loop, sound, rate)
            chosen = self.page.get_by_label("Choose a phrase, MIDI or WAV file")
            self.redrawn(lambda: chosen.set_input_files(loop))
            # What was heard stands there to be corrected: a track with a stroke for each.
            expect(self.score.get_by_role("button", name=re.compile("^Stroke of"))).to_have_count(4)
            beat = self.until_kept("loop", lambda p: p.hits)
            np.testing.assert_allclose(np.diff([s.at * beat.beat_s for s in beat.hits[0].strikes]), 0.5, atol=0.03)
            self.redrawn(lambda: self.page.get_by_label("Played", exact=True).select_option(label="a round"))
            broken = Path(folder) / "broken.mid"
            broken.write_bytes(b"MThd")
            self.page.get_by_label("Choose a phrase, MIDI or WAV file").set_input_files(broken)
            expect(self.page.get_by_text("something that cannot be read")).to_be_visible()
            expect(self.page.get_by_label("Name of the phrase")).to_have_value("a round")


if __name__ == "__main__":
    unittest.main()
