"""The note in its place: a patch under a phrase, made and changed with pointer and keys, read and heard."""

import json
import re
import tempfile
import time
import unittest
from pathlib import Path
from typing import Any

import mido
import numpy as np
from playwright.sync_api import Locator, expect

from jorvik.core.document.patch import check_patch
from jorvik.core.document.phrase import Phrase, check_phrase
from jorvik.core.engine.trace import trace
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PHRASES
from tests.browser.test_bench import patch_of
from tests.browser.test_figures import OnThePage, number
from tests.support import PATIENCE_S, RATE, demos


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
        """Wait until the store has a phrase of which something is so."""
        end = time.monotonic() + PATIENCE_S
        while not ((found := self.found(name)) and so(found)):
            self.assertLess(time.monotonic(), end, f"{name} was not kept so")
            self.page.wait_for_timeout(20)
        return found

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

    def test_figures_of_a_note_are_typed_in_beats_or_time(self) -> None:
        self.new_phrase()
        self.redrawn(lambda: self.note("G3").click())
        self.redrawn(lambda: self.type_into("Note begins at", "1/8d"))
        self.redrawn(lambda: self.type_into("Note lasts", "500 ms"))
        self.redrawn(lambda: self.type_into("Note key", "A3"))
        self.redrawn(lambda: self.type_into("Tempo of the phrase", "120"))
        kept = self.until_kept("Untitled phrase", lambda p: p.tempo_bpm == 120).played[1]
        # Half a second is 0.8 of a beat at the tempo that it was typed at.
        self.assertEqual((kept.key, kept.at, kept.length), (57, 0.75, 0.8))
        self.type_into("Note velocity", "500")
        expect(self.page.get_by_role("alert")).to_contain_text("0 to 127")

    def test_the_axis_counts_beats_and_the_other_voices_stand_behind(self) -> None:
        self.under("Landing Steps")
        # Those behind the voice that was strong before may still be on their way.
        with self.page.expect_response(
            lambda r: r.url.endswith("/api/voices") and (r.request.post_data_json or {})["voice"] == 1
        ) as answered:
            self.redrawn(lambda: self.note("E3 at 1.2").click())
        self.assertEqual(sorted(voice["number"] for voice in answered.value.json()), [0, *range(2, 9)])
        axis = self.page.get_by_role("slider", name="Time cursor")
        expect(axis).to_contain_text("2 s")
        self.page.get_by_role("button", name="in beats").click()
        expect(axis).to_contain_text("2.1")
        axis.focus()
        self.page.keyboard.press("ArrowRight")
        # Where the strong voice is not yet, or no more, nothing is read.
        expect(self.stave("Cutoff").locator("output")).to_have_text("–")

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

    def test_two_windows_on_one_phrase_are_settled(self) -> None:
        self.new_phrase()
        self.until_kept("Untitled phrase", lambda p: len(p.played) == 2)
        store = DocumentStore(self.served.engine, PHRASES)
        head = max((h for h in store.heads() if h.name == "Untitled phrase"), key=lambda h: h.changed_at)
        theirs = {**store.get(head.id).document, "bars": 3}
        store.write_draft(head.id, theirs, store.get(head.id).sequence)
        self.redrawn(lambda: self.type_into("Tempo of the phrase", "120"))
        expect(self.aside).to_contain_text("Another window changed this phrase")
        self.redrawn(lambda: self.page.get_by_role("button", name="Show the other’s").click())
        expect(self.page.get_by_label("Bars of the phrase")).to_have_value("3")
        expect(self.page.get_by_label("Tempo of the phrase")).to_have_value("96 bpm")

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
        self.page.get_by_label("Pattern", exact=True).select_option("down")
        self.page.get_by_label("Rate of the pattern").fill("1/4")
        self.redrawn(lambda: self.page.get_by_role("button", name="Make its notes").click())
        kept = self.until_kept("Untitled phrase", lambda p: len(p.played) == 4)
        self.assertEqual([n.key for n in kept.played], [55, 51, 48, 55])
        self.redrawn(lambda: self.page.get_by_role("button", name="Twice").click())
        self.assertEqual(self.until_kept("Untitled phrase", lambda p: len(p.played) == 8).bars, 2)

    def test_j08_hits_open_a_filter_through_a_follower(self) -> None:
        self.under("Ice-Hammer Beat")
        self.page.keyboard.press("Escape")
        self.redrawn(lambda: self.page.get_by_label("Add a source").select_option("follower"))
        self.redrawn(lambda: self.page.get_by_label("follower input").select_option("hit:thud"))
        self.redrawn(lambda: self.type_into("follower attack", "4 ms"))
        self.redrawn(lambda: self.type_into("follower release", "80 ms"))
        self.page.get_by_label("Say a route").fill("follower raises resonance 60%")
        self.redrawn(lambda: self.page.get_by_label("Say a route").press("Enter"))
        self.figures_of("resonance")
        expect(self.aside.get_by_text("Against thud")).to_be_visible()
        self.kept()
        of = check_patch(patch_of(self.page)).under(self.phrase("Ice-Hammer Beat"))
        lane = trace(of, RATE, 0).lanes["resonance"].value
        strikes = [0, 1.5, 2, 3.25, 4]
        beat = 60 / 88
        for at, following, strength in zip(strikes, strikes[1:], (100, 55, 90, 40), strict=False):
            begin, end = round(at * beat * RATE), round(following * beat * RATE)
            peak = 100 * float(lane[begin:end].max())
            named = f"at {1000 * at * beat:.4g} ms" if at * beat < 1 else f"at {at * beat:.4g} s"
            said = self.said(f"{named}, {strength}%")
            self.assertAlmostEqual(100 * number(said), peak, delta=0.1)
            self.assertIn("closed by the next", said)

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
        asked: list[Any] = []
        self.page.on("request", lambda r: asked.append(r.post_data_json) if r.url.endswith("/api/sound") else None)
        self.page.get_by_role("button", name="Play", exact=True).click()
        expect(self.page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
        self.assertTrue(asked[0]["with_hits"])
        self.assertEqual(asked[0]["phrase"]["hits"][0]["id"], "thud")
        self.page.get_by_role("button", name="Stop", exact=True).click()

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
                self.page.get_by_role("button", name="MIDI file").click()
            out = Path(folder) / "out.mid"
            download.value.save_as(out)
            self.assertEqual(mido.MidiFile(out).tracks[1].name, "notes")
            with self.page.expect_download() as download:
                self.page.get_by_role("button", name="Phrase file").click()
            kept = Path(folder) / "out.json"
            download.value.save_as(kept)
            self.assertEqual(check_phrase(json.loads(kept.read_text())), self.phrase("a round"))
            broken = Path(folder) / "broken.mid"
            broken.write_bytes(b"MThd")
            self.page.get_by_label("Choose a phrase, MIDI or WAV file").set_input_files(broken)
            expect(self.page.get_by_text("something that cannot be read")).to_be_visible()
            expect(self.page.get_by_label("Name of the phrase")).to_have_value("a round")


if __name__ == "__main__":
    unittest.main()
