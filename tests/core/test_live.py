"""Played by hand: what is heard is what the phrase that was played makes when it is rendered."""

import gc
import math
import unittest
from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.document.voice_settings import ChorusSettings, DelaySettings, ReverbSettings
from jorvik.core.live.player import BLOCK, BLOCKS, MOST_VOICES, LivePlayer, Log
from jorvik.core.phrases.takes import phrase_of, printed
from jorvik.core.problems import Problem
from jorvik.core.units.tempo import Tempo
from jorvik.core.voice.effects import Echoes, Room, Swung, chorus, delay, reverb
from jorvik.core.voice.limiter import LiveLimiter, limit
from jorvik.core.voice.sounding import delay_of
from tests.core.playing import Acts, heard, off, on, taken, turn
from tests.support import RATE, Json, demos, document, patch

Floats = np.ndarray[Any, np.dtype[np.float64]]


class Alike(unittest.TestCase):
    def check(self, of: Patch, acts: Acts, blocks: int = 130, within: float = 1e-9) -> None:
        """Play by hand, and hold it against the rendered phrase of what was played."""
        player = LivePlayer(of)
        live = heard(player, acts, blocks)
        late = player.delay + delay_of(of)
        # The phrase begins with a bar, which is the first here; where it ends, what is played goes on.
        rendered = printed(taken(player)).samples
        length = min(len(rendered), len(live) - late) - RATE // 10
        self.assertGreater(np.abs(rendered[:length]).max(), 0.01)
        np.testing.assert_allclose(live[late : late + length], rendered[:length], rtol=0.0, atol=within)

    def test_poly_with_velocities_and_the_wheel(self) -> None:
        acts = {4: on(48), 30: on(55, 40), 60: off(48), 70: turn("mod_wheel", 0.7), 90: off(55)}
        self.check(check_patch(demos()["ferry-horn"]), acts)

    def test_a_macro_turned_while_a_note_sounds(self) -> None:
        acts = {0: on(60, 110), 20: turn("macro:striker", 1.0), 40: turn("macro:striker", 0.2), 100: off(60)}
        self.check(check_patch(demos()["barge-bell"]), acts)

    def test_all_effects_unison_and_what_runs_free(self) -> None:
        # The room is made in single precision.
        acts = {3: on(57, 70), 50: on(64, 100), 80: off(57), 100: off(64)}
        self.check(check_patch(demos()["lantern-hum"]), acts, within=2e-7)

    def test_many_voices_in_longer_blocks_and_few_in_short_ones(self) -> None:
        keys = [45 + 3 * number for number in range(BLOCKS[-1][0])]
        acts: dict[int, Callable[[LivePlayer], object]] = {4 + number: on(key, 70) for number, key in enumerate(keys)}
        acts |= {20: turn("mod_wheel", 0.7), 30: turn("mod_wheel", 0.1), 40: off(45)}
        acts |= {41 + number: off(key) for number, key in enumerate(keys[1:])}
        player = LivePlayer(check_patch(demos()["lantern-hum"]))
        lengths = []
        for key in keys:
            lengths.append(player.block_length)
            player.note_on(key, 70)
        self.assertEqual([lengths.count(length) for length in (512, 1024)], [6, 6])
        self.assertEqual(player.block_length, 2048)
        # The room is made in single precision, and louder by the more voices there are.
        self.check(check_patch(demos()["lantern-hum"]), acts, within=4e-7)

    def test_where_a_voice_stood_is_told_as_often_in_long_blocks(self) -> None:
        sway: Json = {"id": "sway", "kind": "lfo", "rate": 3.0, "shape": "sine"}
        route = {"source": "sway", "destination": "wavetable_position", "amount": 0.25}
        of = patch([sway], [route], voice={"base": {"wavetable_position": 0.5}})
        player = LivePlayer(of)
        for number in range(BLOCKS[-1][0]):
            player.note_on(48 + number, 90)
        for block in range(3):
            player.block()
            stood = player.stood
            self.assertEqual([at for at, _ in stood], [2048 * block + BLOCK * part for part in (1, 2, 3, 4)])
            for at, lanes in stood:
                sine = math.sin(2 * math.pi * 3.0 * (at - 1) / player.rate)
                self.assertAlmostEqual(lanes["wavetable_position"], 0.5 + 0.25 * sine, places=9)

    def test_legato_with_glide_and_bend(self) -> None:
        env: Json = {"id": "e", "kind": "envelope", "attack_s": 0.02, "release_s": 0.05}
        of = patch([env], [{"source": "e", "destination": "amplitude", "amount": 1, "mode": "scale"}])
        acts = {2: on(48), 30: on(60), 50: turn("pitch_bend", 0.5), 60: off(48), 100: off(60)}
        for mode in ("legato", "mono"):
            with self.subTest(mode=mode):
                document = of.document() | {"voice": {"mode": mode, "glide_ms": 120, "bend_range_st": 12}}
                self.check(check_patch(document), acts)

    def test_over_a_beat_that_is_heard_and_listened_to(self) -> None:
        follower: Json = {"id": "f", "kind": "follower", "input": "hit:thud", "attack_s": 0.004, "release_s": 0.1}
        of = patch(
            [follower], [{"source": "f", "destination": "cutoff", "amount": 30}], voice={"base": {"cutoff": 300}}
        )
        strikes = [{"at": 0}, {"at": 0.75, "strength": 0.5}, {"at": 1.9, "strength": 0.8}]
        hits = [{"id": "thud", "sound": "thud", "strikes": strikes}]
        over = {"format": "jorvik-phrase", "version": 1, "tempo_bpm": 150, "beats_per_bar": 2, "bars": 1, "hits": hits}
        player = LivePlayer(of)
        player.beat(check_phrase(over))
        live = heard(player, {50: on(45), 100: off(45), 160: on(52), 230: off(52)}, 305)
        take = taken(player, over=over, begins=0, ends=round(4 * 0.8 * RATE))
        kept = phrase_of(take)
        # A turn lasts 0.8 s, 75 blocks: from the second to the fourth it was played over three times each.
        self.assertEqual((kept.bars, len(kept.hits[0].strikes)), (4, 12))
        rendered = printed(take, with_hits=True).samples
        length = round(kept.bars * 0.8 * RATE) - RATE // 10
        late = player.delay + delay_of(of)
        np.testing.assert_allclose(live[late : late + length], rendered[:length], rtol=0.0, atol=1e-9)
        # At the beginning of a turn the stroke before it still rings.
        after = heard(player, {0: lambda p: p.beat(None)}, 10)
        self.assertLess(float(np.abs(after[-BLOCK:]).max()), 1e-4)
        self.assertLess(leap(after), 1.2 * leap(live))

    def test_noise_and_random_numbers_at_their_place(self) -> None:
        modules: list[Json] = [
            {"id": "hiss", "kind": "noise"},
            {"id": "beat", "kind": "clock", "rate": 9.0},
            {"id": "held", "kind": "sample_hold", "input": "hiss", "clock": "beat"},
            {"id": "lag", "kind": "slew", "input": "velocity", "rise_s": 0.3},
        ]
        routes: list[Json] = [
            {"source": "held", "destination": "cutoff", "amount": 24},
            {"source": "lag", "destination": "fold", "amount": 0.4},
            {"source": "note_random", "destination": "pitch", "amount": 2},
        ]
        base = {"base": {"noise_level": 0.3, "cutoff": 900}}
        self.check(patch(modules, routes, voice=base), {6: on(50), 31: on(53, 60), 90: off(50), 95: off(53)})


def leap(sound: Floats) -> float:
    """The greatest step from one sample to the next."""
    return float(np.abs(np.diff(sound[:, 0])).max())


class UnderTheHand(unittest.TestCase):
    def test_what_comes_in_takes_effect_at_the_sample_that_is_told(self) -> None:
        player = LivePlayer(check_patch(demos()["ferry-horn"]))
        player.block()
        self.assertEqual(player.note_on(48, 96), BLOCK)
        player.block()
        self.assertEqual(player.note_off(48), 2 * BLOCK)
        [note] = player.played
        self.assertEqual((note.on, note.off), (BLOCK, 2 * BLOCK))

    def test_panic_is_silence_at_once_and_nothing_stays_down(self) -> None:
        player = LivePlayer(check_patch(demos()["lantern-hum"]))
        heard(player, {0: on(50), 1: on(57)}, 40)
        player.panic()
        after = heard(player, {}, 4)
        # What the limiter still looks at goes out; then there is nothing.
        self.assertEqual(float(np.abs(after[player.delay + BLOCK :]).max()), 0.0)
        self.assertLess(leap(after), 0.1)
        self.assertTrue(player.is_silent)
        self.assertTrue(all(note.off <= player.now for note in player.played))

    def test_a_key_struck_again_and_more_keys_than_voices(self) -> None:
        player = LivePlayer(check_patch(demos()["ferry-horn"]))
        heard(player, {0: on(48), 5: on(48, 40)}, 10)
        self.assertEqual([note.off for note in player.played][:1], [5 * BLOCK])
        for key in range(30, 30 + MOST_VOICES + 4):
            player.note_on(key, 80)
        self.assertTrue(np.isfinite(heard(player, {}, 3)).all())

    def test_the_voice_that_makes_room_falls_silent_without_a_jump(self) -> None:
        env: Json = {"id": "e", "kind": "envelope", "attack_s": 0.2}
        route: Json = {"source": "e", "destination": "amplitude", "amount": 1, "mode": "scale"}
        player = LivePlayer(patch([env], [route], voice={"base": {"wavetable_position": 0, "amplitude": 0.1}}))
        before = heard(player, {at: on(36 + at) for at in range(MOST_VOICES)}, 60)
        after = heard(player, {0: on(90)}, 10)
        self.assertLess(leap(np.concatenate([before, after])[-12 * BLOCK :]), 1.5 * leap(before))
        self.assertLessEqual(len(player._voices), MOST_VOICES)

    def test_held_notes_pass_to_the_last_of_many_edits(self) -> None:
        env: Json = {"id": "e", "kind": "envelope", "attack_s": 0.01}
        route: Json = {"source": "e", "destination": "amplitude", "amount": 1, "mode": "scale"}

        def at(level: float) -> Patch:
            return patch([env], [route], voice={"base": {"amplitude": level}})

        player, quiet = LivePlayer(at(0.5)), LivePlayer(at(0.05))
        keys: dict[int, Callable[[LivePlayer], object]] = {n: on(40 + 5 * n) for n in range(6)}
        edits = {30 + n: lambda p, to=level: p.edit(at(to)) for n, level in enumerate((0.4, 0.3, 0.2, 0.05))}
        edited, untouched = heard(player, {**keys, **edits}, 80), heard(quiet, keys, 80)
        np.testing.assert_allclose(edited[-20 * BLOCK :], untouched[-20 * BLOCK :], atol=2e-3)

    def test_one_voice_of_a_patch_that_is_gone_ends_with_its_note(self) -> None:
        document = check_patch(demos()["ferry-horn"]).document()
        mono = check_patch({**document, "voice": {**document.get("voice", {}), "mode": "mono"}})
        player = LivePlayer(mono)
        poly = check_patch(document)
        heard(player, {0: on(48), 20: lambda p: p.edit(poly), 40: on(60), 50: off(48), 60: off(60)}, 300)
        self.assertEqual(player._voices, [])

    def test_a_voice_that_grows_without_end_is_taken_out_and_named(self) -> None:
        grows: Json = {"id": "grows", "kind": "mix", "inputs": [{"source": "grows", "gain": 900}, {"source": "gate"}]}
        player = LivePlayer(patch([grows], [{"source": "grows", "destination": "fold", "amount": 1}]))
        player.note_on(60, 96)
        self.assertTrue(np.isfinite(heard(player, {}, 3)).all())
        [trouble] = player.troubles
        self.assertRegex(str(trouble), "grows")
        self.assertTrue(player.is_silent)

    def test_what_all_voices_have_alike_and_grows_is_told_once_until_it_is_mended(self) -> None:
        grows: Json = {"id": "grows", "kind": "mix", "inputs": [{"source": "grows", "gain": 900}, {"source": "far"}]}
        far: Json = {"id": "far", "kind": "macro", "value": 0.0}
        routes: list[Json] = [{"source": "grows", "destination": "fold", "amount": 1}]
        player = LivePlayer(patch([far, grows], routes))
        sound = heard(player, {0: on(60), 4: on(64), 20: turn("macro:far", 1.0)}, 60)
        self.assertGreater(float(np.abs(sound[: 20 * BLOCK]).max()), 0.01)
        self.assertLess(float(np.abs(sound[-5 * BLOCK :]).max()), 1e-5)
        self.assertLess(leap(sound), 0.2)
        [trouble] = player.troubles
        self.assertRegex(str(trouble), "grows")
        with self.assertRaisesRegex(Problem, "grows"):
            player.note_on(60, 90)
        player.edit(patch([far, {**grows, "inputs": []}], routes))
        self.assertGreater(float(np.abs(heard(player, {0: on(60)}, 20)).max()), 0.01)

    def test_edits_leave_no_garbage_that_has_to_be_looked_for(self) -> None:
        # To look for it takes a tenth of a second, in which no sound is made.
        at = [check_patch(document(voice={"base": {"amplitude": 0.5 + 0.1 * n}})) for n in range(4)]
        player = LivePlayer(at[0])
        heard(player, {0: on(60), 1: on(64)}, 10)
        gc.collect()
        gc.disable()
        self.addCleanup(gc.enable)
        for edited in at[1:]:
            player.edit(edited)
            heard(player, {}, 4)
        self.assertEqual(gc.collect(), 0)

    def test_an_edit_of_a_figure_is_heard_at_once_and_without_a_jump(self) -> None:
        env: Json = {"id": "swell", "kind": "envelope", "attack_s": 0.01}
        route: Json = {"source": "swell", "destination": "amplitude", "amount": 1, "mode": "scale"}

        def at(level: float) -> Patch:
            return patch([env], [route], voice={"base": {"amplitude": level, "cutoff": 20000}})

        untouched = heard(LivePlayer(at(1.0)), {0: on(60)}, 40)
        player = LivePlayer(at(1.0))
        edited = heard(player, {0: on(60), 20: lambda p: p.edit(at(0.5))}, 40)
        self.assertEqual(player.log().edits, [20 * BLOCK])
        for level in (0.6, 0.5):
            player.edit(at(level))
        self.assertEqual(player.log().edits, [40 * BLOCK])
        turned = 20 * BLOCK + player.delay
        np.testing.assert_allclose(edited[:turned], untouched[:turned], atol=1e-12)
        after = slice(turned + BLOCK, None)
        # The high-pass that keeps DC out remembers a little of how loud it was.
        np.testing.assert_allclose(edited[after], 0.5 * untouched[after], atol=1e-3)
        steps = [
            float(np.abs(np.diff(sound[:, 0])[turned - 5 : turned + BLOCK + 5]).max()) for sound in (edited, untouched)
        ]
        self.assertLessEqual(steps[0], steps[1] * 1.02)

    def test_an_edit_goes_on_where_everything_stands(self) -> None:
        """The same figures once more change nothing: phases, filters, envelopes, effects, what runs free."""
        for name in ("ferry-horn", "lantern-hum", "night-watch"):
            with self.subTest(name=name):
                of = check_patch(demos()[name])
                acts: dict[int, Callable[[LivePlayer], object]] = {0: on(50), 10: on(57, 60), 50: off(50)}
                untouched = heard(LivePlayer(of), acts, 70)
                again = check_patch(of.document())
                acts[23] = partial(LivePlayer.edit, patch=again)
                edited = heard(LivePlayer(of), acts, 70)
                np.testing.assert_allclose(edited, untouched, atol=1e-9)

    def test_an_edit_of_the_structure_waits_for_the_next_note(self) -> None:
        plain = check_patch(demos()["ferry-horn"])
        document = plain.document()
        folded = [*document["routes"], {"id": "new", "source": "velocity", "destination": "fold", "amount": 0.9}]
        other = check_patch({**document, "routes": folded})
        untouched = heard(LivePlayer(plain), {0: on(50)}, 60)
        edited = heard(LivePlayer(plain), {0: on(50), 20: lambda p: p.edit(other), 40: on(62)}, 60)
        before = slice(0, 40 * BLOCK)
        np.testing.assert_allclose(edited[before], untouched[before], atol=1e-12)
        self.assertGreater(float(np.abs(edited[40 * BLOCK :] - untouched[40 * BLOCK :]).max()), 0.01)

    def test_what_cannot_be_played_is_refused(self) -> None:
        player = LivePlayer(check_patch(demos()["barge-bell"]))
        refused: tuple[tuple[Callable[[], object], str], ...] = (
            (lambda: player.note_on(128, 90), "key 128"),
            (lambda: player.note_on(60, 0), "velocity 0"),
            (lambda: player.note_on(float("nan"), 90), "key nan"),
            (lambda: player.control("macro:far", 0.5), "macro:far"),
            (lambda: player.control("pressure", 1.5), "0 to 1"),
        )
        for act, said in refused:
            with self.subTest(said=said), self.assertRaisesRegex(Problem, said):
                act()

    def test_a_lane_moved_twice_before_a_block_goes_to_where_it_came_last(self) -> None:
        player = LivePlayer(check_patch(demos()["ferry-horn"]))
        player.note_on(60, 90)
        for value in (0.3, 0.9, 0.6):
            player.control("mod_wheel", value)
        self.assertTrue(np.isfinite(player.block().samples).all())
        player.control("mod_wheel", 0.2)
        player.block()
        expected = [[0, 0.0], [BLOCK, 0.6], [2 * BLOCK, 0.2]]
        self.assertEqual(player.log().lanes["mod_wheel"], expected)
        # What was told is not told again.
        self.assertEqual(player.log(), Log())

    def test_what_is_kept_begins_with_the_bar_of_its_first_note(self) -> None:
        player = LivePlayer(patch(performance={"tempo_bpm": 120}))
        # A bar of 120 is two seconds: the third begins at 4 s, block 375.
        acts = {10: turn("mod_wheel", 0.25), 380: on(60), 400: turn("pressure", 0.5), 410: off(60)}
        heard(player, acts, 430)
        kept = phrase_of(taken(player))
        [note] = kept.played
        self.assertAlmostEqual(note.at, (380 * BLOCK / RATE - 4.0) * 2.0)
        self.assertAlmostEqual(note.length, 30 * BLOCK / RATE * 2.0)
        moved = [[0.0, 0.0], *([(at * BLOCK / RATE - 4.0) * 2.0, value] for at, value in ((400, 0.0), (401, 0.5)))]
        np.testing.assert_allclose(kept.controls["pressure"], moved)
        # What was moved before that bar stands where it was left.
        self.assertEqual(kept.controls["mod_wheel"], [[0.0, 0.25]])


class InBlocks(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(3)
        self.sound = rng.normal(0.0, 0.3, (40 * BLOCK, 2)) * np.linspace(0.0, 6.0, 40 * BLOCK)[:, None] ** 2 / 9.0

    def blocks(self, act: Callable[[Floats], Floats]) -> Floats:
        return np.concatenate([act(self.sound[at : at + BLOCK]) for at in range(0, len(self.sound), BLOCK)])

    def test_effects_make_of_blocks_what_they_make_of_the_whole(self) -> None:
        tempo = Tempo(120.0)
        echoes, swung = DelaySettings(time=0.07), ChorusSettings()
        whole = delay(self.sound, echoes, tempo, RATE)
        np.testing.assert_array_equal(self.blocks(Echoes(echoes, tempo, RATE).block), whole)
        whole = chorus(self.sound, swung, RATE)
        np.testing.assert_allclose(self.blocks(Swung(swung, RATE).block), whole, atol=1e-11)

    def test_a_room_is_the_same_in_blocks_however_long_it_rings(self) -> None:
        for decay_s, rate in ((0.1, 16_000), (0.4, RATE), (2.0, RATE)):
            room = ReverbSettings(decay_s=decay_s)
            whole = reverb(self.sound, room, rate)
            scale = float(np.abs(whole).max())
            np.testing.assert_allclose(self.blocks(Room(room, rate, BLOCK).block), whole, atol=3e-6 * scale)

    def test_the_limiter_holds_blocks_as_it_holds_the_whole(self) -> None:
        limiter = LiveLimiter(RATE)
        found = self.blocks(lambda block: limiter.block(block).samples)
        whole = limit(self.sound, RATE).samples
        self.assertGreater(float(np.abs(self.sound).max()), 1.5)
        np.testing.assert_allclose(found[limiter.delay :], whole[: -limiter.delay], atol=1e-12)


if __name__ == "__main__":
    unittest.main()
