"""Pieces of work, each done from an empty patch by sentences and settings; their figures are found a second way."""

import math
import unittest
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from jorvik.core.document.patch import Patch, edited
from jorvik.core.engine.trace import Trace, trace
from jorvik.core.figures import figures
from jorvik.core.findings import findings
from jorvik.core.helpers.sentence import route_from
from jorvik.core.measure.context import Context
from jorvik.core.voice.render import render
from tests.core.test_figures_of_jobs import number
from tests.support import RATE, note, patch

Floats = NDArray[np.float64]


def loudest_hz(of: Patch) -> float:
    """Return the strongest partial of what is heard, by a transform of its own."""
    heard = render(of).samples[:RATE].mean(axis=1)
    spectrum = np.abs(np.fft.rfft(heard * np.hanning(heard.size), 4 * heard.size))
    hz = np.fft.rfftfreq(4 * heard.size, 1 / RATE)
    return float(hz[np.argmax(np.where(hz < 20.0, 0.0, spectrum))])


def strength_at(of: Patch, wanted: float) -> float:
    """Return how strong what is heard is within 3 Hz of a frequency, against its strongest partial, in dB."""
    heard = render(of).samples[:RATE].mean(axis=1)
    spectrum = np.abs(np.fft.rfft(heard * np.hanning(heard.size)))
    hz = np.fft.rfftfreq(heard.size, 1 / RATE)
    return float(20 * np.log10(spectrum[np.abs(hz - wanted) <= 3].max() / spectrum.max()))


class FromEmpty(unittest.TestCase):
    patch: Patch

    def setUp(self) -> None:
        self.begin(2.0)

    def begin(self, length_s: float, tail_s: float = 0.3, **performance: Any) -> None:
        """Begin with a patch that has nothing but a test note."""
        self.patch = patch(performance=note(length_s, tail_s, **performance))

    def add(self, kind: str, name: str, **fields: Any) -> None:
        self.patch = edited(self.patch, more_modules=({"id": name, "kind": kind, **fields},))

    def set(self, name: str, **fields: Any) -> None:
        self.patch = edited(self.patch, modules={name: fields})

    def base(self, **values: float) -> None:
        self.patch = edited(self.patch, base=values)

    def voice(self, **fields: Any) -> None:
        self.patch = edited(self.patch, voice=fields)

    def say(self, *sentences: str) -> None:
        for sentence in sentences:
            self.patch, _ = route_from(self.patch, sentence)

    def traced(self, voice: int = 0) -> Trace:
        return trace(self.patch, RATE, voice)

    def lane(self, name: str, voice: int = 0) -> Floats:
        return self.traced(voice).lanes[name].value

    def said(self, about: str, name: str, voice: int = 0) -> str:
        """Return how a figure of a lane, a signal or the patch is read."""
        found = figures(Context(self.patch, voice=voice))
        named = [figure.said for figure in found if (figure.about, figure.name) == (about, name)]
        self.assertEqual(len(named), 1, f"{name} among {sorted({f.name for f in found if f.about == about})}")
        return named[0]

    def near(self, about: str, name: str, wanted: float, delta: float, voice: int = 0) -> None:
        self.assertAlmostEqual(number(self.said(about, name, voice)), wanted, delta=delta)

    def is_found(self, sentence: str) -> None:
        """Check that one of the findings says this."""
        said = [finding.sentence for finding in findings(Context(self.patch))]
        self.assertTrue(any(sentence in one for one in said), said)

    def pair(self, a: str, b: str) -> tuple[str, float]:
        """Return how two lanes move against each other: the word and the correlation."""
        pairs = Context(self.patch).measures.pairs
        found = next(pair for pair in pairs if {pair.a, pair.b} == {a, b})
        return found.word, found.correlation


class OfOneNote(FromEmpty):
    def test_j02_an_envelope_rung_by_a_filter(self) -> None:
        self.add("envelope", "strain", attack_s=0.03, decay_s=0.4, sustain=0.34)
        self.add("filter", "ring", input="strain", response="band", frequency_hz=7.5, q=7)
        self.say("strain raises cutoff 22 st", "ring moves cutoff 11 st")
        # Its cycles over 5 %: Q ln(20) / pi; it rings a little under its own frequency.
        self.assertEqual(self.said("signal.ring", "audible cycles"), f"{7 * math.log(20) / math.pi:.4g} over 5 %")
        self.near("signal.ring", "rings at", 7.5 * math.sqrt(1 - 1 / (4 * 7**2)), 1e-3)
        lanes = self.traced().lanes["cutoff"]
        np.testing.assert_allclose(12 * np.log2(lanes.value / 1000), sum(lanes.contributions.values()), atol=1e-9)

    def test_j03_random_fold_with_a_floor(self) -> None:
        self.add("noise", "grit")
        self.add("clock", "tick", rate="1/8")
        self.add("sample_hold", "held", input="grit", clock="tick")
        self.add("shape", "floor", input="held", gain=0.44, offset=0.56)
        self.say("floor raises fold 100%")
        fold = self.lane("fold")
        self.assertGreaterEqual(float(fold.min()), 0.12)
        self.assertLessEqual(float(fold.max()), 1.0)
        self.assertGreater(np.unique(fold).size, 3)

    def test_j04_an_envelope_on_itself(self) -> None:
        self.add("envelope", "fall", attack_s=0.001, decay_s=0.6, sustain=0, decay_bend=4)
        self.add("mix", "doubled", operation="product", inputs=[{"source": "fall"}, {"source": "fall"}])
        self.say("doubled raises cutoff 40 st", "doubled scales amplitude")
        made = self.traced().signals
        np.testing.assert_allclose(made["doubled"], made["fall"] ** 2, atol=1e-12)

    def test_j05_playing_dynamics(self) -> None:
        self.add("envelope", "blade", attack_s=0.16, decay_s=0.3, sustain=0.4)
        self.add("lfo", "shake", rate=6.0, delay_s=0.2, fade_in_s=0.3)
        self.say(
            "blade raises fm index 6rad, scaled by velocity",
            "velocity lowers blade attack 140ms",
            "shake moves pitch 25 cents",
            "velocity lowers the amount of shake to pitch 25 cents",
        )
        hard = trace(self.patch.with_note(velocity=127))
        self.assertLess(float(np.abs(hard.lanes["pitch"].value).max()), 1e-12)
        for velocity in (40, 80, 118):
            of = trace(self.patch.with_note(velocity=velocity)).lanes["fm_index"].value
            self.assertAlmostEqual(float(of[45_000]), 6 * 0.4 * velocity / 127, places=6)

    def test_a_vibrato_that_fades_in_and_vanishes_when_played_hard(self) -> None:
        self.add("lfo", "vib", rate=5.5, delay_s=0.2, fade_in_s=0.4)
        self.say("vib moves pitch 30 cents", "velocity lowers the amount of vib to pitch 30 cents")
        for velocity, depth in ((127, 0.0), (64, 0.3 * (1 - 64 / 127))):
            pitch = trace(self.patch.with_note(velocity=velocity, length_s=2.0)).lanes["pitch"].value
            self.assertAlmostEqual(float(np.abs(pitch).max()), depth, places=3)

    def test_j07_one_mover_many_places(self) -> None:
        self.add("curve", "path")
        self.say(
            "path raises wavetable position 30%",
            "path raises fm index 2 rad",
            "path raises peak 1 frequency 12 st",
            "path lowers filter 2 cutoff 18 st",
            "path lowers peak 2 frequency 7 st",
        )
        self.voice(filter2={"response": "notch"})
        lanes = self.traced().lanes
        mine = np.log2(lanes["peak1_frequency"].value)
        for name, in_octaves in (("fm_index", False), ("peak2_frequency", True)):
            theirs = np.log2(lanes[name].value) if in_octaves else lanes[name].value
            other = float(np.corrcoef(mine, theirs)[0, 1])
            word, found = self.pair("peak1_frequency", name)
            self.assertAlmostEqual(found, other, delta=0.011)
            self.assertEqual(word == "opposed", other < 0)
        # Both bands are shifted by one number of hertz.
        self.add("macro", "shift", value=0.0)
        self.say(*(f"shift raises {band} 200 Hz" for band in ("peak 1 frequency", "peak 2 frequency")))
        before = self.traced().lanes
        self.set("shift", value=1.0)
        after = self.traced().lanes
        for name in ("peak1_frequency", "peak2_frequency"):
            self.assertAlmostEqual(float(after[name].value[0] - before[name].value[0]), 200.0, places=6)

    def test_j09_a_stepped_filter(self) -> None:
        self.add("noise", "water")
        self.add("lfo", "paddle", shape="square", rate=4.0, polarity="unipolar")
        self.add("sample_hold", "held", input="water", clock="paddle")
        self.add("slew", "smoothed", input="held", rise_s=0.05, fall_s=0.05, law="exponential")
        self.say("held moves cutoff 18 st", "smoothed moves wavetable position 30%")
        held = self.traced().signals["held"]
        steps = np.flatnonzero(np.diff(held)) + 1
        np.testing.assert_array_equal(steps, np.arange(1, steps.size + 1) * 12_000)

    def test_j12_three_functions_of_one_block(self) -> None:
        # An oscillator: a slew and a comparator wired to each other. A staircase: a hold that reads itself. A clock.
        self.patch = edited(
            self.patch,
            more_modules=(
                {"id": "over", "kind": "compare", "a": "ramp", "b": 0.5, "hysteresis": 0.4},
                {"id": "ramp", "kind": "slew", "input": "turned", "rise_s": 0.01, "fall_s": 0.01},
                {"id": "turned", "kind": "shape", "input": "over", "gain": -1, "offset": 1},
                {"id": "stairs", "kind": "sample_hold", "input": "next", "clock": "over"},
                {"id": "next", "kind": "mix", "inputs": [{"source": "stairs", "offset": 0.05}]},
            ),
        )
        self.say("ramp moves cutoff 12 st")
        made = self.traced().signals
        rises = np.flatnonzero((made["over"][1:] > 0.5) & (made["over"][:-1] <= 0.5))
        # From 0.1 to 0.9 and back at 1 in 10 ms: a cycle of 16 ms, and four samples of the loop at each turn.
        self.assertAlmostEqual(float(np.diff(rises).mean()), 768 + 8, delta=1)
        np.testing.assert_allclose(np.unique(np.round(np.diff(made["stairs"]), 6)), [0, 0.05], atol=1e-6)

    def test_j12_a_comparator_and_a_slew_make_clock_tone_and_width(self) -> None:
        self.begin(3.0)
        self.patch = edited(
            self.patch,
            more_modules=(
                {"id": "lag", "kind": "slew", "input": "flip", "rise_s": 0.2, "fall_s": 0.6},
                {"id": "flip", "kind": "compare", "a": 0.5, "b": "lag", "hysteresis": 0.25},
            ),
        )
        # From a quarter to three quarters and back: half of each time.
        self.near("signal.lag", "repeats at", 1 / (0.5 * 0.8), 0.01)
        self.near("signal.lag", "rises in", 0.8 * 0.1, 0.001)
        self.near("signal.lag", "falls in", 0.8 * 0.3, 0.001)
        self.near("signal.flip", "duty", 0.25, 0.01)
        # A ramp curved by feedback: exponential, a way of a half takes the time constant times ln 3.
        self.set("lag", law="exponential")
        self.near("signal.lag", "repeats at", 1 / (0.8 * math.log(3)), 0.01)
        self.set("lag", law="linear")
        # A width by comparison: it lies over 0.6 for the upper three tenths of its way.
        self.add("compare", "wide", a="lag", b=0.6)
        self.near("signal.wide", "duty", 0.3, 0.01)
        # The same at audio rate, heard as a tone.
        self.set("lag", rise_s=0.001, fall_s=0.001)
        self.voice(signal="lag")
        self.base(signal_level=0.7, osc1_level=0.0)
        turns = np.diff(np.flatnonzero(np.diff((self.traced().signals["flip"][:RATE] > 0.5).astype(int)) > 0))
        hz = RATE / float(turns.mean())
        self.assertAlmostEqual(hz, 1000, delta=50)
        self.near("signal.lag", "repeats at", hz, 3)
        self.assertAlmostEqual(loudest_hz(self.patch), hz, delta=2)

    def test_j13_a_filter_as_shaper(self) -> None:
        self.add("lfo", "wave", shape="triangle", rate=2.0)
        for response in ("low", "high", "band", "notch"):
            self.add("filter", response, input="wave", response=response, frequency_hz=2.0, q=0.5)
        made = self.traced().signals
        w = 2 * math.tan(math.pi * 2 / 48_000)
        numerators: dict[str, list[float]] = {
            "low": [w * w],
            "high": [1, 0, 0],
            "band": [2 * w, 0],
            "notch": [1, 0, w * w],
        }
        for response, numerator in numerators.items():
            b, a = signal.bilinear(numerator, [1, 2 * w, w * w], 1.0)
            np.testing.assert_allclose(made[response], signal.lfilter(b, a, made["wave"]), atol=1e-6)

    def test_j14_uses_of_a_snapshot(self) -> None:
        self.add("lfo", "ramp", shape="saw_up", rate=0.4, polarity="unipolar")
        self.add("clock", "shutter", rate="1/16")
        self.add("sample_hold", "shot", input="ramp", clock="shutter")
        self.add("quantise", "tuned", input="shot", scale="minor_pentatonic")
        self.add("shape", "mirror", input="shot", gain=-1, offset=1)
        self.say("tuned raises pitch 12 st", "shot raises cutoff 18 st", "shot raises pan 60%")
        self.say("mirror raises wavetable position 60%")
        self.base(wavetable_position=0.0)
        made = self.traced()
        steps = np.round(made.lanes["pitch"].value, 9) % 12
        self.assertLessEqual(set(steps.tolist()), {0.0, 3.0, 5.0, 7.0, 10.0})
        np.testing.assert_allclose(made.lanes["pan"].value + made.lanes["wavetable_position"].value, 0.6)

    def test_j14_pitches_that_begin_again_at_each_bar(self) -> None:
        self.begin(6.0, tempo_bpm=120)
        self.add("noise", "drops")
        self.add("clock", "beat", rate="1/8")
        self.add("clock", "bar", rate="1bar")
        self.add("sample_hold", "row", input="drops", clock="beat", loop=5, reset="bar")
        self.add("quantise", "tuned", input="row", scale="minor_pentatonic")
        self.say("tuned raises pitch 12 st")
        pitch = self.lane("pitch")
        eighth, bar = RATE // 4, 2 * RATE
        # Five values in a bar of eight: 1 2 3 4 5 1 2 3, and again from the first at the bar.
        steps = [float(pitch[n * eighth + 100]) for n in range(24)]
        self.assertEqual(steps[:8], steps[8:16])
        self.assertEqual(steps[:3], steps[5:8])
        self.assertEqual(steps[:8], steps[16:24])
        self.assertTrue(np.array_equal(pitch[:bar], pitch[bar : 2 * bar]))
        self.assertLessEqual({round(s) % 12 for s in steps}, {0, 3, 5, 7, 10})
        self.assertIn(f"{max(steps) - min(steps):.3g} st", self.said("pitch", "range"))

    def test_j14_a_tone_sampled_and_heard_with_its_images(self) -> None:
        self.begin(1.5)
        self.add("oscillator", "tone", tracks="none", hz=300.0)
        self.add("oscillator", "ticks", tracks="none", hz=2000.0, shape="square")
        self.add("sample_hold", "caught", input="tone", clock="ticks")
        self.near("signal.caught", "effective rate", 2000, 1)
        self.voice(signal="caught")
        self.base(signal_level=0.7, osc1_level=0.0, cutoff=20_000.0)
        self.assertAlmostEqual(loudest_hz(self.patch), 300, delta=1)
        # A held sample weighs each image by sin(pi f/r) / (pi f/r): r - f lies 20 log(f / (r - f)) under the tone.
        for image in (1700, 2300):
            self.assertAlmostEqual(strength_at(self.patch, image), 20 * math.log10(300 / image), delta=0.5)

    def test_j15_many_envelopes_and_the_larger_of_two(self) -> None:
        self.add("envelope", "first", mode="trigger", attack_s=0.08, decay_s=0.3, sustain=0)
        self.add("envelope", "second", delay_s=0.5, attack_s=0.2, decay_s=0.5, sustain=0.2)
        self.add("mix", "larger", operation="max", inputs=[{"source": "first"}, {"source": "second"}])
        self.add("envelope", "crease", attack_s=0.3, decay_s=0.3, sustain=0.2)
        self.say("larger raises cutoff 36 st", "crease raises fold 40%", "second scales amplitude")
        made = self.traced()
        np.testing.assert_array_equal(made.signals["larger"], np.maximum(made.signals["first"], made.signals["second"]))
        cutoff = made.lanes["cutoff"].value
        self.assertLess(cutoff[4000 : round(0.7 * 48_000)].min(), 0.3 * cutoff.max())

    def test_j18_three_oscillators_swept_apart(self) -> None:
        self.begin(4.0)
        for name, rate, where in (
            ("first", "1/4", "wavetable position"),
            ("second", "3/8", "oscillator 2 wavetable position"),
            ("third", "1/2", "sub wavetable position"),
        ):
            self.add("lfo", name, rate=rate, shape="saw_up", polarity="unipolar")
            self.say(f"{name} raises {where} 40%")
        self.base(osc2_level=0.5, sub_level=0.5)
        self.say("first raises drive 9 dB", "first lowers cutoff 12 st")
        # Loops of 1, 1.5 and 2 beats meet after 6: their least common multiple.
        beat = 60 / self.patch.performance.tempo.bpm
        self.near("signal.first", "all meet after", 6, 1e-9)
        self.assertIn(f"{6 * beat:.4g} s", self.said("signal.first", "all meet after"))
        made = self.traced()
        lanes = [made.lanes[n].value for n in ("wavetable_position", "osc2_wavetable_position", "sub_position")]
        whole = round(6 * beat * RATE)
        for lane in lanes:
            self.assertAlmostEqual(float(lane[0]), float(lane[whole]), places=4)
        for shorter in (1, 2, 3, 4, 5):
            at = round(shorter * beat * RATE)
            self.assertGreater(max(abs(float(lane[at] - lane[0])) for lane in lanes), 0.05)
        word, found = self.pair("drive", "cutoff")
        self.assertEqual(word, "opposed")
        self.assertAlmostEqual(found, -1.0, places=6)

    def test_j19_how_far_it_opens_at_each_note_rate(self) -> None:
        self.begin(2.0, tempo_bpm=96)
        self.add("envelope", "rise", attack_s=0.25, sustain=1.0)
        self.say("rise raises cutoff 24 st", "rise scales amplitude 100%")
        # At 96 an eighth lasts 312 ms and opens it whole, a sixteenth 156 ms: 0.625 of a straight attack.
        for value, seconds in (("1/8", 0.3125), ("1/16", 0.15625), ("1/32", 0.078125)):
            self.near("signal.rise", f"notes of {value}", min(seconds / 0.25, 1.0), 0.005)

    def test_j20_kinds_of_random_side_by_side(self) -> None:
        for name, shape in (("north", "hold"), ("east", "line"), ("south", "cosine"), ("west", "gradient")):
            self.add("random", name, rate=8.0, shape=shape)
        self.add("random", "gust", rate=3.0)
        self.say("north moves cutoff 12 st", "east moves wavetable position 20%")
        still = self.traced().signals["north"]
        self.assertEqual(set(np.diff(np.flatnonzero(np.diff(still))).tolist()), {6000})
        self.say("gust moves north rate 1oct")
        made = self.traced().signals
        self.assertGreater(np.unique(made["east"]).size, 1000)
        self.assertGreater(np.diff(np.flatnonzero(np.diff(made["north"]))).std(), 100)


if __name__ == "__main__":
    unittest.main()
