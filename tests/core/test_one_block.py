"""One block, many functions: the demo patches made of slews, comparators and holds, each with its figure."""

import math
import unittest

import numpy as np
from numpy.typing import NDArray

from jorvik.core.engine.trace import Trace
from tests.support import RATE, demos, traced

Floats = NDArray[np.float64]


def demo(slug: str) -> Trace:
    """The trace of a demo."""
    doc = demos()[slug]
    return traced(**{name: value for name, value in doc.items() if name not in ("format", "version")})


def rises(y: Floats, level: float = 0.5) -> NDArray[np.intp]:
    """Numbers of the samples at which a signal has come over a level."""
    return np.flatnonzero((y[1:] > level) & (y[:-1] <= level)) + 1


class OneBlock(unittest.TestCase):
    def test_an_oscillator_in_hertz_set_by_its_rise_and_fall(self) -> None:
        period = np.diff(rises(demo("mill-race").signals["turn"])).mean() / RATE
        self.assertAlmostEqual(period, 0.8 * (0.005 + 0.005), delta=4 / RATE)

    def test_an_lfo(self) -> None:
        y = demo("lantern-swing").signals["ramp"]
        self.assertAlmostEqual(1 / (np.diff(rises(y)).mean() / RATE), 1 / (0.8 * 0.5), delta=0.003)
        up = np.diff(y) > 0
        cycle = slice(rises(y)[0], rises(y)[2])
        self.assertAlmostEqual(up[cycle].mean(), 0.1 / 0.5, delta=0.002)

    def test_portamento(self) -> None:
        t = demo("sledge-line")
        sounding = t.performance["key"] * 12 + t.lanes["pitch"].value
        on = round(0.6 * RATE)
        np.testing.assert_allclose(sounding[:on], -12.0, atol=1e-9)
        np.testing.assert_allclose(sounding[on : on + 9600], -12 + 12 * (np.arange(9600) + 1) / 9600, atol=1e-6)
        np.testing.assert_allclose(sounding[on + 9600 : 2 * on], 0.0, atol=1e-9)

    def test_a_low_pass_gate(self) -> None:
        t = demo("barn-door")
        on, off = t.run.notes[0].on, t.run.notes[0].off
        self.assertEqual(off - on, round(0.3 * RATE))
        after = np.arange(20_000) + 1
        np.testing.assert_allclose(
            t.signals["door"][on : on + 5000], 1 - np.exp(-after[:5000] / (0.004 * RATE)), atol=1e-9
        )
        open_at = t.signals["door"][off - 1]
        np.testing.assert_allclose(
            t.signals["door"][off : off + 20_000], open_at * np.exp(-after / (0.25 * RATE)), atol=1e-9
        )
        octaves = np.log2(t.lanes["cutoff"].value / 120)
        np.testing.assert_allclose(octaves, 4 * t.lanes["amplitude"].value, atol=1e-9)

    def test_a_track_and_hold(self) -> None:
        t = demo("net-haul")
        high = t.signals["hands"] > 0.5
        np.testing.assert_array_equal(t.signals["net"][high], t.signals["ramp"][high])
        held = np.diff(t.signals["net"])[~high[1:]]
        np.testing.assert_array_equal(held, 0.0)

    def test_a_clock(self) -> None:
        y = demo("ferry-clock").signals["turn"]
        ticks = rises(y)
        self.assertAlmostEqual(np.diff(ticks).mean() / RATE, 0.160, delta=4 / RATE)
        self.assertAlmostEqual(y[ticks[0] : ticks[-1]].mean(), 0.4, delta=0.001)

    def test_a_rising_staircase(self) -> None:
        t = demo("tide-steps")
        stair = t.signals["stair"]
        begin = rises(-t.signals["tide"], -0.2)[0]
        top = rises(t.signals["tide"], 0.899)
        flight = stair[begin : top[top > begin][0]]
        steps = np.diff(flight)[np.diff(flight) > 1e-6]
        np.testing.assert_allclose(steps, 0.1, atol=3e-3)
        self.assertIn(steps.size, (7, 8))

    def test_a_sampler_of_a_ramp(self) -> None:
        t = demo("ice-ruler")
        handles = rises(t.signals["beat"])
        np.testing.assert_array_equal(t.signals["mark"][handles], t.signals["even"][handles])
        beat, ramp = np.diff(handles).mean(), np.diff(rises(-t.signals["even"], -0.2)).mean()
        on = np.diff(t.signals["mark"][handles])
        forward = on[on < 0]
        self.assertAlmostEqual(abs(forward).mean(), (ramp - beat) / RATE / 0.2, delta=0.001)

    def test_ramps_bent_by_feedback_to_the_rate(self) -> None:
        """dy/dt = 1 / (r + c y) rises from 0.1 to 0.9 in r 0.8 + c (0.9**2 - 0.1**2) / 2."""
        y = demo("rope-curve").signals["ramp"]
        low = np.flatnonzero((y[1:-1] < y[:-2]) & (y[1:-1] <= y[2:])) + 1
        high = np.flatnonzero((y[1:-1] > y[:-2]) & (y[1:-1] >= y[2:])) + 1
        taken = (high[high > low[0]][0] - low[0]) / RATE
        self.assertAlmostEqual(taken, 0.1 * 0.8 + 0.3 * 0.4, delta=3e-4)

    def test_pulse_width_by_comparing_two_ramps(self) -> None:
        t = demo("sluice-width")
        gap, slow = t.signals["gap"], t.signals["slow"]
        cycles = rises(t.signals["quick turn"])
        for a, b in zip(cycles[5:60:9], cycles[6:61:9], strict=True):
            share = np.clip((slow[(a + b) // 2] - 0.1) / 0.8, 0, 1)
            self.assertAlmostEqual(gap[a:b].mean(), share, delta=0.03)

    def test_a_random_source_with_three_outputs(self) -> None:
        t = demo("three-gulls")
        ticks = rises(t.signals["timing"])
        np.testing.assert_array_equal(t.signals["stepped"][ticks], t.signals["hiss"][ticks])
        self.assertEqual(np.count_nonzero(np.diff(t.signals["stepped"])), ticks.size)
        self.assertLessEqual(np.abs(np.diff(t.signals["smooth"])).max(), 1 / (0.12 * RATE) + 1e-12)
        waits = np.diff(ticks) / RATE
        self.assertGreater(waits.std() / waits.mean(), 0.1)
        self.assertFalse(math.isclose(waits.min(), waits.max()))


if __name__ == "__main__":
    unittest.main()
