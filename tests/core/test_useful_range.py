"""The useful range of a control, against what the partials of a tone and the formula of a filter say."""

import json
import math
import subprocess
import sys
import unittest
from collections.abc import Callable
from itertools import pairwise

import numpy as np

from jorvik.core.analysis.bands import CENTRES, EDGES, change_db, erb_rate, hz_at, spectrum
from jorvik.core.analysis.sharpness import SharpnessProcess
from jorvik.core.analysis.swept import Swept, coarse_first, swept
from jorvik.core.analysis.useful_range import Jump, Step, UsefulRange, useful_range, with_marks
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.run import Cancelled
from jorvik.core.problems import Problem
from jorvik.place import ROOT
from tests.effort import count
from tests.support import RATE, Json, demos, note, patch
from tests.test_judging_cli import said

KEY = 48
HZ = 440.0 * 2 ** ((KEY - 69) / 12)
PARTIALS = [1.0, 0.5, 0.25, 0.125]
THIRD = 2 ** (1 / 3)
BUTTERWORTH = math.log(math.sqrt(2), 128)
"""The resonance at which Q is the root of a half."""


def toned(response: str = "low", modules: list[Json] | None = None, routes: list[Json] | None = None) -> Patch:
    """A steady tone of four partials through a filter without a peak."""
    tables = [{"name": "four", "frames": [[[level, 0.0] for level in PARTIALS]]}]
    return patch(
        performance=note(0.6, key=KEY),
        voice={
            "oscillators": {"osc1": {"table": "four"}, "tables": tables},
            "filter": {"response": response},
            "base": {"resonance": BUTTERWORTH},
        },
        modules=modules,
        routes=routes,
    )


def sine(hz: float, seconds: float = 1.0) -> Floats:
    return np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)


class Bands(unittest.TestCase):
    def test_they_are_even_on_the_erb_scale_from_30_hz_to_16_khz(self) -> None:
        self.assertEqual((len(CENTRES), len(EDGES)), (40, 41))
        self.assertAlmostEqual(EDGES[0], 30.0)
        self.assertAlmostEqual(EDGES[-1], 16_000.0, places=6)
        widths = np.diff([21.4 * math.log10(4.37 * hz / 1000 + 1) for hz in EDGES])
        np.testing.assert_allclose(widths, widths[0])
        self.assertAlmostEqual(hz_at(erb_rate(777.0)), 777.0)

    def test_a_sine_lies_in_its_band_with_its_mean_square(self) -> None:
        found = spectrum(np.stack([0.5 * sine(1000.0)] * 2, axis=1), RATE)
        self.assertAlmostEqual(found.total, 0.125, places=4)
        band = int(np.searchsorted(EDGES, 1000.0)) - 1
        self.assertAlmostEqual(found.bands_db[band], 10 * math.log10(0.125), delta=0.1)
        self.assertLess(np.delete(found.bands_db, [band - 1, band, band + 1]).max(), -80.0)
        self.assertAlmostEqual(found.centroid_hz, 1000.0, delta=0.5)

    def test_what_is_out_of_phase_between_the_sides_counts(self) -> None:
        side = sine(500.0)
        self.assertAlmostEqual(spectrum(np.stack([side, -side], axis=1), RATE).total, 0.5, places=3)

    def test_what_lies_under_a_frequency_against_the_whole(self) -> None:
        both = sine(200.0) + 0.5 * sine(3000.0)
        found = spectrum(np.stack([both, both], axis=1), RATE)
        self.assertAlmostEqual(found.under_db(1000.0), 10 * math.log10(1 / 1.25), delta=0.05)

    def test_change_is_the_mean_over_what_counts_in_either(self) -> None:
        before = np.array([0.0, -10.0, -90.0, -70.0])
        after = np.array([-3.0, -10.0, -95.0, -50.0])
        # The third lies under what is heard; the fourth rises out of it, from 60 dB under the loudest.
        self.assertAlmostEqual(change_db(before, after, 0.0), (3.0 + 0.0 + 10.0) / 3)
        self.assertEqual(change_db(before - 90, after - 90, 0.0), 0.0)


class Sharpness(unittest.TestCase):
    def test_a_critical_band_of_noise_at_1_khz_and_60_db_is_one_acum_by_definition(self) -> None:
        rng = np.random.default_rng(3)
        hz = np.fft.rfftfreq(4 * RATE, 1 / RATE)

        def noise(low: float, high: float) -> Floats:
            inside = (hz >= low) & (hz < high)
            made = np.fft.irfft(inside * np.exp(2j * np.pi * rng.random(hz.size)))
            made *= 20e-6 * 10 ** (60 / 20) / np.sqrt(np.mean(made**2))
            return np.stack([made, made], axis=1)

        with SharpnessProcess() as asked:
            at_1k = asked.ask(spectrum(noise(920, 1080), RATE)).result()
            bright = noise(200, 9000)
            at_all = asked.ask(spectrum(bright, RATE)).result()
            silence = asked.ask(spectrum(np.zeros((RATE, 2)), RATE)).result()
        self.assertAlmostEqual(at_1k, 1.0, delta=0.05)
        self.assertAlmostEqual(at_all, in_time(bright), delta=0.03 * at_all)
        self.assertEqual(silence, 0.0)

    def test_a_process_that_is_gone_is_said(self) -> None:
        with SharpnessProcess() as asked:
            asked._process.kill()
            with self.assertRaisesRegex(RuntimeError, "has ended"):
                asked.ask(spectrum(np.zeros((RATE, 2)), RATE)).result()


def in_time(samples: Floats) -> float:
    """The same measure by the third-octave filters of its standard, on the sound itself."""
    script = (
        "import sys, numpy as np; from mosqito.sq_metrics import sharpness_din_st;"
        f"print(float(sharpness_din_st(np.frombuffer(sys.stdin.buffer.read()), {RATE}, weighting='din')))"
    )
    mono = np.ascontiguousarray(samples[:, 0]).tobytes()
    done = subprocess.run([sys.executable, "-c", script], input=mono, capture_output=True, check=True)
    return float(done.stdout.split()[-1])


class Marks(unittest.TestCase):
    """Sweeps made by hand, of one band that counts, so that each mark can be told."""

    OF = Swept("cutoff", "Cutoff", "Hz", 16.0, 20_000.0, log=True)

    def made(self, level: Callable[[float], float], **figures: Callable[[float], float]) -> UsefulRange:
        """Steps an octave apart from 100 Hz; figures are given by octave."""
        steps = []
        for octave in range(7):
            more = {"low_db": 0.0, "sharpness_acum": 0.5} | {name: of(octave) for name, of in figures.items()}
            bands = np.full(40, -200.0)
            bands[10] = level(octave)
            steps.append(Step(100.0 * 2**octave, level(octave), 0.0, bands_db=bands, limited_db=0.0, **more))
        return with_marks(UsefulRange(self.OF, 60.0, 96.0, steps, []))

    def test_it_starts_and_stops_where_1_db_from_an_end_is_passed(self) -> None:
        # Still for two octaves, then 4 dB an octave for three, then still.
        found = self.made(lambda o: -20.0 + 4.0 * min(max(o - 2, 0), 3))
        self.assertAlmostEqual(found.starts_at or 0, 100 * 2**2.25)
        self.assertAlmostEqual(found.stops_at or 0, 100 * 2**4.75)
        self.assertEqual(found.useful, (found.starts_at, found.stops_at))
        self.assertEqual(found.changes_db, [0.0, 0.0, 4.0, 4.0, 4.0, 0.0])
        self.assertIn("Useful from 476 Hz to 2.69 kHz.", found.sentences)

    def test_thin_and_harsh_end_it_before(self) -> None:
        found = self.made(
            lambda o: -20.0 + 2.0 * o,
            low_db=lambda o: -8.0 * max(o - 3, 0),
            sharpness_acum=lambda o: 0.5 + 0.3 * o,
        )
        self.assertAlmostEqual(found.thin_from or 0, 100 * 2**3.75)
        self.assertAlmostEqual(found.harsh_from or 0, 100 * 2**5)
        self.assertAlmostEqual(found.useful[1] if found.useful else 0, 100 * 2**3.75)

    def test_a_jump_of_more_than_6_lu_is_named(self) -> None:
        found = self.made(lambda o: -30.0 + (10.0 if o > 3 else 0.0))
        self.assertEqual(found.jumps, [Jump(800.0, 1600.0, 10.0)])
        self.assertIn("Jumps by +10.0 LU between 800 Hz and 1.6 kHz.", found.sentences)

    def test_it_is_silent_40_lu_under_the_loudest(self) -> None:
        found = self.made(lambda o: -80.0 + 15.0 * min(o, 4) - 45.0 * max(o - 5, 0))
        # -20 is the loudest: -60 lies a third of the way from the second step to the third, and in the last stretch.
        self.assertAlmostEqual(found.silent_until or 0, 100 * 2 ** (20 / 15))
        self.assertAlmostEqual(found.silent_from or 0, 100 * 2 ** (5 + 40 / 45))
        self.assertIn("Silent up to 252 Hz: there it is more than 40 LU under the loudest step.", found.sentences)
        steady = self.made(lambda o: -20.0 - o)
        self.assertEqual((steady.silent_until, steady.silent_from), (None, None))

    def test_what_is_not_heard_has_no_range(self) -> None:
        found = self.made(lambda o: -20.0 + 0.1 * o)
        self.assertEqual((found.starts_at, found.stops_at, found.useful), (None, None, None))
        self.assertRegex(found.sentences[0], "Nothing of it is heard")

    def test_harsh_from_the_first_on_leaves_nothing(self) -> None:
        found = self.made(lambda o: -20.0 + 4.0 * o, sharpness_acum=lambda o: 2.5)
        self.assertAlmostEqual(found.harsh_from or 0, 100.0)
        self.assertIsNone(found.useful)
        self.assertRegex(found.sentences[0], "No part of it is useful")


GAINS: dict[str, Callable[[float], float]] = {"low": lambda _: 1.0, "high": lambda w: w**4, "band": lambda w: 2 * w**2}
"""What stands over 1 + w^4 in the power that each response lets through, at a Q of the root of a half."""


def by_partials(response: str, low: float, high: float, steps: int = 400) -> tuple[float, float]:
    """Where a sweep of cutoff starts and stops, by the filter's formula on each partial in a band of its own."""

    def levels(cutoff: float) -> Floats:
        found = []
        for number, level in enumerate(PARTIALS, 1):
            w = number * HZ / cutoff
            gain = GAINS[response](w) / (1 + w**4)
            found.append(20 * math.log10(level) + 10 * math.log10(gain))
        return np.array(found)

    cutoffs = np.geomspace(low, high, steps)
    each = np.array([levels(cutoff) for cutoff in cutoffs])
    each = np.maximum(each, each.max() - 60)

    def from_row(row: int) -> Floats:
        counts = (each > each.min()) | (each[row] > each.min())
        return np.where(counts, np.abs(each - each[row]), 0).sum(axis=1) / np.maximum(counts.sum(axis=1), 1)

    starts = cutoffs[np.flatnonzero(from_row(0) >= 1)[0]]
    stops = cutoffs[np.flatnonzero(from_row(-1) >= 1)[-1]]
    return float(starts), float(stops)


class OfATone(unittest.TestCase):
    def test_the_ends_are_where_the_partials_say(self) -> None:
        cases = (("band", 20.0, 8_000.0), ("low", 40.0, 12_000.0), ("high", 16.0, 1_000.0))
        for response, low, high in cases[: count(3, 1)]:
            with self.subTest(response):
                found = useful_range(toned(response), "cutoff", low, high)
                starts, stops = by_partials(response, low, high)
                assert found.starts_at is not None and found.stops_at is not None
                for mark, wanted in ((found.starts_at, starts), (found.stops_at, stops)):
                    self.assertLess(max(mark / wanted, wanted / mark), THIRD)

    def test_it_is_silent_where_the_filter_leaves_nothing_of_the_partials(self) -> None:
        """Notes that fall silent by their cutoff: by the filter's formula the sum of the partials is 40 dB down."""
        hz = HZ * 4

        def power(cutoff: float) -> float:
            each = [(number * hz / cutoff, level) for number, level in enumerate(PARTIALS, 1)]
            return sum(level**2 / (1 + w**4) for w, level in each)

        cutoffs = np.geomspace(16.0, 16_000.0, 2000)
        down = 10 * np.log10([power(cutoff) / power(16_000.0) for cutoff in cutoffs])
        wanted = float(cutoffs[np.flatnonzero(down >= -40)[0]])
        found = useful_range(toned(), "cutoff", 16.0, 16_000.0, key=KEY + 24)
        assert found.silent_until is not None
        self.assertLess(max(found.silent_until / wanted, wanted / found.silent_until), THIRD)
        self.assertIsNone(found.silent_from)

    def test_routes_on_it_are_off_unless_they_are_kept(self) -> None:
        moved = toned(modules=[{"id": "up", "kind": "macro"}], routes=[
            {"source": "up", "destination": "cutoff", "amount": 48.0}
        ], )  # fmt: skip
        held = moved.with_document({**moved.document(), "performance": {
            **note(0.6, key=KEY), "controls": {"macro:up": [[0, 1]]}
        }})  # fmt: skip
        still = useful_range(toned(), "cutoff", 60.0, 400.0, 3).steps
        muted = useful_range(held, "cutoff", 60.0, 400.0, 3).steps
        kept = useful_range(held, "cutoff", 60.0, 400.0, 3, keep_routes=True).steps
        up = useful_range(toned(), "cutoff", 60.0 * 16, 400.0 * 16, 3).steps
        for a, b in ((still, muted), (kept, up)):
            for one, other in zip(a, b, strict=True):
                self.assertAlmostEqual(one.loudness_lufs, other.loudness_lufs, places=6)
                self.assertAlmostEqual(one.centroid_hz, other.centroid_hz, places=3)
        self.assertGreater(kept[0].centroid_hz, muted[0].centroid_hz + 20)

    def test_a_macro_and_a_parameter_are_swept_by_their_own_laws(self) -> None:
        moved = toned(modules=[{"id": "up", "kind": "macro"}, {"id": "lfo", "kind": "lfo", "rate": 4.0}], routes=[
            {"source": "up", "destination": "cutoff", "mode": "range", "low": 100.0, "high": 1600.0},
            {"source": "lfo", "destination": "amplitude", "mode": "scale", "amount": 0.5},
        ])  # fmt: skip
        by_macro = useful_range(moved, "macro:up", steps=3)
        self.assertEqual([step.value for step in by_macro.steps], [0.0, 0.5, 1.0])
        by_cutoff = useful_range(moved, "cutoff", 100.0, 1600.0, 3)
        for one, other in zip(by_macro.steps, by_cutoff.steps, strict=True):
            self.assertAlmostEqual(one.centroid_hz, other.centroid_hz, delta=0.5)
        rates = [step.value for step in useful_range(moved, "lfo.rate", 1.0, 16.0, 3).steps]
        np.testing.assert_allclose(rates, [1, 4, 16])

    def test_coarse_steps_come_first_and_it_can_be_given_up(self) -> None:
        told: list[tuple[list[float], float]] = []
        useful_range(toned(), "cutoff", 100.0, 1600.0, 9, tell=lambda so_far, share: told.append(
            ([step.value for step in so_far.steps], share)
        ))  # fmt: skip
        self.assertEqual(len(told), 9)
        self.assertTrue(all(a < b for a, b in pairwise(share for _, share in told)))
        self.assertEqual(sorted(told[-1][0]), told[-1][0])
        widest = np.diff(np.log2(told[4][0])).max()
        self.assertLess(widest, 2.01)
        with self.assertRaises(Cancelled):
            useful_range(toned(), "cutoff", cancelled=lambda: True)

    def test_the_order_holds_every_step_once(self) -> None:
        for steps in (3, 10, 48, 128):
            self.assertEqual(sorted(coarse_first(steps)), list(range(steps)))

    def test_what_cannot_be_swept_is_said(self) -> None:
        short = toned().with_note(length_s=0.1)
        for name, of, more, said_of in (
            ("cutof", toned(), {}, "what is swept"),
            ("macro:none", toned(), {}, "what is swept"),
            ("cutoff", toned(), {"low": 800.0, "high": 80.0}, "from a lesser value"),
            ("cutoff", toned(), {"low": 1.0}, "within 16 Hz"),
            ("cutoff", toned(), {"steps": 2}, "the steps"),
            ("cutoff", toned(), {"velocity": 200.0}, "velocity"),
            ("cutoff", short, {}, "the test note"),
            ("cutoff", toned().with_note(length_s=50.0), {}, "600 s in all"),
        ):
            with self.subTest(name, **more), self.assertRaisesRegex(Problem, said_of):
                useful_range(of, name, **more)
        self.assertEqual(swept(toned(), "pitch").log, False)

    def test_a_phrase_and_further_notes_are_left_out(self) -> None:
        many = toned().document()
        many["performance"]["notes"].append({"key": 90, "start_s": 0.3, "length_s": 1.0})
        alone = useful_range(toned(), "cutoff", 100.0, 800.0, 3).steps
        first = useful_range(toned().with_document(many), "cutoff", 100.0, 800.0, 3).steps
        self.assertEqual([step.loudness_lufs for step in alone], [step.loudness_lufs for step in first])


class OnTheCommandLine(unittest.TestCase):
    def test_every_key_is_there(self) -> None:
        path = str(ROOT / "demo/ferry-horn.json")
        code, text = said("sweep", path, "--of", "cutoff", "--from", "60Hz", "--to", "8kHz", "--steps", "6", "--json")
        found = json.loads(text)
        self.assertEqual(code, 0)
        np.testing.assert_allclose([step["value"] for step in found["steps"]], np.geomspace(60, 8000, 6))
        self.assertEqual(found["key"], demos()["ferry-horn"]["performance"]["notes"][0]["key"])
        for name in ("starts_at", "stops_at", "thin_from", "harsh_from", "jumps", "useful"):
            self.assertIn(name, found)
        step = found["steps"][1]
        self.assertEqual((len(step["bands_db"]), len(found["band_hz"])), (40, 40))
        self.assertGreater(step["change_db"], 1.0)
        self.assertIsNone(found["steps"][0]["change_db"])
        brighter = [step["sharpness_acum"] for step in found["steps"]]
        self.assertEqual(brighter, sorted(brighter))

    def test_a_table_and_a_key_of_its_own(self) -> None:
        path = str(ROOT / "demo/ferry-horn.json")
        code, text = said("sweep", path, "--of", "cutoff", "--steps", "3", "--key", "C5", "--velocity", "30")
        self.assertEqual(code, 0)
        self.assertIn("LUFS", text)
        self.assertIn("Starts at", text)
        self.assertEqual(said("sweep", path, "--of", "cutoff", "--steps", "many")[0], 2)
