"""How notes take voices, sample by sample."""

import unittest

import numpy as np
from hypothesis import assume, given
from hypothesis import strategies as st

from jorvik.core.document.patch import Patch
from jorvik.core.engine.notes import run_length, voices
from jorvik.core.engine.trace import trace
from jorvik.core.measure.patch import measure_patch
from jorvik.core.problems import Problem
from tests.effort import examples
from tests.support import RATE, Json, patch, traced


def played(mode: str, *notes: tuple[float, float, float], **rest: object) -> Json:
    """A performance of (key, start, length) notes, and the voice that plays it."""
    made = [{"key": key, "start_s": start, "length_s": length} for key, start, length in notes]
    return {"performance": {"notes": made, "tail_s": 0.1}, "voice": {"mode": mode, **rest}}


class Taking(unittest.TestCase):
    def test_poly_has_a_voice_for_each_note_in_the_order_of_the_document(self) -> None:
        found = voices(patch(**played("poly", (60, 0.5, 0.1), (62, 0.0, 0.1))), RATE)
        self.assertEqual([[held.number for held in voice] for voice in found], [[0], [1]])
        self.assertEqual([voice[0].on for voice in found], [24_000, 0])

    def test_mono_has_one_voice_in_the_order_of_time(self) -> None:
        [voice] = voices(patch(**played("mono", (60, 0.5, 0.1), (62, 0.0, 1.0))), RATE)
        self.assertEqual([held.number for held in voice], [1, 0])
        self.assertEqual((voice[0].off, voice[0].taken_over), (24_000, True))
        self.assertEqual((voice[1].off, voice[1].taken_over), (28_800, False))

    def test_notes_that_meet_leave_the_gate_up_and_restart(self) -> None:
        modules: list[Json] = [{"id": "e", "kind": "envelope", "attack_s": 0.01, "sustain": 1.0, "release_s": 0.0}]
        for mode, restarts in (("mono", True), ("legato", True)):
            t = traced(modules, **played(mode, (60, 0.0, 0.5), (62, 0.5, 0.5)))
            self.assertEqual(t.performance["gate"][:48_000].min(), 1.0)
            self.assertEqual(t.signals["e"][24_000] == 0.0, restarts)

    def test_legato_keeps_its_envelope_through_an_overlap(self) -> None:
        modules: list[Json] = [{"id": "e", "kind": "envelope", "attack_s": 0.01, "sustain": 1.0}]
        legato = traced(modules, **played("legato", (60, 0.0, 0.6), (62, 0.5, 0.5)))
        mono = traced(modules, **played("mono", (60, 0.0, 0.6), (62, 0.5, 0.5)))
        self.assertEqual(legato.signals["e"][24_000], 1.0)
        self.assertEqual(mono.signals["e"][24_000], 0.0)
        np.testing.assert_array_equal(np.flatnonzero(legato.performance["trigger"]), [0, 24_000])

    def test_the_last_note_off_and_the_tail_make_the_length(self) -> None:
        of = patch(**played("poly", (60, 0.0, 2.0), (62, 1.0, 0.1)))
        self.assertEqual(run_length(of, RATE), round(2.1 * RATE))
        self.assertEqual(run_length(of, 44_100), round(2.1 * 44_100))


NOTES = st.lists(
    st.tuples(st.integers(36, 84), st.floats(0, 0.2), st.floats(0.005, 0.2)).map(lambda n: (float(n[0]), n[1], n[2])),
    min_size=1,
    max_size=6,
)


class AnyNotes(unittest.TestCase):
    def performed(self, notes: list[tuple[float, float, float]], mode: str) -> Patch:
        return patch(**played(mode, *notes, glide_ms=30.0))

    @examples(40)
    @given(NOTES)
    def test_a_mono_gate_is_up_exactly_while_the_newest_note_is_held(
        self, notes: list[tuple[float, float, float]]
    ) -> None:
        t = traced(**played("mono", *notes))
        spans = sorted((round(s * RATE), round((s + length) * RATE)) for _, s, length in notes)
        n = np.arange(t.time_s.size)
        newest = np.searchsorted([on for on, _ in spans], n, side="right") - 1
        # Of two notes on one sample the later in the document has the voice, which spans do not say.
        assume(len({on for on, _ in spans}) == len(spans))
        gate = np.array([i >= 0 and spans[i][0] <= k < spans[i][1] for k, i in zip(n.tolist(), newest, strict=True)])
        np.testing.assert_array_equal(t.performance["gate"] > 0.5, gate)

    @examples(40)
    @given(NOTES)
    def test_a_glide_never_jumps_and_ends_on_the_key(self, notes: list[tuple[float, float, float]]) -> None:
        t = traced(**played("mono", *notes, glide_ms=30.0))
        sounding = 12 * t.performance["key"] + t.lanes["pitch"].value
        fastest = (84 - 36) / (0.030 * RATE)
        self.assertLessEqual(np.abs(np.diff(sounding)).max(), fastest + 1e-9)
        [voice] = voices(self.performed(notes, "mono"), RATE)
        self.assertAlmostEqual(float(t.lanes["pitch"].value[-1]), 0.0, places=9)
        self.assertAlmostEqual(float(12 * t.performance["key"][-1]), voice[-1].note.key - 60, places=9)


class AnotherTestNote(unittest.TestCase):
    ROW: Json = {
        "notes": [
            {"key": 48, "velocity": 40, "start_s": 0.0, "length_s": 0.2},
            {"key": 55, "velocity": 90, "start_s": 0.3, "length_s": 0.3},
        ],
        "tail_s": 0.1,
    }

    def played(self, **fields: float) -> list[tuple[float, float, float]]:
        changed = patch(performance=self.ROW).with_note(**fields)
        return [(note.key, note.velocity, note.length_s) for note in changed.performance.notes]

    def test_the_key_moves_a_row_and_the_rest_is_every_notes(self) -> None:
        self.assertEqual(self.played(key=50.5), [(50.5, 40, 0.2), (57.5, 90, 0.3)])
        self.assertEqual(self.played(velocity=118, length_s=0.1), [(48, 118, 0.1), (55, 118, 0.1)])

    def test_a_row_that_would_leave_the_keys_is_refused(self) -> None:
        with self.assertRaisesRegex(Problem, "127"):
            self.played(key=124)

    def test_a_run_of_no_sample_is_refused_in_a_sentence(self) -> None:
        of = patch(performance={"notes": [{"length_s": 1e-5}], "tail_s": 0.0})
        with self.assertRaisesRegex(Problem, "no sample at 48000 Hz"):
            trace(of)

    def test_of_a_chord_on_one_voice_the_note_that_has_it_is_judged(self) -> None:
        chord = {"notes": [{"key": key, "length_s": 0.2} for key in (40, 47, 52)], "tail_s": 0.1}
        for mode in ("mono", "legato"):
            of = patch([{"id": "l", "kind": "lfo", "rate": 20.0}], performance=chord, voice={"mode": mode})
            run = trace(of).run
            self.assertEqual((run.note.note.key, run.note.on, run.note_end), (52, 0, run.length))
            self.assertAlmostEqual(measure_patch(of).signals["l"].peak, 1.0, places=12)


if __name__ == "__main__":
    unittest.main()
