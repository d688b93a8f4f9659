"""Lanes and the sound against a beat, by closed forms."""

import math
import unittest
from typing import Any

import numpy as np

from jorvik.core.document.patch import Patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.figures import KINDS
from jorvik.core.measure.beat import against_beat, at_strikes, low_share
from jorvik.core.measure.context import Context
from tests.support import RATE, Json, patch

STRIKES: list[Json] = [{"at": 0, "strength": 1.0, "length": 0.25}, {"at": 2, "strength": 0.5, "length": 0.25}]


def under(modules: list[Json], routes: list[Json], strikes: list[Json] | None = None, **fields: Any) -> Patch:
    of = patch(modules, routes, performance={"tail_s": 0.0}, voice={"mode": "mono", **fields.pop("voice", {})})
    phrase = {
        "format": "jorvik-phrase",
        "version": 1,
        "tempo_bpm": 120,
        "bars": 1,
        "played": [{"key": 48, "at": 0, "length": 4}],
        "hits": [{"id": "thud", "strikes": STRIKES if strikes is None else strikes}],
        **fields,
    }
    return of.under(check_phrase(phrase))


FOLLOWER: Json = {"id": "f", "kind": "follower", "input": "hit:thud", "attack_s": 0.02, "release_s": 0.1}
OPENS: Json = {"source": "f", "destination": "wavetable_position", "amount": 1.0}


class Strikes(unittest.TestCase):
    def test_a_follower_at_each_stroke_in_closed_form(self) -> None:
        beat = against_beat(Context(under([FOLLOWER], [OPENS])))
        first, second = beat.hits["thud"]["wavetable_position"]
        held = 0.125
        for strike, strength, begins in ((first, 1.0, 0.0), (second, 0.5, None)):
            # From where it stands to its share of the strength after 125 ms, with a time constant of 20.
            start = strike.value if begins is None else begins
            peak = strength + (start - strength) * math.exp(-held / 0.02)
            self.assertAlmostEqual(strike.peak or 0, peak, delta=2e-3)
            self.assertAlmostEqual(strike.peak_after_s or 0, held, delta=1e-3)
        # Between a tenth and nine tenths of an exponential cut off at its sixth time constant.
        whole = 1 - math.exp(-held / 0.02)
        rise = 0.02 * math.log((1 - 0.1 * whole) / (1 - 0.9 * whole))
        self.assertAlmostEqual(first.rise_s or 0, rise, delta=1e-3)
        self.assertAlmostEqual(first.fall_s or 0, 0.1 * math.log(9), delta=1e-3)
        left = math.exp(-(1.0 - held) / 0.1)
        self.assertAlmostEqual(first.left_at_next or 0, left, delta=2e-3)
        self.assertTrue(first.found_closed)

    def test_one_that_is_too_slow_is_found_open(self) -> None:
        slow = {**FOLLOWER, "release_s": 0.8}
        first, _ = against_beat(Context(under([slow], [OPENS]))).hits["thud"]["wavetable_position"]
        self.assertAlmostEqual(first.left_at_next or 0, math.exp(-0.875 / 0.8), delta=0.01)
        self.assertFalse(first.found_closed)
        self.assertIsNone(first.fall_s)

    def test_dips_and_where_their_lowest_point_is(self) -> None:
        at = np.arange(2 * RATE) / RATE
        level = np.ones(at.size)
        # Half as much for 50 ms, 20 ms late on the first stroke and 30 ms early on the second.
        for centre in (0.52, 1.47):
            level -= 0.5 * np.clip(1 - np.abs(at - centre) / 0.05, 0, 1)
        first, second = at_strikes(level, [(0.5, 1.0), (1.5, 1.0)], RATE, is_level=True)
        for strike, offset in ((first, 0.02), (second, -0.03)):
            self.assertAlmostEqual(strike.dip_db or 0, 20 * math.log10(2), delta=0.01)
            self.assertAlmostEqual(strike.dip_offset_s or 0, offset, delta=1e-3)
            # Within 1 dB again where the wedge has come back to 10^(-1/20).
            back = 0.05 * (10 ** (-1 / 20) - 0.5) / 0.5
            self.assertAlmostEqual(strike.back_s or 0, back, delta=1e-3)

    def test_a_dip_is_timed_at_the_middle_of_a_short_floor_and_the_start_of_a_long_one(self) -> None:
        at = np.arange(2 * RATE) / RATE
        for width, time in ((0.015, 0.51 + 0.0075), (0.08, 0.51)):
            level = np.where((at >= 0.51) & (at < 0.51 + width), 0.1, 1.0)
            # Below -80 dB all is as low: what is lowest there does not move the time.
            silent = np.where((at >= 0.51) & (at < 0.51 + width), 1e-5 * (2 - at), 1.0)
            for row in (level, silent):
                [strike] = at_strikes(row, [(0.5, 1.0)], RATE, is_level=True)
                self.assertAlmostEqual(strike.dip_offset_s or 0, time - 0.5, delta=1e-4)
            self.assertAlmostEqual(strike.dip_db or 0, 80.0, delta=1e-9)

    def test_a_note_off_is_no_dip(self) -> None:
        at = np.arange(2 * RATE) / RATE
        level = np.where(at < 1.6, 1.0, np.exp(-(at - 1.6) / 0.02))
        [strike] = at_strikes(level, [(1.5, 1.0)], RATE, is_level=True, held=at < 1.6)
        self.assertIsNone(strike.dip_db)
        [strike] = at_strikes(level, [(1.5, 1.0)], RATE, is_level=True)
        self.assertIsNotNone(strike.dip_db)

    def test_a_level_that_stands_still_has_no_dip_and_no_peak(self) -> None:
        [strike] = at_strikes(np.ones(RATE), [(0.5, 1.0)], RATE, is_level=True)
        self.assertIsNone(strike.dip_db)
        self.assertIsNone(strike.peak)

    def test_the_gap_that_an_attack_leaves(self) -> None:
        fade = {"id": "e", "kind": "envelope", "attack_s": 0.3, "sustain": 1.0, "release_s": 0.01}
        route = {"source": "e", "destination": "amplitude", "amount": 1, "mode": "scale"}
        of = under([fade], [route], [{"at": 0, "strength": 1}], voice={"base": {"cutoff": 20000}})
        [strike] = against_beat(Context(of)).hits["thud"]["level"]
        # 20 dB under the top of a straight attack is a tenth of its way.
        self.assertAlmostEqual(strike.gap_s or 0, 0.03, delta=0.012)

    def test_low_end_on_top_of_a_stroke(self) -> None:
        at = np.arange(2 * RATE) / RATE
        quiet = 0.1 * np.sin(2 * np.pi * 60 * at)
        loud = quiet * np.where((at >= 0.5) & (at < 0.58), 10.0, 1.0)
        self.assertAlmostEqual(low_share(loud, [(0.5, 1.0)], RATE) or 0, 20.0, delta=1.5)
        self.assertAlmostEqual(low_share(quiet, [(0.5, 1.0)], RATE) or 1, 0.0, delta=0.5)


class Bars(unittest.TestCase):
    def test_a_ramp_at_each_bar_line(self) -> None:
        ramp = {"id": "r", "kind": "curve", "points": [[0, 0], [8, 1]], "time": "1/4"}
        of = under([ramp], [{"source": "r", "destination": "wavetable_position", "amount": 1.0}], bars=2)
        found = against_beat(Context(of)).bars["wavetable_position"]
        self.assertEqual([None if v is None else round(v, 6) for v in found], [0.0, 0.5, None])

    def test_opening_against_note_rate(self) -> None:
        env = {"id": "e", "kind": "envelope", "attack_s": 0.5, "sustain": 1.0}
        found = against_beat(Context(under([env], []))).note_rates["e"]
        # At 120 a quarter note lasts half a second: it just opens, and halves with each shorter one.
        for value, seconds in (("1/4", 0.5), ("1/8", 0.25), ("1/8t", 1 / 6), ("1/16", 0.125), ("1/32", 0.0625)):
            self.assertAlmostEqual(found[value], seconds / 0.5, delta=1e-3)

    def test_both_are_figures_in_their_place(self) -> None:
        ramp = {"id": "r", "kind": "curve", "points": [[0, 0], [8, 1]], "time": "1/4"}
        env = {"id": "e", "kind": "envelope", "attack_s": 0.5, "sustain": 1.0}
        of = under([ramp, env], [{"source": "r", "destination": "fold", "amount": 1.0}], bars=2)
        said = {f.name: f.value for f in KINDS["bar_lines"](Context(of)) if f.about == "fold"}
        self.assertEqual({name: round(value, 6) for name, value in said.items()}, {"bar 1": 0.0, "bar 2": 0.5})
        opens = {f.name: f.value for f in KINDS["note_rates"](Context(of))}
        self.assertAlmostEqual(opens["notes of 1/8"], 0.5, delta=1e-3)
        quick = {**env, "attack_s": 0.001}
        self.assertEqual(list(KINDS["note_rates"](Context(under([quick], [])))), [])


class OnTheScreen(unittest.TestCase):
    def test_a_figure_for_each_stroke(self) -> None:
        said = [f for f in KINDS["strikes"](Context(under([FOLLOWER], [OPENS]))) if f.about == "wavetable_position"]
        self.assertEqual([f.name for f in said], ["at 0 ms, 100 %", "at 1 s, 50 %"])
        self.assertIn("after 125 ms, closed by the next", said[0].said)
        self.assertEqual(list(KINDS["strikes"](Context(patch([FOLLOWER], [OPENS])))), [])

    def test_of_a_track_that_nothing_listens_to_only_levels_are_told(self) -> None:
        slow: Json = {"id": "e", "kind": "envelope", "attack_s": 5.0}
        opens = {"source": "e", "destination": "cutoff", "amount": 24}
        swells: Json = {"source": "e", "destination": "amplitude", "amount": 1, "mode": "scale"}
        said = list(KINDS["strikes"](Context(under([slow], [opens, swells]))))
        self.assertEqual({f.about for f in said}, {"amplitude", ""})
        listens = {"source": "hit:thud", "destination": "fold", "amount": 0.0}
        said = list(KINDS["strikes"](Context(under([slow], [opens, swells, listens]))))
        # An envelope that rises all the while has nothing to fall from.
        [first, *_] = [f for f in said if f.about == "cutoff"]
        self.assertIn("and stays there", first.said)
        self.assertTrue(any(f.name == "low end under thud" for f in said))


if __name__ == "__main__":
    unittest.main()
