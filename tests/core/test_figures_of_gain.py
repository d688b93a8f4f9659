"""The gain of an attenuator, the spread of a unison, falls scaled, and key beside depth: by other means."""

import math
import re
import unittest

import numpy as np
from numpy.typing import NDArray

from jorvik.core.engine.trace import trace
from jorvik.core.figures import KINDS
from jorvik.core.figures.base import Figure
from jorvik.core.findings import RULES
from jorvik.core.measure.context import Context
from tests.support import Json, note, patch

WAVE: Json = {"id": "w", "kind": "lfo", "rate": 4.0}


class Gain(unittest.TestCase):
    def test_a_plain_gain_is_the_ratio_of_what_comes_out(self) -> None:
        for fields in ({"gain": 0.25}, {"gain": -2.0}, {"gain": 0.5, "invert": True}):
            of = patch([WAVE, {"id": "a", "kind": "shape", "input": "w", **fields}], performance=note(1.0, 0.0))
            made = trace(of).signals
            [said] = KINDS["attenuated"](Context(of))
            ratio = float(abs(made["a"]).max() / abs(made["w"]).max())
            self.assertAlmostEqual(said.value, 20 * math.log10(ratio), places=6)
            turned = float((made["a"] * made["w"]).sum()) < 0
            self.assertEqual("180°" in said.words, turned)

    def test_each_input_of_a_mix(self) -> None:
        inputs = [{"source": "w", "gain": 0.5}, {"source": "gate", "gain": 0.0}]
        found = list(KINDS["attenuated"](Context(patch([WAVE, {"id": "m", "kind": "mix", "inputs": inputs}]))))
        self.assertAlmostEqual(found[0].value, -6.0206, places=3)
        self.assertEqual(found[1].words, "nothing passes")


class Spread(unittest.TestCase):
    def test_the_unison_counts_in_the_whole_spread(self) -> None:
        route = {"source": "w", "destination": "pitch", "amount": 0.2}
        voice = {"oscillators": {"unison": 3}, "base": {"detune": 14.0}}
        of = patch([WAVE], [route], performance=note(1.0, 0.0), voice=voice)
        said = {f.name: f for f in KINDS["beating"](Context(of))}
        self.assertAlmostEqual(said["spread while held"].value, 40.0, delta=0.01)
        self.assertAlmostEqual(said["spread with the unison"].value, 54.0, delta=0.01)


FALL: Json = {"id": "e", "kind": "envelope", "attack_s": 0.0, "decay_s": 0.6, "sustain": 0.0, "decay_bend": 3.0}
SLOW: Json = {**FALL, "id": "b", "decay_s": 1.2, "decay_bend": 2.0}


class ScaledFalls(unittest.TestCase):
    def falls(self, via: str) -> dict[str, str]:
        route = {"id": "r", "source": "e", "destination": "cutoff", "amount": -30.0, "via": via}
        of = patch([FALL, SLOW], [route], performance=note(1.0, 0.0))
        return {f.name: f.words for f in KINDS["scaled_falls"](Context(of))}

    def test_each_way_by_the_closed_form_of_the_bends(self) -> None:
        at = np.arange(round(1.0 * 48000)) / 48000

        def stage(lasts: float, bend: float) -> NDArray[np.float64]:
            inside = np.minimum(at / lasts, 1.0)
            return np.asarray(1.0 - (1.0 - np.exp(-bend * inside)) / (1.0 - math.exp(-bend)))

        alone, slow = stage(0.6, 3.0), stage(1.2, 2.0)
        said = self.falls("b")
        for way, curve in (("alone", alone), ("through b", alone * slow), ("by itself", alone * alone)):
            times = [float(ms) / 1000 for ms in re.findall(r"[\d.]+", said[way])]
            self.assertEqual(len(times), 3)
            for time, left in zip(times, (0.5, 0.1, 0.01), strict=True):
                self.assertAlmostEqual(time, float(at[np.argmax(curve <= left)]), delta=6e-4)

    def test_through_itself_is_by_itself(self) -> None:
        both, own = self.falls("b"), self.falls("e")
        self.assertEqual(own, {way: both[way] for way in ("alone", "by itself")})

    def test_what_stands_still_scales_no_fall(self) -> None:
        self.assertEqual(self.falls("velocity"), {})


class KeyFollow(unittest.TestCase):
    def figures(self, **fields: float) -> tuple[Context, dict[str, Figure]]:
        follow = {"id": "k", "source": "key", "destination": "cutoff", "amount": 9.0, **fields}
        depth = {"id": "d", "source": "e", "destination": "cutoff", "amount": 27.0}
        context = Context(patch([FALL], [follow, depth], performance=note(1.0, 0.0)))
        return context, {f.name: f for f in KINDS["key_follow"](context)}

    def test_an_octave_against_the_depth(self) -> None:
        context, said = self.figures()
        self.assertAlmostEqual(said["an octave of key moves it"].value, 9.0, places=9)
        self.assertAlmostEqual(said["e moves as far in"].value, 3.0, places=9)
        key = context.patch.performance.notes[0].key
        higher = trace(context.patch.with_note(key=key + 12)).lanes["cutoff"].raw
        ratio = float(higher[0] / context.trace.lanes["cutoff"].raw[0])
        self.assertAlmostEqual(12 * math.log2(ratio), 9.0, places=9)

    def test_typed_it_sets_the_amount(self) -> None:
        for bend in (0.0, 2.0):
            _, said = self.figures(bend=bend)
            change = said["an octave of key moves it"].with_value
            assert change is not None
            [again, *_] = KINDS["key_follow"](Context(change(12.0)))
            self.assertAlmostEqual(again.value, 12.0, places=4)

    def test_no_octave_is_left_over_the_highest_keys(self) -> None:
        follow = {"id": "k", "source": "key", "destination": "cutoff", "amount": 9.0}
        of = patch([FALL], [follow], performance=note(1.0, 0.0)).with_note(key=120)
        self.assertEqual(list(KINDS["key_follow"](Context(of))), [])


class ClickFree(unittest.TestCase):
    def at(self, attack_s: float, bend: float, release_s: float = 0.1) -> Context:
        fields = {"attack_s": attack_s, "attack_bend": bend, "release_bend": bend, "release_s": release_s}
        env = {"id": "e", "kind": "envelope", "sustain": 1.0, **fields}
        route = {"source": "e", "destination": "amplitude", "amount": 1, "mode": "scale"}
        return Context(patch([env], [route], performance=note(0.3, 0.3)))

    def clicks(self, context: Context) -> list[str]:
        return [finding.which for finding in RULES["click"](context)]

    def test_a_stage_a_little_longer_is_silent_and_one_a_little_shorter_clicks(self) -> None:
        for bend in (0.0, 3.0, -3.0):
            said = {f.name: f.value for f in KINDS["click_free"](self.at(0.2, bend))}
            attack, release = said["least attack without a click"], said["least release without a click"]
            self.assertEqual(self.clicks(self.at(1.05 * attack, bend, 1.05 * release)), [], bend)
            self.assertEqual(self.clicks(self.at(0.93 * attack, bend)), ["opens"], bend)
            self.assertEqual(self.clicks(self.at(0.2, bend, 0.93 * release)), ["closes"], bend)


class DiesAway(unittest.TestCase):
    def test_a_straight_release_and_a_gate(self) -> None:
        env = {"id": "e", "kind": "envelope", "sustain": 1.0, "attack_s": 0.01, "release_s": 0.5}
        route = {"source": "e", "destination": "amplitude", "amount": 1, "mode": "scale"}
        [said] = KINDS["dies_away"](Context(patch([env], [route], performance=note(0.4, 1.0, tempo_bpm=120))))
        # 60 dB down a straight release is all but a thousandth of it.
        self.assertAlmostEqual(said.value, 0.4 + 0.999 * 0.5, delta=1e-4)
        self.assertIn("1.8 beats", said.words)
        [gated] = KINDS["dies_away"](Context(patch([], performance=note(0.4, 1.0))))
        self.assertAlmostEqual(gated.value, 0.403, delta=1e-4)
        [cut] = KINDS["dies_away"](Context(patch([env], [route], performance=note(0.4, 0.1))))
        self.assertIn("the end of the run", cut.words)


class Vibrato(unittest.TestCase):
    def test_rate_depth_and_when_it_is_heard_in_closed_form(self) -> None:
        wave = {"id": "v", "kind": "lfo", "rate": 5.0, "delay_s": 0.4, "fade_in_s": 1.0}
        of = patch([wave], [{"source": "v", "destination": "pitch", "amount": 0.3}], performance=note(3.0, 0.0))
        said = {f.name: f.value for f in KINDS["vibrato_heard"](Context(of))}
        self.assertAlmostEqual(said["rate"], 5.0)
        self.assertAlmostEqual(said["depth"], 30.0, delta=0.01)
        at = np.arange(round(3.0 * 48000)) / 48000
        cents = 30.0 * np.clip((at - 0.4) / 1.0, 0.0, 1.0) * np.sin(2 * np.pi * 5.0 * at)
        self.assertAlmostEqual(said["heard after"], float(at[np.argmax(np.abs(cents) >= 5.0)]), delta=1e-4)

    def test_one_too_shallow_is_never_heard(self) -> None:
        wave = {"id": "v", "kind": "lfo", "rate": 5.0}
        of = patch([wave], [{"source": "v", "destination": "pitch", "amount": 0.04}], performance=note(1.0, 0.0))
        self.assertEqual([f.said for f in KINDS["vibrato_heard"](Context(of))][-1], "not in this note")


if __name__ == "__main__":
    unittest.main()
