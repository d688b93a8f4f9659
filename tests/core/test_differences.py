"""What tells patches apart, moved or not."""

import unittest

from jorvik.core.document.patch import check_patch
from jorvik.core.measure.differences import MAX_DIFFERENCES, constant_measures, constants, differences, set_apart
from jorvik.core.measure.patch import measure_patch
from tests.support import demos, patch

LFO = {"id": "w", "kind": "lfo", "rate": 3.0}
ROUTE = {"source": "w", "destination": "pitch", "amount": 1.0}


class Differences(unittest.TestCase):
    def test_settings_of_voice_modules_and_routes_are_told_by_their_place(self) -> None:
        one = patch([LFO], [ROUTE], voice={"base": {"fold": 0.2}, "filter": {"slope": "steep"}})
        two = patch([{**LFO, "rate": 4.0}], [{**ROUTE, "amount": 2.0}], voice={"mode": "mono"})
        found = {d.path: d.values for d in differences([one, two, one])}
        self.assertEqual(found["voice base fold"], ["0.2", "0", "0.2"])
        self.assertEqual(found["voice filter slope"], ["steep", "gentle", "steep"])
        self.assertEqual(found["voice mode"], ["poly", "mono", "poly"])
        self.assertEqual(found["modules w rate"], ["3", "4", "3"])
        self.assertEqual(found["routes r0 amount"], ["1", "2", "1"])
        self.assertEqual(len(found), 5)

    def test_what_is_not_there_is_nothing_and_names_are_no_settings(self) -> None:
        found = {d.path: d.values for d in differences([patch([LFO], name="a", notes="x"), patch(name="b")])}
        self.assertEqual(found["modules w rate"], ["3", ""])
        self.assertTrue(all(path.startswith("modules w") for path in found))
        self.assertEqual(differences([patch(name="a"), patch(name="b", tags=["t"])]), [])

    def test_patches_with_little_in_common_are_told_apart_only_so_far(self) -> None:
        whole = [check_patch(doc) for doc in list(demos().values())[:6]]
        self.assertEqual(len(differences(whole)), MAX_DIFFERENCES)

    def test_destinations_that_stand_elsewhere(self) -> None:
        apart = set_apart([patch(voice={"base": {"cutoff": 1000.0, "fold": 0.1}}), patch()])
        self.assertEqual(apart, ["fold"])

    def test_what_one_moves_or_sets_elsewhere_the_others_show_where_it_stands(self) -> None:
        patches = [patch([LFO], [ROUTE]), patch(voice={"base": {"fold": 0.1}})]
        told = constants(patches, [["pitch", "w"], []])
        self.assertEqual(told, [{"fold": 0.0}, {"pitch": 0.0, "fold": 0.1}])

    def test_what_stands_still_has_the_figures_that_a_trace_of_it_would_have(self) -> None:
        """The pitch is traced though nothing moves it."""
        traced = measure_patch(patch(voice={"base": {"pitch": -5.0}}), 4000).lanes["pitch"]
        told = constant_measures("pitch", -5.0)
        self.assertEqual((told.title, told.unit, told.distance, told.distance_unit), ("Pitch", "st", 0.0, "cents"))
        for name in ("start", "peak", "least", "settle", "at_off", "after_off", "clamped", "greatest_step", "rise_s"):
            self.assertEqual(getattr(told.measures, name), getattr(traced.measures, name), name)


if __name__ == "__main__":
    unittest.main()
