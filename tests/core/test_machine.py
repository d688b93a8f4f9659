"""A patch on a machine card: laws there and back, steps, errors, the best assignment, and what cannot be had."""

import copy
import itertools
import json
import math
import unittest
from typing import Any

import numpy as np

from jorvik.core.document.card import Control, check_card
from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.engine.trace import trace
from jorvik.core.machine.controllers import LANE_RATE, controllers
from jorvik.core.machine.from_panel import figure_of, from_panel
from jorvik.core.machine.law import figure_for, nearest, read, value_at
from jorvik.core.machine.missing import missing
from jorvik.core.machine.on_card import OnCard, on_card
from jorvik.core.problems import Problem
from jorvik.place import ROOT
from tests.support import Json, demos, note, patch


def shipped(name: str) -> Json:
    found: Json = json.loads((ROOT / "demo" / "cards" / f"{name}.json").read_text())
    return found


def control(**fields: Any) -> Control:
    return Control.model_validate({"name": "C", "sets": "cutoff", **fields})


class Laws(unittest.TestCase):
    CONTROLS = (
        control(from_value=-12.0, to_value=12.0, low=-5.0, high=5.0),
        control(law="logarithmic", from_value=20.0, to_value=20_000.0),
        control(law="logarithmic", from_value=8.0, to_value=0.01, low=0.0, high=127.0),
        control(law="table", table=[[0.0, 0.1], [3.0, 1.0], [10.0, 40.0]]),
        control(law="table", table=[[0.0, 9.0], [5.0, 2.0], [10.0, -1.0]]),
    )

    def test_a_figure_comes_back_from_its_value(self) -> None:
        for one in self.CONTROLS:
            for share in (0.0, 0.13, 0.5, 0.77, 1.0):
                figure = one.low + share * (one.high - one.low)
                self.assertAlmostEqual(figure_for(one, value_at(one, figure)), figure, places=9)

    def test_a_logarithmic_half_is_the_geometric_mean(self) -> None:
        self.assertAlmostEqual(value_at(self.CONTROLS[1], 5.0), math.sqrt(20.0 * 20_000.0))

    def test_what_lies_beyond_a_scale_stands_at_its_end(self) -> None:
        for one in self.CONTROLS:
            ends = sorted(value_at(one, figure) for figure in (one.low, one.high))
            for value, end in ((ends[0] - 1e3, ends[0]), (ends[1] + 1e3, ends[1])):
                self.assertAlmostEqual(value_at(one, figure_for(one, value)), end)

    def test_the_nearest_step_is_no_farther_than_half_of_one(self) -> None:
        one = control(steps=11, low=0.0, high=5.0)
        for figure in (0.0, 0.24, 0.26, 3.3, 5.0):
            self.assertLessEqual(abs(nearest(one, figure) - figure), 0.25)
            self.assertAlmostEqual(nearest(one, figure) / 0.5, round(nearest(one, figure) / 0.5))

    def test_it_reads_as_the_panel_does(self) -> None:
        clock = control(shown="clock")
        said = [read(clock, figure) for figure in (0.0, 2.5, 5.0, 10.0)]
        self.assertEqual(said, ["7 o'clock", "9:30 o'clock", "12 o'clock", "5 o'clock"])
        for figure in (0.0, 2.5, 5.0, 10.0):
            self.assertAlmostEqual(figure_of(clock, read(clock, figure)), figure)
        named = control(shown="names", positions=["low", "band", "high"])
        self.assertEqual([read(named, figure) for figure in (0.0, 5.0, 10.0)], ["low", "band", "high"])
        self.assertEqual(figure_of(named, "Band"), 5.0)
        for one, text in ((named, "notch"), (clock, "6 o'clock"), (control(), "11"), (control(), "nan")):
            with self.assertRaises(Problem):
                figure_of(one, text)


class Cards(unittest.TestCase):
    def test_what_is_no_card_is_refused_with_its_place(self) -> None:
        whole = shipped("small-staithe")
        for change, said in (
            ({"law": "table", "table": [[0, 1], [1, 3], [2, 2]]}, "goes one way; it turns at 1"),
            ({"law": "table", "table": [[0, 1], [0, 3]]}, "by rising figure"),
            ({"law": "logarithmic", "from_value": 0, "to_value": 5}, "values over 0"),
            ({"low": 5, "high": 5}, "from a lesser figure"),
            ({"sets": "nonsense"}, "a destination of the voice"),
            ({"sets": "envelope 9.attack_s"}, "one of the sources of the card"),
            ({"sets": "LFO.colour"}, "a parameter that a number or a choice sets"),
            ({"sets": "LFO to nonsense"}, "a destination of the voice"),
        ):
            wrong = copy.deepcopy(whole)
            wrong["controls"][2] = {"name": "Cutoff", "sets": "cutoff", **change}
            with self.subTest(said), self.assertRaisesRegex(Problem, said):
                check_card(wrong)

    def test_what_is_missing_is_said(self) -> None:
        self.assertEqual(missing(check_card(shipped("small-staithe"))), [])
        bare = shipped("small-staithe")
        bare["controls"] = [c for c in bare["controls"] if c["name"] not in ("E1 Attack", "Cutoff", "LFO Rate")]
        bare["controls"][0]["controller"] = 74
        bare["controls"][1]["controller"] = 74
        said = missing(check_card(bare))
        self.assertIn("envelope 1 has no control for its attack", said)
        self.assertIn("LFO has no control for its rate", said)
        self.assertTrue(any("no control sets cutoff" in one for one in said))
        self.assertIn("controller 74 moves Tune and Shape", said)


class OnACard(unittest.TestCase):
    def made(self, of: Patch, card: str = "small-staithe", **given: str) -> OnCard:
        return on_card(of, check_card(shipped(card)), given)

    def test_every_error_is_that_of_the_step_that_is_told(self) -> None:
        for name in ("night-watch", "ferry-horn", "barge-bell"):
            for card in ("small-staithe", "weir-rack"):
                of, known = check_patch(demos()[name]), check_card(shipped(card))
                controls = {one.name: one for one in known.controls}
                for row in on_card(of, known).rows:
                    one = controls[row.control]
                    if one.shown == "names":
                        continue
                    with self.subTest(name, control=row.control):
                        self.assertAlmostEqual(row.value, value_at(one, row.figure))
                        if row.error_unit == "cents" and row.wanted_value > 0 and one.sets == "cutoff":
                            self.assertAlmostEqual(row.error, 1200 * math.log2(row.value / row.wanted_value), places=6)
                        elif row.error_unit == "ms":
                            self.assertAlmostEqual(row.error, 1000 * (row.value - row.wanted_value), places=6)

    def test_a_step_is_the_nearest_there_is(self) -> None:
        """Of all 128 positions of the cutoff none comes nearer in cents."""
        row = next(one for one in self.made(check_patch(demos()["night-watch"])).rows if one.control == "Cutoff")
        steps = [20 * 800 ** (n / 127) for n in range(128)]
        self.assertAlmostEqual(abs(row.error), min(abs(1200 * math.log2(step / 240)) for step in steps), places=6)

    def test_the_assignment_is_the_best_of_all(self) -> None:
        """Against every one that there is, by what each would lose."""
        of = check_patch(demos()["ferry-horn"])
        found = self.made(of)
        envelopes = [module.id for module in of.modules if module.kind == "envelope"]
        losses = {}
        for pair in itertools.permutations(envelopes, 2):
            given = {pair[0]: "envelope 1", pair[1]: "envelope 2", **{e: "" for e in envelopes if e not in pair}}
            losses[pair] = len([s for s in self.made(of, **given).cannot if "move" in s])
        of_source = {source: module for module, source in found.assigned.items()}
        self.assertEqual(losses[of_source["envelope 1"], of_source["envelope 2"]], min(losses.values()))

    def test_what_cannot_be_had_is_said_with_what_can(self) -> None:
        said = self.made(check_patch(demos()["ferry-horn"])).cannot
        self.assertTrue(any(s.startswith("LFO has no delay, 500 ms for shake: bring it in by hand") for s in said))
        self.assertTrue(any(s.startswith("no envelope is left for lip") for s in said))
        self.assertTrue(
            any("watch sets filter 2 cutoff" in s for s in self.made(check_patch(demos()["night-watch"])).cannot)
        )

    def test_a_patch_that_a_panel_made_goes_back_to_its_figures(self) -> None:
        card = check_card(shipped("small-staithe"))
        figures = {"Cutoff": "5.039", "E1 Attack": "9:30", "E1 Sustain": "12 o'clock", "E1 to Cutoff": "2", "Peak": "3"}
        made = from_panel(card, figures)
        found = {row.control: row for row in on_card(made, card).rows}
        for name, typed in figures.items():
            one = next(c for c in card.controls if c.name == name)
            self.assertAlmostEqual(found[name].figure, figure_of(one, typed), delta=0.04, msg=name)
        self.assertEqual(on_card(made, card).cannot, [])
        with self.assertRaisesRegex(Problem, "no such control"):
            from_panel(card, {"Nothing": "1"})

    def test_what_the_machine_makes_is_a_patch_that_runs_and_is_near(self) -> None:
        of = check_patch(demos()["night-watch"])
        found = self.made(of)
        ours, theirs = (trace(one).lanes["cutoff"].value for one in (of, found.patch))
        # The wheel goes over the same range, from a step that is 19 cents under its low end.
        self.assertLess(
            max(abs(1200 * math.log2(a / b)) for a, b in zip(ours[::999], theirs[::999], strict=True)), 20.0
        )
        self.assertNotIn("filter2_cutoff", [route.destination for route in found.patch.live_routes])

    def test_what_a_user_gives_stands_and_what_is_not_there_is_refused(self) -> None:
        of = check_patch(demos()["ferry-horn"])
        self.assertEqual(self.made(of, lip="envelope 2").assigned["lip"], "envelope 2")
        for given, wanted in (({"nobody": "LFO"}, "a source of the patch"), ({"lip": "LFO"}, "one that is envelope")):
            with self.assertRaisesRegex(Problem, wanted):
                on_card(of, check_card(shipped("small-staithe")), given)

    def test_slots_take_routes_that_no_control_makes_as_long_as_there_are_any(self) -> None:
        module: Json = {"id": "e", "kind": "envelope"}
        routes: list[Json] = [
            {"id": name, "source": "e", "destination": name, "amount": 0.2} for name in ("fold", "wavetable_position")
        ]
        plain = shipped("weir-rack")
        for slots, had in ((None, 2), (2, 2), (1, 1), (0, 0)):
            with self.subTest(slots=slots):
                made = on_card(patch([module], routes), check_card({**plain, "slots": slots}))
                self.assertEqual(len(made.patch.live_routes), had)
                self.assertEqual(
                    [row.control for row in made.rows if row.control.startswith("slot")],
                    ["slot 1: contour to fold", "slot 2: contour to wavetable position"][:had],
                )
                self.assertEqual(len([said for said in made.cannot if "turn it by hand" in said]), 2 - had)

    def test_a_slot_goes_no_farther_than_the_card_says(self) -> None:
        module: Json = {"id": "e", "kind": "envelope"}
        card = shipped("weir-rack")
        card["sources"][0]["farthest"] = {"fold": 0.5}
        for amount, had in ((0.3, 0.3), (0.8, 0.5), (-0.8, -0.5)):
            route: Json = {"source": "e", "destination": "fold", "amount": amount}
            made = on_card(patch([module], [route]), check_card(card))
            row = next(row for row in made.rows if row.control.startswith("slot 1"))
            self.assertEqual((row.value, made.patch.live_routes[0].amount), (had, had))
            self.assertAlmostEqual(row.error, had - amount)
        card["sources"][0]["farthest"] = {"keel": 0.5}
        with self.assertRaisesRegex(Problem, "keel"):
            check_card(card)

    def test_a_shape_that_a_switch_has_not_is_told_and_another_taken(self) -> None:
        sway: Json = {"id": "sway", "kind": "lfo", "shape": "saw_up"}
        route: Json = {"source": "sway", "destination": "pitch", "amount": 0.5}
        made = self.made(patch([sway], [route]))
        self.assertIn("LFO has no shape, saw up for sway: it is sine", made.cannot)
        self.assertEqual(made.patch.modules_by_id["sway"].shape, "sine")  # type: ignore[attr-defined]

    def test_its_controllers_play_what_moves_here(self) -> None:
        of, card = check_patch(demos()["night-watch"]), check_card(shipped("small-staithe"))
        sent = controllers(of, card)
        # The macro is the wheel, as it is played; nothing else that moves has a controller of its own.
        self.assertEqual(set(sent), {1})
        np.testing.assert_allclose(sent[1], trace(of, LANE_RATE).signals["watch"])

    def test_a_knob_follows_what_only_the_key_moves_by_its_own_law(self) -> None:
        route: Json = {"source": "velocity", "destination": "cutoff", "amount": 24.0}
        of = patch([], [route], performance=note(0.2, velocity=127), voice={"base": {"cutoff": 200.0}})
        sent = controllers(of, check_card(shipped("small-staithe")))
        self.assertAlmostEqual(float(sent[74][100]), math.log(800 / 20) / math.log(16_000 / 20), places=6)
        with self.assertRaisesRegex(Problem, "no controller for anything"):
            controllers(of, check_card(shipped("weir-rack")))

    def test_a_time_as_a_note_value_is_set_in_time(self) -> None:
        module: Json = {"id": "e", "kind": "envelope", "attack_s": "1/8"}
        route: Json = {"source": "e", "destination": "cutoff", "amount": 12.0}
        row = next(r for r in self.made(patch([module], [route])).rows if r.control == "E1 Attack")
        self.assertAlmostEqual(row.wanted_value, 0.5 * 60 / patch().performance.tempo.bpm)
