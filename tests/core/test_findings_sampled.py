"""Each rule on sampling, clocks and what runs free, on both sides of its line."""

from typing import Any

import numpy as np

from jorvik.core.document.patch import Patch
from jorvik.core.engine.trace import trace
from tests.core.judging import RuleCase, found
from tests.support import Json, patch


class Sampled(RuleCase):
    def test_a_sampler_that_reads_nothing_yet_is_no_fault(self) -> None:
        self.assertEqual(found("sampling", patch([{"id": "s", "kind": "sample_hold"}])), [])

    def test_the_faster_clock_counts_what_it_divides_and_multiplies(self) -> None:
        for divide, multiply in ((1, 1), (4, 1), (1, 3), (5, 2)):
            clock = {"id": "c", "kind": "clock", "rate": 100.0 * divide / multiply}
            clock |= {"divide": divide, "multiply": multiply}
            tone = {"id": "t", "kind": "lfo", "rate": 130.0}
            hold = {"id": "s", "kind": "sample_hold", "input": "t", "clock": "c"}
            of = patch([tone, clock, hold], [{"source": "s", "destination": "cutoff", "amount": 12}])
            with self.subTest(divide=divide, multiply=multiply):
                [finding] = found("beyond_half_rate", of)
                assert finding.fix is not None
                rises = np.diff(trace(finding.fix.patch).signals["c"][:48_000]) > 0
                self.assertAlmostEqual(int(rises.sum()), 273, delta=1.5)

    def test_sampling(self) -> None:
        lfo: Json = {"id": "l", "kind": "lfo", "rate": 3, "polarity": "unipolar"}
        route = {"source": "s", "destination": "cutoff", "amount": 12}

        def at(**hold: Any) -> Patch:
            return patch([lfo, {"id": "s", "kind": "sample_hold", "input": "l", "clock": "l", **hold}], [route])

        self.sides("sampling", at(threshold=1.5), at(threshold=0.5))
        self.assertIn("never takes", found("sampling", at(clock="mod_wheel"))[0].sentence)
        self.assertIn("never moves", found("sampling", at(input=0.3))[0].sentence)
        fast: Json = {"id": "f", "kind": "oscillator", "tracks": "none", "hz": 20_000}
        of = patch([lfo, fast, {"id": "s", "kind": "sample_hold", "input": "l", "clock": "f"}], [route])
        self.assertIn("all samples", found("sampling", of)[0].sentence)
        self.assertIn("narrow", found("sampling", at(track=True, threshold=0.9999))[0].sentence)
        self.assertEqual(found("sampling", at(track=True)), [])

    def test_a_hold_struck_once_a_note_is_no_fault(self) -> None:
        modules = [{"id": "n", "kind": "noise"}, {"id": "s", "kind": "sample_hold", "input": "n", "clock": "trigger"}]
        routes = [{"source": "s", "destination": "fold", "amount": 0.4}]
        notes = [{"start_s": 0.3 * n, "length_s": 0.2} for n in range(8)]
        for performance in ({"notes": notes[:1]}, {"notes": notes}):
            for mode in ("mono", "poly"):
                of = patch(modules, routes, performance=performance, voice={"mode": mode})
                with self.subTest(mode=mode, notes=len(performance["notes"])):
                    self.assertEqual(found("sampling", of), [])
        # It does take one for each note.
        taken = trace(patch(modules, routes, performance={"notes": notes}, voice={"mode": "mono"})).signals["s"]
        self.assertEqual(np.unique(taken).size, 8)

    def test_a_threshold_that_is_there_already_is_no_fix(self) -> None:
        still: Json = {"id": "c", "kind": "constant", "value": 1.0}
        half: Json = {"id": "l", "kind": "lfo", "rate": 0.1, "polarity": "unipolar"}
        held: Json = {"id": "s", "kind": "sample_hold", "input": "l", "clock": "l", "threshold": 0.5}
        of = patch([still, half, {**held, "clock": "c"}], [{"source": "s", "destination": "cutoff", "amount": 12}])
        self.assertIsNone(found("sampling", of)[0].fix)

    def test_a_stream_that_two_share_unless_one_is_joined(self) -> None:
        def at(**second: Any) -> Patch:
            rain: Json = {"id": "rain", "kind": "random", "rate": 5.0}
            modules = [rain, {"id": "hail", "kind": "random", "rate": 5.0, **second}]
            return patch(modules, [{"source": name, "destination": "pitch", "amount": 1} for name in ("rain", "hail")])

        finding = self.sides("shared_stream", at(stream="rain"), at())
        self.assertEqual(found("shared_stream", at(stream="rain", joined=True)), [])
        assert finding.fix is not None
        alike, apart = (trace(of).signals for of in (at(stream="rain"), finding.fix.patch))
        self.assertTrue(np.array_equal(alike["rain"], alike["hail"]))
        self.assertLess(abs(float(np.corrcoef(apart["rain"], apart["hail"])[0, 1])), 0.9)

    def test_free_running(self) -> None:
        def at(start: str, amount: float = 0.3) -> Patch:
            lfo: Json = {"id": "l", "kind": "lfo", "rate": 0.7, "start": start}
            return patch([lfo], [{"source": "l", "destination": "pitch", "amount": amount}])

        self.sides("free_running", at("free", 0.0155), at("free", 0.0145))
        finding = self.sides("free_running", at("free"), at("note"))
        # Half a cycle on, the sine stands as far on the other side: twice its depth, to within a quarter cycle's step.
        said = float(finding.sentence.split("up to ")[1].split(" cents")[0])
        self.assertAlmostEqual(said, 60.0, delta=0.1)

    def test_what_chance_does_is_not_laid_to_a_free_source(self) -> None:
        free: Json = {"id": "l", "kind": "lfo", "rate": 0.7, "start": "free"}
        drawn: Json = {"id": "s", "kind": "sample_hold", "input": "n", "clock": "c"}
        of = patch(
            [free, {"id": "n", "kind": "noise"}, {"id": "c", "kind": "clock", "rate": 9.0}, drawn],
            [
                {"source": "s", "destination": "pitch", "amount": 12},
                {"source": "l", "destination": "cutoff", "amount": 6},
            ],
        )
        (finding,) = found("free_running", of)
        self.assertIn("on cutoff", finding.sentence)
        self.assertNotIn("pitch", finding.sentence)

    def test_a_free_wave_at_audio_rate_is_a_tone(self) -> None:
        buzz: Json = {"id": "l", "kind": "lfo", "rate": 90.0, "start": "free"}
        self.assertEqual(
            found("free_running", patch([buzz], [{"source": "l", "destination": "pitch", "amount": 1}])), []
        )
