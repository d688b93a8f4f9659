"""The figures of the demo patches as they are read, each compared with the same figure found another way."""

import math
import re
import unittest
from functools import cache

import numpy as np

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.engine.trace import Trace, trace
from jorvik.core.figures import figures
from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from tests.support import RATE, Json, demos


def demo(file: str) -> Json:
    """Return a demo's document."""
    return demos()[file]


@cache
def traced(file: str) -> Trace:
    return trace(check_patch(demo(file)))


def number(text: str) -> float:
    """Return the first number of a figure, in its base unit."""
    found = re.match(r"^([−-]?[\d.]+) ?(ms|kHz|%)?", text)
    assert found is not None, text
    scale = {"ms": 1e-3, "kHz": 1e3, "%": 1e-2}.get(found[2] or "", 1.0)
    return float(found[1].replace("−", "-")) * scale


class OfJobs(unittest.TestCase):
    patch: Patch
    found: list[Figure]
    about: str

    def read(self, patch: Patch) -> None:
        self.patch, self.found = patch, figures(Context(patch))

    def open_demo(self, name: str) -> None:
        """Read the figures of a demo."""
        self.read(check_patch(next(document for document in demos().values() if document["name"] == name)))
        self.whole_patch()

    def source(self, name: str) -> None:
        """Go on with the figures of a source."""
        self.about = f"signal.{name}"

    def figures_of(self, lane: str) -> None:
        """Go on with the figures of a destination."""
        self.about = lane.replace(" ", "_")

    def whole_patch(self) -> None:
        """Go on with the figures of the patch itself."""
        self.about = ""

    def here(self) -> list[Figure]:
        return [figure for figure in self.found if figure.about == self.about]

    def names(self) -> list[str]:
        return [figure.name for figure in self.here()]

    def groups(self) -> list[str]:
        return [figure.group for figure in self.here()]

    def said(self, name: str) -> str:
        """Return how a figure is read."""
        return next(figure.said for figure in self.here() if figure.name == name)

    def set(self, name: str, value: float) -> None:
        """Give a figure another value and read the patch that has it."""
        with_value = next(figure for figure in self.here() if figure.name == name).with_value
        assert with_value is not None
        self.read(with_value(value))

    def test_j02_a_ring_its_cost_and_its_end(self) -> None:
        self.open_demo("Rope Creak")
        self.source("ring")
        self.assertEqual(self.said("rings at"), f"{7.5 * math.sqrt(1 - 1 / (4 * 3.5**2)):.4g} Hz")
        self.assertAlmostEqual(number(self.said("audible cycles")), 3.5 * math.log(20) / math.pi, places=2)
        made = traced("rope-creak").signals
        # How much later 90 % of its way is reached through the filter.
        ninety = [int((made[n] >= 0.9 * made[n].max()).argmax()) / RATE for n in ("strain", "ring")]
        self.assertAlmostEqual(number(self.said("attack")), abs(ninety[1] - ninety[0]), places=4)

    def test_j03_reach_and_silence(self) -> None:
        self.open_demo("Grit Fold")
        self.figures_of("fold")
        self.assertEqual((self.said("least"), self.said("greatest")), ("12 %", "90 %"))
        self.assertEqual(self.said("falls silent"), "0 %")
        self.source("floor")
        self.set("never below", -0.2)
        self.figures_of("fold")
        # Of a uniform number over -0.2..0.9, a share of 0.21 / 1.1 lies at or under a hundredth.
        self.assertAlmostEqual(number(self.said("falls silent")), 0.21 / 1.1, delta=1e-4)
        self.assertAlmostEqual(number(self.said("offset that removes it")), 0.21, places=3)

    def test_j04_times_before_and_after(self) -> None:
        self.open_demo("Doubled Fall")
        self.source("doubled")
        fall = traced("doubled-fall").signals["fall"][96:]
        for name, level in (("−6 dB", 0.5), ("−20 dB", 0.1), ("−40 dB", 0.01)):
            before, after = self.said(f"falls to {name}").split(" → ")
            self.assertAlmostEqual(number(before), int((fall <= level).argmax()) / RATE, places=4)
            self.assertAlmostEqual(number(after), int((fall <= math.sqrt(level)).argmax()) / RATE, places=4)

    def test_j06_spread_beat_and_the_next_note(self) -> None:
        self.open_demo("Lantern Hum")
        self.figures_of("pitch")
        pitch = traced("lantern-hum").lanes["pitch"].value[: round(2.4 * RATE)]
        self.assertAlmostEqual(number(self.said("spread while held")), 100 * float(np.ptp(pitch)), delta=0.05)
        self.assertGreater(number(self.said("next note differs by")), 5)
        self.whole_patch()
        outer = [220 * 2 ** (c / 1200) for c in (-4.5, 4.5)]
        self.assertAlmostEqual(number(self.said("outer unison voices beat at")), outer[1] - outer[0], delta=0.001)

    def test_j09_moments_range_and_steps_that_change_nothing(self) -> None:
        self.open_demo("Mill Wheel")
        self.source("held")
        eighth = 60 / 100 / 2
        moments = [number(t) for t in self.said("takes a value").split(": ")[1].removesuffix(" …").split(", ")]
        np.testing.assert_allclose(moments, np.arange(8) * eighth, atol=1e-4)
        self.figures_of("cutoff")
        self.assertAlmostEqual(number(self.said("least")), 520 * 2 ** (-17 / 12), delta=0.05)
        self.assertAlmostEqual(number(self.said("greatest")), 520 * 2 ** (17 / 12), delta=0.5)
        self.assertIn(f"{34 / 12:.3g} octaves", self.said("from end to end"))
        self.assertEqual(self.said("steps that change nothing"), "0 %")

    def test_j11_a_vibrato_and_when_it_is_heard(self) -> None:
        self.open_demo("Lantern Hum")
        self.figures_of("pitch")
        self.assertIn("Vibrato by waver", self.groups())
        pitch = traced("lantern-hum").lanes["pitch"]
        swing = pitch.contributions["waver to pitch"][: round(2.4 * RATE)]
        self.assertEqual(self.said("rate"), "5.2 Hz")
        self.assertAlmostEqual(number(self.said("depth").lstrip("±")), 100 * float(swing.max()), delta=0.1)
        heard = int(np.argmax(np.abs(swing) >= 0.05)) / RATE
        self.assertAlmostEqual(number(self.said("heard after")), heard, delta=0.001)

    def test_j13_gain_and_phase_of_each_response(self) -> None:
        self.open_demo("Weir Shapes")
        made = traced("weir-shapes").signals
        turn = 2 * np.pi * 2.0 * np.arange(RATE) / RATE
        basis = np.stack([np.sin(turn), np.cos(turn)], 1)
        given = np.linalg.lstsq(basis, made["wave"][RATE : 2 * RATE], rcond=None)[0]
        for name in ("low", "high", "band"):
            self.source(name)
            fit = np.linalg.lstsq(basis, made[name][RATE : 2 * RATE], rcond=None)[0]
            gain = 20 * math.log10(math.hypot(*fit) / math.hypot(*given))
            phase = math.degrees(math.atan2(fit[1], fit[0]) - math.atan2(given[1], given[0]))
            self.assertAlmostEqual(number(self.said("gain")), gain, delta=0.02)
            self.assertAlmostEqual((number(self.said("phase")) - phase + 180) % 360 - 180, 0, delta=0.2)

    def test_j14_notes_and_how_often_each_comes(self) -> None:
        self.open_demo("Snapshot")
        self.figures_of("pitch")
        # Sixteenths of a rising ramp, kept to the scale by hand.
        scale = [o + d for o in (0, 12) for d in (0, 3, 5, 7, 10)]
        sixteenth = 60 / 92 / 4
        taken = [12 * ((0.4 * n * sixteenth) % 1) for n in range(math.ceil(2.6 / sixteenth))]
        notes = [min(scale, key=lambda s, t=t: (round(abs(s - t), 9), s)) for t in taken]  # type: ignore[misc]
        runs = [a for a, b in zip(notes, [None, *notes], strict=False) if a != b]
        self.assertAlmostEqual(number(self.said("A2")), runs.count(0) / len(runs), delta=0.001)
        self.assertAlmostEqual(number(self.said("E3")), runs.count(7) / len(runs), delta=0.001)
        self.source("shot")
        self.assertAlmostEqual(number(self.said("effective rate")), 1 / sixteenth, delta=0.01)

    def test_j15_rises_the_dip_between_and_what_stands_still(self) -> None:
        self.open_demo("Many Hands")
        self.figures_of("cutoff")
        self.assertEqual(self.said("rise 1"), "2.621 kHz after 80 ms")
        self.assertTrue(self.said("rise 2").endswith("after 800 ms"), self.said("rise 2"))
        self.assertEqual(self.said("dip 1"), "260 Hz after 430 ms")
        self.open_demo("Barn Door")
        self.whole_patch()
        self.assertIn("to 300 ms", self.said("nothing moves"))

    def test_j16_range_in_notes_and_when_all_meet(self) -> None:
        self.open_demo("Frozen Rounds")
        self.source("round of seven")
        self.assertEqual(self.said("repeats after"), "3.5 beats, 2.333 s")
        beats = math.lcm(5, 7, 8) / 2
        self.assertEqual(self.said("all loops meet after"), f"{beats:g} beats, {beats * 60 / 90:.4g} s")
        self.figures_of("pitch")
        self.assertRegex(self.said("range"), r"^\S+ to \S+, \d+ st$")
        self.assertIn("Intervals", " ".join([*self.groups(), *self.names()]))

    def test_j20_waits_spread_and_speed(self) -> None:
        self.open_demo("Four Winds")
        self.source("north")
        jumps = np.flatnonzero(np.diff(traced("four-winds").signals["north"])) + 1
        held = jumps[jumps < round(demo("four-winds")["performance"]["notes"][0]["length_s"] * RATE)]
        waits = np.diff(np.concatenate([[0], held])) / RATE
        self.assertAlmostEqual(number(self.said("average wait")), float(waits.mean()), delta=1e-4)
        self.assertAlmostEqual(number(self.said("longest wait")), float(waits.max()), delta=1e-4)


if __name__ == "__main__":
    unittest.main()
