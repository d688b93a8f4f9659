"""Bands after the filters, tables of their own, hertz that are added, and a signal heard as sound."""

import math
import unittest
from typing import Any

import numpy as np

from jorvik.core.document.patch import check_patch
from jorvik.core.engine.trace import trace
from jorvik.core.figures import KINDS
from jorvik.core.measure.context import Context
from jorvik.core.problems import Problem
from jorvik.core.voice.render import render
from tests.core.test_voice_parts import key_of, levels, peak, sound
from tests.support import RATE, Json, document, note, patch


def bell_db(hz: float, middle: float, gain: float, q: float) -> float:
    """A peaking band in closed form, prewarped as every bilinear filter is."""
    s = 1j * math.tan(math.pi * hz / RATE) / math.tan(math.pi * middle / RATE)
    a = 10 ** (gain / 40)
    return 20 * math.log10(abs((s * s + s * a / q + 1) / (s * s + s / (a * q) + 1)))


class Bands(unittest.TestCase):
    def test_a_band_is_its_closed_form_at_eight_frequencies(self) -> None:
        plain = levels(sound(hz=100.0, oscillators={"osc1": {"table": "pulse"}}))
        for middle, gain, q in ((1000.0, 12.0, 2.0), (400.0, -18.0, 0.7), (6000.0, 20.0, 8.0)):
            base = {"peak1_frequency": middle, "peak1_gain": gain, "peak1_q": q}
            banded = levels(sound(base, hz=100.0, oscillators={"osc1": {"table": "pulse"}}))
            for number in (1, 3, 5, 9, 11, 33, 61, 95):
                hz = 100.0 * number
                got = 20 * math.log10(peak(banded, hz) / peak(plain, hz))
                self.assertAlmostEqual(got, bell_db(hz, middle, gain, q), delta=0.02, msg=f"{middle} Hz at {hz} Hz")

    def test_two_bands_follow_each_other_and_one_at_0_is_not_there(self) -> None:
        plain = sound(hz=220.0)
        np.testing.assert_array_equal(sound({"peak1_frequency": 300, "peak1_q": 9, "peak2_q": 4}, hz=220.0), plain)
        both = {"peak1_frequency": 660, "peak1_gain": 9, "peak2_frequency": 660, "peak2_gain": -9}
        np.testing.assert_allclose(sound(both, hz=220.0), plain, atol=1e-9)

    def test_a_moved_band_is_at_each_moment_where_it_stands(self) -> None:
        slow = {"id": "slow", "kind": "lfo", "rate": 0.5}
        routes = [{"source": "slow", "destination": "peak1_gain", "amount": 12.0}]
        voice = {"base": {"cutoff": 20_000, "peak1_frequency": 700, "peak1_q": 1.5, "amplitude": 0.2}}
        made = patch([slow], routes, performance=note(2.0, 0.0, key=key_of(1000)), voice=voice)
        samples = render(made).samples[:, 0]
        plain = render(patch(performance=note(2.0, 0.0, key=key_of(1000)), voice=voice)).samples[:, 0]
        # The filter ahead delays both alike: the loudest of each cycle is compared.
        cycles = slice(4800, 4800 + 48 * 1800)
        most, least = (s[cycles].reshape(-1, 48).max(axis=1) for s in (samples, plain))
        at = (np.arange(most.size) * 48 + 4800 + 24) / RATE
        expected = [bell_db(1000, 700, 12 * math.sin(math.pi * t), 1.5) for t in at]
        np.testing.assert_allclose(20 * np.log10(most / least), expected, atol=0.1)


class Drive(unittest.TestCase):
    FULL = 0.3 * math.sqrt(2)

    def test_compensated_or_not_and_by_how_much_is_said(self) -> None:
        for decibels in (6.0, 24.0):
            made = [
                levels(sound({"drive": decibels, "amplitude": 0.4}, 440.0, drive={"compensated": is_so}))
                for is_so in (True, False)
            ]
            wanted = 20 * math.log10(self.FULL / math.tanh(10 ** (decibels / 20) * self.FULL))
            self.assertAlmostEqual(20 * math.log10(peak(made[0], 440) / peak(made[1], 440)), wanted, delta=0.02)
            of = patch(performance=note(0.3, 0.0), voice={"base": {"drive": decibels}})
            [said] = KINDS["driven"](Context(of))
            self.assertAlmostEqual(said.value, wanted, places=9)
        for voice in ({}, {"base": {"drive": 9.0}, "drive": {"compensated": False}}):
            self.assertEqual(list(KINDS["driven"](Context(patch(voice=voice)))), [])


class Hertz(unittest.TestCase):
    def test_bands_shifted_by_one_number_of_hertz(self) -> None:
        hand = {"id": "hand", "kind": "macro", "value": 0.5}
        names = ("cutoff", "filter2_cutoff", "peak1_frequency", "peak2_frequency")
        routes = [
            {"id": name, "source": "hand", "destination": name, "amount": 600.0, "amount_unit": "Hz"} for name in names
        ]
        routes.append({"id": "up", "source": "hand", "destination": "cutoff", "amount": 24.0})
        made = trace(patch([hand], routes, voice={"base": {"filter2_cutoff": 5000.0}}))
        for name, base in zip(names, (1000.0 * 2, 5000.0, 1000.0, 3000.0), strict=True):
            np.testing.assert_allclose(made.lanes[name].value, base + 300.0, rtol=1e-12)
        np.testing.assert_allclose(made.lanes["cutoff"].contributions["cutoff"], 300.0)

    def test_hertz_are_scaled_with_the_rest_and_clamped(self) -> None:
        wave = {"id": "w", "kind": "constant", "value": -1.0}
        half = {
            "id": "half",
            "source": "w",
            "destination": "cutoff",
            "mode": "scale",
            "amount": 1.0,
            "polarity": "unipolar",
        }
        shift = {"id": "shift", "source": "w", "destination": "cutoff", "amount": 400.0, "amount_unit": "Hz"}
        of = trace(patch([wave], [shift])).lanes["cutoff"]
        np.testing.assert_allclose(of.value, 600.0)
        np.testing.assert_allclose(trace(patch([wave], [shift, half])).lanes["cutoff"].raw, 0.0, atol=1e-9)
        low = trace(patch([wave], [{**shift, "amount": 1500.0}])).lanes["cutoff"]
        np.testing.assert_allclose((low.raw[0], low.value[0]), (-500.0, 16.0))

    def test_hertz_anywhere_else_are_refused(self) -> None:
        for destination, mode in (("pitch", "add"), ("cutoff", "scale"), ("resonance", "add")):
            route: Json = {"id": "r", "source": "gate", "destination": destination, "mode": mode, "amount": 0.5}
            with self.assertRaisesRegex(Problem, r"routes\[0\].amount_unit.*adds to cutoff"):
                check_patch(document(routes=[{**route, "amount_unit": "Hz"}]))


class Positions(unittest.TestCase):
    def alone(self, which: str, base: Json) -> Any:
        off = {"osc1_level": 0.0, f"{which}_level": 1.0}
        tables = {name: {"table": "ladder"} for name in ("osc1", "osc2", "sub")}
        return levels(sound({**off, **base}, hz=440.0, oscillators=tables))

    def test_oscillator_2_goes_with_oscillator_1_until_it_is_set(self) -> None:
        first = levels(sound({"wavetable_position": 0.7}, hz=440.0, oscillators={"osc1": {"table": "ladder"}}))
        along = self.alone("osc2", {"wavetable_position": 0.7})
        apart = self.alone("osc2", {"wavetable_position": 0.7, "osc2_wavetable_position": 0.1})
        numbers = [440.0 * n for n in range(1, 9)]
        ratios = [peak(first, hz) / peak(along, hz) for hz in numbers]
        np.testing.assert_allclose(ratios, ratios[0], rtol=1e-3)
        self.assertGreater(max(abs(math.log10(peak(along, hz) / peak(apart, hz))) for hz in numbers), 0.3)

    def test_oscillator_2_goes_with_what_moves_oscillator_1(self) -> None:
        turn = {"id": "turn", "kind": "lfo", "rate": 1.0}
        route = {"source": "turn", "destination": "wavetable_position", "amount": 0.5}
        base = {"osc1_level": 0.0, "osc2_level": 1.0, "cutoff": 20_000, "wavetable_position": 0.5}
        moved = render(patch([turn], [route], voice={"base": base})).samples
        still = render(patch([turn], [route], voice={"base": {**base, "osc2_wavetable_position": 0.5}})).samples
        own = {**route, "destination": "osc2_wavetable_position"}
        alone = render(patch([turn], [own], voice={"base": {**base, "osc2_wavetable_position": 0.5}})).samples
        self.assertGreater(float(np.abs(moved - still).max()), 0.01)
        np.testing.assert_allclose(moved, alone, atol=1e-9)

    def test_the_sub_has_a_position_that_moves_and_old_patches_keep_theirs(self) -> None:
        set_now = self.alone("sub", {"sub_position": 0.6})
        sub = {"osc1": {"table": "ladder"}, "sub": {"table": "ladder", "position": 0.6}}
        set_then = levels(sound({"osc1_level": 0.0, "sub_level": 1.0}, hz=440.0, oscillators=sub))
        np.testing.assert_allclose(set_then, set_now, atol=1e-12)
        self.assertGreater(float(np.abs(set_now - self.alone("sub", {"sub_position": 0.0})).max()), 0.01)


class Heard(unittest.TestCase):
    def heard(self, module: Json, level: float = 0.4, **base: float) -> Any:
        voice = {"signal": module["id"], "base": {"osc1_level": 0.0, "signal_level": level, "cutoff": 20_000, **base}}
        return render(patch([module], performance=note(1.2, 0.0), voice=voice)).samples[:, 0]

    def test_a_signal_sounds_at_its_own_level_without_its_dc(self) -> None:
        wave = {"id": "w", "kind": "lfo", "rate": 480.0, "polarity": "unipolar"}
        found = levels(self.heard(wave))
        # The open filter takes next to nothing at 480 Hz, the high-pass at 10 Hz as little.
        self.assertAlmostEqual(peak(found, 480.0), 0.4 * 0.5, delta=0.002)
        self.assertLess(float(found[:5].max()), 1e-4)

    def test_a_signal_is_folded_with_the_tone(self) -> None:
        wave = {"id": "w", "kind": "lfo", "rate": 480.0}
        plain, folded = levels(self.heard(wave)), levels(self.heard(wave, fold=0.6))
        self.assertGreater(peak(folded, 1440.0), 30 * peak(plain, 1440.0))

    def test_a_signal_that_is_not_there_is_refused(self) -> None:
        with self.assertRaisesRegex(Problem, 'voice.signal: found "w"; it must be the id of a module'):
            check_patch(document(voice={"signal": "w"}))


if __name__ == "__main__":
    unittest.main()
