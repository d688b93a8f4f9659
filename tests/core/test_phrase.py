"""A patch under a phrase: windows with the numbers of the whole run, hits as signals, lanes, tempo; limits."""

import unittest
from typing import Any

import numpy as np

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.engine.run import Cancelled, Run
from jorvik.core.engine.shared_rows import shared_by_voices
from jorvik.core.engine.trace import trace
from jorvik.core.measure.sweep import at_step
from jorvik.core.problems import Problem
from jorvik.core.voice.render import render
from tests.support import RATE, Json, demos, patch


def phrase(**fields: Any) -> Json:
    return {"format": "jorvik-phrase", "version": 1, "tempo_bpm": 120, "bars": 1, **fields}


NOTES: list[Json] = [
    {"key": 48, "velocity": 40, "at": 0.0, "length": 0.5},
    {"key": 55, "velocity": 118, "at": 0.75, "length": 0.25},
    {"key": 60, "velocity": 90, "at": 1.5, "length": 1.0},
    {"key": 62, "velocity": 70, "at": 1.5, "length": 0.5},
]
HITS: list[Json] = [
    {"id": "thud", "strikes": [{"at": 0.0, "strength": 1.0}, {"at": 1.0, "strength": 0.4, "length": 0.5}]},
    {"id": "snap", "strikes": [{"at": 2.0, "strength": 0.7}]},
]
EVERY: list[Json] = [
    {"id": "env", "kind": "envelope", "attack_s": 0.01, "decay_s": 0.1, "sustain": 0.4, "velocity_depth": 0.5},
    {"id": "goes on", "kind": "envelope", "restart": "current", "attack_s": 0.05, "reset": "beat"},
    {"id": "free", "kind": "lfo", "rate": 3.3, "start": "free", "delay_s": 0.1, "fade_in_s": 0.2},
    {"id": "sway", "kind": "lfo", "rate": 0.7, "start": "free"},
    {"id": "lagging", "kind": "slew", "input": "velocity", "rise_s": 0.7, "fall_s": 0.9},
    {"id": "heard", "kind": "follower", "input": "hit:thud", "attack_s": 0.01, "release_s": 0.2},
    {"id": "smooth", "kind": "filter", "input": "free", "frequency_hz": 4.0},
    {"id": "hiss", "kind": "noise", "colour": "pink"},
    {"id": "beat", "kind": "clock", "rate": "1/8"},
    {"id": "caught", "kind": "sample_hold", "input": "hiss", "clock": "trigger", "loop": 3},
    {"id": "stepped", "kind": "sample_hold", "input": "hiss", "clock": "beat"},
    {"id": "drawn", "kind": "curve", "points": [[0, 0], [0.3, 1, 2], [1, 0.2]], "loop": [0, 2]},
    {"id": "chance", "kind": "random", "rate": 9.0},
    {"id": "wander", "kind": "random", "rate": 5.0, "start": "free", "shape": "walk"},
    {"id": "row", "kind": "steps", "values": [1, 0.5, 0.2], "step": "1/16", "loop": True},
    {"id": "tone", "kind": "oscillator", "tracks": "pitch", "ratio": 0.01},
    {"id": "over", "kind": "compare", "a": "sway", "b": "lagging", "hysteresis": 0.1},
    {"id": "loop", "kind": "mix", "inputs": [{"source": "loop", "gain": 0.9}, {"source": "env", "gain": 0.1}]},
]
ROUTES: list[Json] = [
    {"id": name, "source": name, "destination": "cutoff", "amount": 3, "enabled": True} for name in ("env", "heard")
] + [
    {"id": "slow", "source": "velocity", "destination": "sway.rate", "amount": 5},
    {"id": "held", "source": "smooth", "destination": "resonance", "amount": 0.3, "update_every": 1000},
    {"id": "stroke", "source": "hit:snap:trigger", "destination": "fold", "amount": 0.5},
    {"id": "wave", "source": "loop", "destination": "wavetable_position", "amount": 0.2, "via": "wander"},
    {"id": "bend", "source": "tone", "destination": "pitch", "amount": 0.5, "via": "over"},
]


def everything(mode: str = "poly", **fields: Any) -> Patch:
    of = patch(EVERY, ROUTES, performance={"tail_s": 0.4, "seed": 3}, voice={"mode": mode})
    return of.under(check_phrase(phrase(played=NOTES, hits=HITS, **fields)))


class Windows(unittest.TestCase):
    def test_a_voice_has_the_numbers_of_a_run_of_the_whole_phrase(self) -> None:
        of = everything(controls={"mod_wheel": [[0, 0], [4, 1]], "pitch_bend": [[0, -1], [2, 1]]})
        shared = shared_by_voices(of, RATE)
        assert shared is not None
        for voice in range(len(NOTES)):
            whole = np.concatenate([b.rows.copy() for b in Run(of, RATE, voice, is_whole=True).blocks()], axis=1)
            run = Run(of, RATE, voice)
            wanted = whole[:, run.origin : run.origin + run.length]
            self.assertLess(run.length, whole.shape[1])
            alone = np.concatenate([block.rows.copy() for block in run.blocks()], axis=1)
            self.assertLessEqual(float(np.abs(alone - wanted).max()), 1e-9)
            made = trace(of, RATE, voice)
            for name, row in run.program.module_rows.items():
                self.assertLessEqual(float(np.abs(made.signals[name] - wanted[row]).max()), 1e-9, name)
            beside = np.concatenate([b.rows.copy() for b in Run(of, RATE, voice, shared).blocks()], axis=1)
            own = [row for row in range(whole.shape[0]) if row not in shared.rows]
            self.assertLessEqual(float(np.abs(beside[own] - wanted[own]).max()), 1e-9)

    def test_a_window_is_the_same_when_it_is_not_kept_whole(self) -> None:
        of = everything()
        whole, kept = trace(of, RATE, 2), trace(of, RATE, 2, most_bytes=200_000)
        self.assertFalse(kept.is_whole)
        for name, lane in whole.lanes.items():
            self.assertTrue(np.array_equal(lane.value, kept.lanes[name].value), name)

    def test_what_runs_before_a_window_stops_when_nobody_wants_it(self) -> None:
        free = [{"id": "free", "kind": "lfo", "start": "free", "rate": 1.0}]
        of = patch(free, [{"source": "free", "destination": "cutoff", "amount": 3}])
        late = of.under(check_phrase(phrase(played=[{"key": 48, "at": 20.0, "length": 1.0}])))
        looks = iter([False, False, True])
        with self.assertRaises(Cancelled):
            next(Run(late, RATE).blocks(cancelled=lambda: next(looks)))

    def test_what_depends_on_no_note_is_shared(self) -> None:
        of = everything()
        shared, run = shared_by_voices(of, RATE), Run(of, RATE)
        assert shared is not None
        names = {name for name, row in run.program.module_rows.items() if row in shared.rows}
        self.assertEqual(names, {"heard", "hiss", "beat", "stepped", "wander"})

    def test_one_voice_runs_over_the_whole_phrase(self) -> None:
        run = Run(everything("mono"), RATE)
        self.assertEqual((run.origin, run.length), (0, round((2.0 + 0.4) * RATE)))
        self.assertEqual(len(run.notes), 4)


class Hits(unittest.TestCase):
    def test_a_hit_is_its_strength_for_its_length_and_for_one_sample(self) -> None:
        run = Run(everything(), RATE, is_whole=True)
        rows = np.concatenate([block.rows.copy() for block in run.blocks()], axis=1)
        held, struck = (rows[run.program.performance_rows[n]] for n in ("hit:thud", "hit:thud:trigger"))
        wanted = np.zeros(rows.shape[1])
        wanted[: round(0.125 * 0.5 * RATE)] = 1.0
        wanted[round(0.5 * RATE) : round(0.75 * RATE)] = 0.4
        self.assertTrue(np.array_equal(held, wanted))
        self.assertEqual(np.flatnonzero(struck).tolist(), [0, round(0.5 * RATE)])
        self.assertEqual(float(struck[round(0.5 * RATE)]), 0.4)

    def test_a_track_that_is_not_there_is_silent(self) -> None:
        of = everything()
        alone = of.under(check_phrase(phrase(played=NOTES)))
        self.assertEqual(float(np.abs(trace(alone).signals["heard"]).max()), 0.0)
        at_test_note = alone.under(None)
        self.assertEqual(float(np.abs(trace(at_test_note).signals["heard"]).max()), 0.0)

    def test_a_follower_opens_as_the_closed_form_says(self) -> None:
        of = everything()
        heard = trace(of.under(check_phrase(phrase(played=NOTES, hits=HITS))), RATE, 0).signals["heard"]
        at = np.arange(round(0.06 * RATE)) + 1
        self.assertTrue(np.allclose(heard[: at.size], 1 - np.exp(-at / (0.01 * RATE)), atol=1e-9))


class Under(unittest.TestCase):
    def test_tempo_meter_and_lanes_are_the_phrases_and_the_test_note_stays(self) -> None:
        macro = {"id": "open", "kind": "macro", "value": 0.2}
        lfo = {"id": "w", "kind": "lfo", "rate": "1/4"}
        of = patch([macro, lfo], performance={"tempo_bpm": 60, "tail_s": 0.0})
        played = of.under(check_phrase(phrase(controls={"macro:open": [[0, 0], [4, 1]]}, played=NOTES[:1])))
        self.assertEqual(played.document(), of.document())
        self.assertEqual(played.under(None), of)
        signals = trace(played.model_copy(update={"voice": of.voice.model_copy(update={"mode": "mono"})})).signals
        self.assertEqual(signals["open"].size, 2 * RATE)
        self.assertAlmostEqual(float(signals["open"][RATE]), 0.5, places=9)
        # A quarter note at 120 is half a second.
        self.assertAlmostEqual(float(signals["w"][RATE // 8]), 1.0, places=9)

    def test_edits_keep_the_phrase(self) -> None:
        from jorvik.core.document.patch import edited

        changed = edited(everything(), base={"cutoff": 500.0})
        self.assertEqual(len(changed.performance.notes), 4)
        self.assertEqual(changed.with_note(key=60.0).performance.notes[1].key, 67.0)
        self.assertEqual({n.velocity for n in changed.with_note(velocity=30.0).performance.notes}, {30.0})

    def test_a_control_held_throughout_is_a_step_of_a_sweep(self) -> None:
        of = everything(controls={"pressure": [[0, 1]]})
        up = at_step(of, "mod_wheel", 0.75)
        assert up.phrase is not None
        self.assertEqual(up.phrase.controls, {"pressure": [[0, 1]], "mod_wheel": [[0, 0.75]]})
        self.assertEqual(up.document(), of.document())
        wheel = {"source": "mod_wheel", "destination": "fold", "amount": 1.0}
        alone = at_step(patch([], [wheel]), "mod_wheel", 0.25)
        self.assertAlmostEqual(float(trace(alone).lanes["fold"].value[100]), 0.25)
        self.assertEqual(at_step(of, "tempo_bpm", 60.0).performance.tempo.bpm, 60.0)

    def test_hits_alone_are_played_under_the_test_note(self) -> None:
        of = everything().under(check_phrase(phrase(hits=HITS)))
        self.assertEqual(len(of.performance.notes), 1)
        self.assertAlmostEqual(of.performance.seconds, 2.4)

    def test_a_lane_of_a_macro_that_is_not_there_is_refused(self) -> None:
        with self.assertRaisesRegex(Problem, "macro:far"):
            everything(controls={"macro:far": [[0, 0]]})


class Sound(unittest.TestCase):
    def test_voices_in_windows_sound_as_each_alone(self) -> None:
        of = check_patch(demos()["ferry-horn"])
        notes = [
            {"key": 43, "velocity": 90, "at": 0.5, "length": 0.5},
            {"key": 50, "velocity": 60, "at": 1, "length": 1},
        ]
        both = render(of.under(check_phrase(phrase(played=notes, bars=1)))).samples
        apart = [render(of.under(check_phrase(phrase(played=[note], bars=1)))) for note in notes]
        # The second draws with the number of its own place; this patch draws nothing by note.
        self.assertLess(max(each.limited_db for each in apart), 1e-6)
        self.assertLess(float(np.abs(both - apart[0].samples - apart[1].samples).max()), 2e-3)
        self.assertEqual(float(np.abs(both[: round(0.25 * RATE) - 1]).max()), 0.0)


class Limits(unittest.TestCase):
    def test_bad_phrases_are_refused_in_a_sentence(self) -> None:
        note: Json = {"key": 60, "at": 0, "length": 1}
        lane = [[0.0, 0.5], [1.0, 2.0]]
        cases: list[tuple[Json, str]] = [
            ({"played": [{**note, "length": 0}]}, r"played\[0\].length: found 0.*longer than 0"),
            ({"played": [{**note, "at": -1}]}, r"played\[0\].at: found -1"),
            ({"played": [{**note, "at": 300}]}, "120 s"),
            ({"played": [note] * 513}, "512"),
            ({"hits": [{"id": "thud", "strikes": [{"at": 0, "strength": 1.5}]}]}, r"strength: found 1.5.*0 to 1"),
            (
                {"hits": [{"id": "a", "strikes": [{"at": 0}] * 1025}, {"id": "b", "strikes": [{"at": 0}] * 1024}]},
                "2048",
            ),
            ({"hits": [{"id": "a"}, {"id": "a"}]}, "unlike ids"),
            ({"hits": [{"id": "a:b"}]}, "colons"),
            ({"hits": [{"id": f"t{i}"} for i in range(17)]}, "16"),
            ({"controls": {"mod_wheel": lane}}, "within 0 to 1"),
            ({"controls": {"breath": lane}}, "breath"),
            ({"loudness": 3}, "loudness"),
            ({"bars": 0}, "bars"),
            ({"version": 2}, "version"),
        ]
        for fields, said in cases:
            with self.subTest(said=said), self.assertRaisesRegex(Problem, said):
                check_phrase({**phrase(), **fields})
        with self.assertRaisesRegex(Problem, "jorvik-phrase"):
            check_phrase({"format": "jorvik-patch", "version": 1})


if __name__ == "__main__":
    unittest.main()
