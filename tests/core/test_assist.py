"""What works something out: the curve is kept, sentences are understood, targets are met, figures agree."""

import math
import unittest

import numpy as np
from numpy.typing import NDArray

from jorvik.core.document.patch import Patch
from jorvik.core.dsp.bend import bend
from jorvik.core.engine.trace import trace
from jorvik.core.helpers.macros import macro_set, macro_table
from jorvik.core.helpers.routes import to_amount, to_hertz, to_octaves, to_range, with_polarity
from jorvik.core.helpers.sentence import route_from
from jorvik.core.measure.closed_forms import (
    beat_hz,
    bend_for,
    done_after,
    ring,
    ring_from,
    scale_and_offset,
    sidebands,
)
from jorvik.core.problems import Problem
from jorvik.core.units.pitch import key_hz
from tests.support import Json, note, patch

LFO: Json = {"id": "lfo", "kind": "lfo", "rate": 3}
ENV: Json = {"id": "swell", "kind": "envelope", "attack_s": 0.1, "decay_s": 0.2, "sustain": 0.5}


def lane(of: Patch, name: str) -> "NDArray[np.float64]":
    return trace(of, 4000).lanes[name].value


class KeepingTheCurve(unittest.TestCase):
    def at(self, destination: str, amount: float, base: float, **how: object) -> Patch:
        route = {"id": "r", "source": "lfo", "destination": destination, "amount": amount, **how}
        return patch([LFO], [route], performance=note(0.5, 0.1), voice={"base": {destination: base}})

    def test_polarity(self) -> None:
        for destination, amount, base in (("cutoff", 12.0, 800.0), ("wavetable_position", 0.2, 0.5)):
            of = self.at(destination, amount, base)
            for first in ("unipolar", "bipolar"):
                changed = with_polarity(of, "r", first)
                self.assertEqual(changed.routes[0].polarity, first)
                np.testing.assert_allclose(lane(changed, destination), lane(of, destination), rtol=1e-9)
                back = with_polarity(changed, "r", "as_is")
                self.assertAlmostEqual(back.routes[0].amount, amount)
                self.assertAlmostEqual(back.voice.base[destination], base)

    def test_polarity_as_typed_moves_the_curve(self) -> None:
        of = self.at("cutoff", 12.0, 800.0)
        typed = with_polarity(of, "r", "unipolar", keep=False)
        self.assertEqual(typed.routes[0].amount, 12.0)
        self.assertGreater(np.abs(lane(typed, "cutoff") - lane(of, "cutoff")).max(), 100)

    def test_a_base_that_would_leave_its_range_is_refused(self) -> None:
        with self.assertRaisesRegex(Problem, "set value of wavetable position.*as typed"):
            with_polarity(self.at("wavetable_position", 0.8, 0.5), "r", "unipolar")

    def test_amount_to_range_and_back(self) -> None:
        for destination, amount, base in (("cutoff", 24.0, 300.0), ("fold", 0.4, 0.1)):
            of = self.at(destination, amount, base, polarity="unipolar")
            ranged = to_range(of, "r")
            self.assertEqual(ranged.routes[0].mode, "range")
            np.testing.assert_allclose(lane(ranged, destination), lane(of, destination), rtol=1e-9)
            np.testing.assert_allclose(lane(to_amount(ranged, "r"), destination), lane(of, destination), rtol=1e-9)

    def test_octaves_to_hertz_and_back(self) -> None:
        steady: Json = {"id": "one", "kind": "constant", "value": 1.0}
        route: Json = {"id": "r", "source": "one", "destination": "cutoff", "amount": 7.0}
        of = patch([steady], [route], voice={"base": {"cutoff": 800.0}})
        hertz = to_hertz(of, "r")
        self.assertAlmostEqual(hertz.routes[0].amount, 800.0 * (2 ** (7 / 12) - 1))
        np.testing.assert_allclose(lane(hertz, "cutoff"), lane(of, "cutoff"), rtol=1e-12)
        self.assertAlmostEqual(to_octaves(hertz, "r").routes[0].amount, 7.0)
        self.assertIsNone(to_octaves(hertz, "r").routes[0].amount_unit)
        with self.assertRaisesRegex(Problem, "-900 Hz from 800 Hz"):
            to_octaves(
                patch([steady], [{**route, "amount": -900.0, "amount_unit": "Hz"}], voice={"base": {"cutoff": 800.0}}),
                "r",
            )
        with self.assertRaisesRegex(Problem, "a frequency of the voice"):
            to_hertz(patch([steady], [{**route, "destination": "pitch"}]), "r")

    def test_a_macro_is_set_by_doing_at_0_half_and_full(self) -> None:
        of = patch([{"id": "m", "kind": "macro"}], voice={"base": {"cutoff": 400, "fold": 0.3}})
        of = macro_set(of, "m", 1.0, {"cutoff": 4000, "fold": 0.0})
        of = macro_set(of, "m", 0.0, {"fold": 0.8})
        of = macro_set(of, "m", 0.5, {"fold": 0.7})
        for value, cutoff, fold in ((0.0, 400, 0.8), (1.0, 4000, 0.0), (0.5, math.sqrt(400 * 4000), 0.7)):
            at = of.model_copy(update={"modules": [of.modules[0].model_copy(update={"value": value})]})
            self.assertAlmostEqual(float(lane(at, "cutoff")[0]), cutoff, places=6)
            self.assertAlmostEqual(float(lane(at, "fold")[0]), fold, places=9)
        for place, values, said in (
            (0.5, {"fold": 0.9}, "fold at half.*between what it is at 0 and full"),
            (0.3, {"fold": 0.9}, "0, 0.5 or 1"),
            (1.0, {"nothing": 0.9}, "a destination of the voice"),
        ):
            with self.assertRaisesRegex(Problem, said):
                macro_set(of, "m", place, values)
        with self.assertRaisesRegex(Problem, "a macro of this patch"):
            macro_set(of, "nobody", 1.0, {"fold": 1.0})

    def test_what_a_macro_does_is_told_apart_from_what_else_moves(self) -> None:
        routes: list[Json] = [
            {"source": "m", "destination": "cutoff", "amount": 24.0},
            {"source": "m", "destination": "fold", "amount": 0.5, "via": "velocity"},
            {"source": "m", "destination": "lfo.rate", "amount": 1.0, "bend": 3.0},
            {"source": "lfo", "destination": "cutoff", "amount": 7.0},
        ]
        played = {**note(0.5, 0.1, velocity=127.0), "controls": {"macro:m": [[0.0, 0.9]]}}
        of = patch([{"id": "m", "kind": "macro"}, LFO], routes, performance=played, voice={"base": {"cutoff": 500}})
        rows = {row.destination: row.values for row in macro_table(of, "m")}
        self.assertEqual(set(rows), {"cutoff", "fold", "lfo.rate"})
        np.testing.assert_allclose(rows["cutoff"], [500, 1000, 2000], rtol=1e-9)
        np.testing.assert_allclose(rows["fold"], [0.0, 0.25, 0.5], atol=1e-9)
        np.testing.assert_allclose(rows["lfo.rate"], [3.0, 3.0 * 2 ** bend(0.5, 3.0), 6.0], rtol=1e-9)
        # Whatever routes there were and whatever scaled them, what is typed is what it comes to.
        routes.append({"source": "m", "destination": "cutoff", "amount": 300.0, "amount_unit": "Hz"})
        both = patch([{"id": "m", "kind": "macro"}, LFO], routes, voice={"base": {"cutoff": 500}})
        for name, value in (("cutoff", 1800.0), ("fold", 0.9)):
            said = {row.destination: row.values for row in macro_table(macro_set(both, "m", 1.0, {name: value}), "m")}
            self.assertAlmostEqual(said[name][2], value)
        self.assertEqual(sum(r.source == "m" for r in macro_set(both, "m", 1.0, {"cutoff": 1800.0}).routes), 3)
        # An amount becomes a range with the ends that it had.
        half = macro_set(of, "m", 0.5, {"cutoff": 700.0})
        np.testing.assert_allclose(macro_table(half, "m")[0].values, [500, 700, 2000], rtol=1e-6)


class Sentences(unittest.TestCase):
    def test_they_are_understood(self) -> None:
        of = patch([ENV, LFO], [{"id": "vibrato", "source": "lfo", "destination": "pitch", "amount": 0.3}])
        for text, wanted in (
            (
                "velocity lowers the amount of lfo on pitch 30 cents",
                ("velocity", "route:vibrato.amount", "add", -0.3, None),
            ),
            ("swell raises cutoff 22 st, scaled by velocity", ("swell", "cutoff", "add", 22.0, "velocity")),
            ("swell lowers filter 2 cutoff by 1oct", ("swell", "filter2_cutoff", "add", -12.0, None)),
            ("LFO moves pitch 30 cents", ("lfo", "pitch", "add", 0.3, None)),
            ("swell scales amplitude", ("swell", "amplitude", "scale", 1.0, None)),
            ("mod wheel moves lfo rate 1 oct", ("mod_wheel", "lfo.rate", "add", 1.0, None)),
            ("velocity lowers swell's attack 80ms", ("velocity", "swell.attack_s", "add", -0.08, None)),
        ):
            made, name = route_from(of, text)
            route = made.routes_by_id[name]
            got = (route.source, route.destination, route.mode, route.amount, route.via)
            self.assertEqual((*got[:3], round(got[3], 9), got[4]), wanted, text)
        made, name = route_from(of, "swell sets cutoff from 200 Hz to 2 kHz")
        self.assertEqual((made.routes_by_id[name].low, made.routes_by_id[name].high), (200, 2000))

    def test_what_the_sheet_writes_is_understood(self) -> None:
        vib: Json = {"id": "to pitch", "source": "vib", "destination": "pitch", "amount": 0.3}
        of = patch([{**LFO, "id": "vib"}, ENV], [vib], voice={"base": {"cutoff": 180.0}})
        for text, fields in (
            ("swell raises the cutoff by 22 semitones", {"destination": "cutoff", "amount": 22.0}),
            ("the swell lowers cutoff 2 octaves", {"destination": "cutoff", "amount": -24.0}),
            ("swell moves pitch ±30 cents", {"destination": "pitch", "amount": 0.3}),
            ("swell sets cutoff to 2 kHz", {"mode": "range", "low": 180.0, "high": 2000.0}),
            ("swell sets the cutoff, 273 Hz to 2.81 kHz", {"mode": "range", "low": 273.0, "high": 2810.0}),
            ("swell raises wavetable position from 10 to 42 %", {"mode": "range", "low": 0.1, "high": 0.42}),
            ("swell sets cutoff from C3 to 2 kHz", {"mode": "range", "low": key_hz(48.0), "high": 2000.0}),
            ("velocity scales vib", {"destination": "route:to pitch.amount", "mode": "scale", "amount": 1.0}),
            ("scales vib by velocity", {"source": "velocity", "destination": "route:to pitch.amount", "mode": "scale"}),
        ):
            with self.subTest(text):
                made, name = route_from(of, text)
                route = made.routes_by_id[name]
                for field, value in fields.items():
                    got = getattr(route, field)
                    self.assertAlmostEqual(got, value) if isinstance(value, float) else self.assertEqual(got, value)

    def test_other_words_and_ways_are_understood(self) -> None:
        of = patch([ENV, LFO])
        for text, fields in (
            ("lfo modulates cutoff by 12 semitones", ("lfo", "cutoff", "add", 12.0)),
            ("mod wheel opens cutoff 24 st", ("mod_wheel", "cutoff", "add", 24.0)),
            ("modwheel to cutoff +24", ("mod_wheel", "cutoff", "add", 24.0)),
            ("swell closes filter 1oct", ("swell", "cutoff", "add", -12.0)),
            ("swell controls volume", ("swell", "amplitude", "scale", 1.0)),
            ("lfo to pitch", ("lfo", "pitch", "add", 0.5)),
        ):
            with self.subTest(text):
                made, name = route_from(of, text)
                route = made.routes_by_id[name]
                self.assertEqual((route.source, route.destination, route.mode, route.amount), fields)

    def test_a_misspelt_destination_gets_the_nearest_name_not_all(self) -> None:
        with self.assertRaises(Problem) as caught:
            route_from(patch([ENV]), "swell raises cutof 22 st")
        said = str(caught.exception)
        self.assertIn("cutoff, if that was meant", said)
        self.assertIn("lists them all", said)
        self.assertLess(len(said), 220)

    def test_a_route_that_is_there_is_changed_not_added_again(self) -> None:
        routes = [{"id": "up", "source": "swell", "destination": "cutoff", "amount": 44, "via": "velocity"}]
        of = patch([ENV, LFO], routes)
        same, name = route_from(of, "swell raises cutoff 44 st, scaled by velocity")
        self.assertEqual((name, same.document()), ("up", of.document()))
        changed, name = route_from(of, "swell lowers cutoff 12 st")
        route = changed.routes_by_id["up"]
        self.assertEqual((name, route.amount, route.via, len(changed.routes)), ("up", -12.0, "velocity", 1))
        ranged, _ = route_from(of, "swell sets cutoff from 200 Hz to 2 kHz, scaled by mod wheel")
        route = ranged.routes_by_id["up"]
        self.assertEqual((route.mode, route.low, route.high, route.via), ("range", 200.0, 2000.0, "mod_wheel"))
        both, name = route_from(of, "swell raises cutoff 3 st", as_second=True)
        self.assertEqual([one.id for one in both.routes], ["up", name])
        muted = patch([ENV], [{**routes[0], "enabled": False}])
        self.assertTrue(route_from(muted, "swell raises cutoff 44 st")[0].routes_by_id["up"].enabled)

    def test_what_is_left_at_full_is_a_second_route_on_the_amount(self) -> None:
        of = patch([LFO])
        for left, amount in (("none of it", -0.3), ("10 cents", -0.2)):
            made, name = route_from(of, f"lfo moves the pitch ±30 cents, {left} at full velocity")
            [other] = [route for route in made.routes if route.id != name]
            self.assertEqual((other.source, other.destination), ("velocity", f"route:{name}.amount"))
            self.assertAlmostEqual(other.amount, amount)
        with self.assertRaisesRegex(Problem, "the end of the sentence.*raises, lowers or moves"):
            route_from(of, "lfo sets cutoff from 1 kHz to 2 kHz, none of it at full velocity")

    def test_what_could_have_been_meant_is_offered(self) -> None:
        for text, meant in (("swell raises cutof 22 st", "cutoff"), ("swel raises cutoff 22 st", "swell")):
            with self.assertRaisesRegex(Problem, f"must be {meant}, if that was meant"):
                route_from(patch([ENV]), text)

    def test_hertz_are_understood_where_they_can_be_added(self) -> None:
        of = patch([ENV])
        for text, amount in (
            ("swell lowers peak 1 frequency 250 Hz", -250.0),
            ("swell moves cutoff ± 1.2 kHz", 1200.0),
        ):
            made, name = route_from(of, text)
            self.assertEqual((made.routes_by_id[name].amount, made.routes_by_id[name].amount_unit), (amount, "Hz"))
        made, name = route_from(of, "swell raises cutoff 7 st")
        self.assertIsNone(made.routes_by_id[name].amount_unit)

    def test_what_is_not_understood_is_named(self) -> None:
        of = patch([ENV])
        for text, place in (
            ("swell cutoff", "the sentence"),
            ("nobody raises cutoff 3 st", "the source"),
            ("swell raises nothing 3 st", "the destination"),
            ("swell raises cutoff 3 apples", "how far"),
            ("swell raises cutoff 3 st, scaled by luck", "the source"),
            ("swell sets cutoff 3 st", "the range"),
        ):
            with self.assertRaises(Problem) as caught:
                route_from(of, text)
            self.assertEqual(caught.exception.place, place, text)


class AmountsInSentences(unittest.TestCase):
    LFO: Json = {"id": "vib", "kind": "lfo"}

    def test_an_amount_that_is_not_there_yet_is_said_to_be_missing(self) -> None:
        text = "velocity lowers the amount of vib on pitch 30 cents"
        with self.assertRaises(Problem) as nothing:
            route_from(patch([self.LFO]), text)
        self.assertIn("there is none yet: say first what moves what", str(nothing.exception))
        other = patch([self.LFO], [{"source": "vib", "destination": "cutoff", "amount": 3}])
        with self.assertRaises(Problem) as wrong:
            route_from(other, text)
        self.assertIn("the amount of vib on cutoff", str(wrong.exception))
        right = patch([self.LFO], [{"source": "vib", "destination": "pitch", "amount": 0.3}])
        changed, name = route_from(right, text)
        self.assertEqual(changed.routes_by_id[name].destination, "route:r0.amount")
        self.assertAlmostEqual(changed.routes_by_id[name].amount, -0.3)


class ClosedForms(unittest.TestCase):
    def test_a_ring_as_it_is_traced(self) -> None:
        hz, q = 9.0, 6.0
        ringer: Json = {
            "id": "ring",
            "kind": "filter",
            "input": "trigger",
            "response": "band",
            "frequency_hz": hz,
            "q": q,
        }
        y = trace(patch([ringer], performance=note(2.0, 0.0)), 48_000).signals["ring"]
        said = ring(hz, q)
        ups = np.flatnonzero((y[:-1] < 0) & (y[1:] >= 0))
        self.assertAlmostEqual(48_000 / float(np.diff(ups[:6]).mean()), said.frequency_hz, delta=0.01)
        peaks = [float(np.abs(y[round(t * 48_000) :][:5400]).max()) for t in (0.1, 0.1 + said.time_s / 3)]
        self.assertAlmostEqual(20 * math.log10(peaks[1] / peaks[0]), -20, delta=0.7)

    def test_settings_from_the_target_and_back(self) -> None:
        hz, q = ring_from(7.0, 1.5)
        self.assertAlmostEqual(ring(hz, q).frequency_hz, 7.0)
        self.assertAlmostEqual(ring(hz, q).time_s, 1.5, delta=0.01)

    def test_the_rest(self) -> None:
        self.assertAlmostEqual(beat_hz(220, 1200), 220)
        self.assertAlmostEqual(sum(level**2 for _, _, level in sidebands(1000, 100, 3.0, 20)), 1.0, places=6)
        gain, offset = scale_and_offset(-1, 1, 0.12, 0.9)
        self.assertAlmostEqual(-gain + offset, 0.12)
        self.assertAlmostEqual(gain + offset, 0.9)
        for k in (-5.0, 0.0, 3.0):
            self.assertAlmostEqual(bend(done_after(k), k), 0.5)
            self.assertAlmostEqual(bend_for(done_after(k)), k, places=6)

    def test_sidebands_of_a_vanishing_index_leave_the_carrier(self) -> None:
        self.assertEqual([hz for _, hz, level in sidebands(500.0, 1000.0, 1e-6, most=64) if level > 0.01], [500.0])

    def test_levels_of_sidebands_hold_the_power_of_the_carrier(self) -> None:
        for index in (0.5, 3.0, 20.0):
            self.assertAlmostEqual(sum(level**2 for _, _, level in sidebands(500.0, 100.0, index, most=64)), 1.0)


if __name__ == "__main__":
    unittest.main()
