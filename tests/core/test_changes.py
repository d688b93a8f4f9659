"""What changed, in words and in figures: against what was done to a document."""

import copy
import unittest
from typing import Any

from jorvik.core.changes.documents import changes
from jorvik.core.changes.figures import FigureChange, figure_changes
from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, check_patch, edited
from jorvik.core.measure.sound import loudness
from jorvik.core.problems import Problem
from jorvik.core.voice.render import render
from tests.support import RATE, Json, demos, note, patch

MODULES: list[Json] = [
    {"id": "lip", "kind": "envelope", "attack_s": 0.02, "sustain": 0.5},
    {"id": "swell", "kind": "macro"},
    {"id": "sway", "kind": "lfo", "rate": 4.0},
]
ROUTES: list[Json] = [
    {"id": "a", "source": "lip", "destination": "cutoff", "amount": 30.0},
    {"id": "b", "source": "swell", "destination": "fold", "mode": "range", "low": 0.1, "high": 0.6},
    {"id": "c", "source": "sway", "destination": "pitch", "amount": 0.2},
    {"id": "d", "source": "lip", "destination": "amplitude", "mode": "scale", "amount": 1.0},
]


def document(**more: Any) -> Json:
    return patch(copy.deepcopy(MODULES), copy.deepcopy(ROUTES), voice={"base": {"cutoff": 240.0}}, **more).document()


def said(before: Json, after: Json) -> list[str]:
    return [change.sentence for change in changes(before, after)]


class OfPatches(unittest.TestCase):
    def test_the_same_says_nothing_whatever_is_left_out(self) -> None:
        full = check_patch(document()).model_dump(mode="json")
        self.assertEqual(said(document(), full), [])
        for name, demo in demos().items():
            with self.subTest(name):
                self.assertEqual(said(demo, copy.deepcopy(demo)), [])

    def test_a_set_value_a_source_and_a_route_are_told_as_the_sheet_says_them(self) -> None:
        after = document()
        after["voice"]["base"]["cutoff"] = 180.0
        after["modules"] = [after["modules"][0], after["modules"][1]]
        after["routes"] = [
            after["routes"][0] | {"amount": 44.0},
            after["routes"][1] | {"high": 0.8},
            after["routes"][3],
        ]
        self.assertEqual(
            said(document(), after),
            [
                "cutoff set at 180 Hz, was 240 Hz",
                "sway taken out",
                "sway no longer moves pitch",
                "lip raises cutoff 44 st, was 30 st",
                "swell sets fold from 10 % to 80 %, was from 10 % to 60 %",
            ],
        )

    def test_there_and_back_are_each_others_opposites(self) -> None:
        after = document()
        after["routes"][2]["enabled"] = False
        after["tags"] = ["horn"]
        self.assertEqual(said(document(), after), ["sway moves pitch ±0.2 st: muted", "tagged horn"])
        self.assertEqual(said(after, document()), ["sway moves pitch ±0.2 st: heard again", "no longer tagged horn"])

    def test_a_renamed_source_is_told_once(self) -> None:
        after = document()
        after["modules"][2]["id"] = "waver"
        after["routes"][2]["source"] = "waver"
        told = said(document(), after)
        self.assertEqual(told[0], "sway renamed to waver")
        self.assertNotIn("sway taken out", told)

    def test_whatever_is_changed_is_told(self) -> None:
        """Each single setting of every demo, taken away or moved, gives a sentence at least."""
        for name, demo in demos().items():
            for path in _leaves(demo):
                changed = _without(demo, path)
                try:
                    before, after = check_patch(demo), check_patch(changed)
                except Problem:
                    continue
                if before == after or (path[:2] == ("voice", "base") and _stands_alike(before, after, path[2])):
                    continue
                with self.subTest(name, path=path):
                    self.assertNotEqual(said(demo, changed), [])

    def test_every_other_kind_and_two_of_unlike_kinds(self) -> None:
        plain: Json = {"format": "jorvik-phrase", "version": 1, "played": [{"key": 60}, {"key": 64, "at": 1.0}]}
        after = copy.deepcopy(plain) | {"tempo_bpm": 120.0, "hits": [{"id": "thud", "strikes": [{"at": 0.0}]}]}
        after["played"] = [{"key": 60}, {"key": 65, "at": 1.0}, {"key": 67, "at": 2.0}]
        self.assertEqual(
            said(plain, after),
            ["tempo 120 bpm, was 96 bpm", "1 note changed", "1 note added", "thud added: 1 stroke"],
        )
        with self.assertRaisesRegex(Problem, "one of the kind of the first"):
            changes(plain, document())


def _stands_alike(before: Patch, after: Patch, name: str) -> bool:
    """Tell whether a destination that was left out stands where it stood."""
    return before.base(VOICE[name]) == after.base(VOICE[name])


def _leaves(part: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    if isinstance(part, dict):
        return [leaf for name, value in part.items() for leaf in _leaves(value, (*path, name))]
    if isinstance(part, list) and part and isinstance(part[0], dict):
        return [leaf for place, value in enumerate(part) for leaf in _leaves(value, (*path, place))]
    return [path]


def _without(whole: Json, path: tuple[Any, ...]) -> Json:
    made = copy.deepcopy(whole)
    at: Any = made
    for name in path[:-1]:
        at = at[name]
    del at[path[-1]]
    return made


class InFigures(unittest.TestCase):
    def of(self, before: Patch, after: Patch) -> dict[tuple[str, str], FigureChange]:
        return {(one.about, one.figure): one for one in figure_changes(before, after)}

    def test_what_is_played_harder_settles_higher(self) -> None:
        module: Json = {"id": "e", "kind": "envelope", "attack_s": 0.01, "decay_s": 0.05, "sustain": 0.5}
        route: Json = {"id": "r", "source": "e", "destination": "cutoff", "amount": 24.0, "via": "velocity"}
        before = patch([module], [route], performance=note(1.0), voice={"base": {"cutoff": 300.0}})
        found = self.of(before, edited(before, routes={"r": {"amount": 36.0}}))
        settled = found["cutoff", "settles"]
        # Half of 12 semitones more, at full velocity; of them a hundred and eighteenth of 127.
        self.assertEqual(settled.sentence, f"cutoff settles {6.0 * 118 / 127:.4g} st higher at velocity 118")
        self.assertAlmostEqual(settled.after, 300.0 * 2 ** (0.5 * 36 * 118 / 127 / 12), places=6)

    def test_what_is_alike_at_every_velocity_is_told_without_one(self) -> None:
        before = patch(performance=note(0.5), voice={"base": {"cutoff": 500.0, "drive": 6.0}})
        found = self.of(before, edited(before, base={"cutoff": 2000.0, "drive": 12.0}))
        self.assertEqual(found["cutoff", "stands"].sentence, "cutoff stands 24 st higher")
        self.assertEqual(found["drive", "stands"].sentence, "drive stands 6 dB higher")

    def test_a_later_peak_and_a_softer_note(self) -> None:
        module: Json = {"id": "e", "kind": "envelope", "attack_s": 0.02, "decay_s": 0.1, "sustain": 0.5}
        route: Json = {"source": "e", "destination": "amplitude", "mode": "scale", "amount": 1.0}
        before = patch([module], [route], performance=note(0.6))
        after = edited(before, modules={"e": {"attack_s": 0.12}}, base={"amplitude": 0.5})
        found = self.of(before, after)
        self.assertEqual(found["amplitude", "peaks at"].sentence, "amplitude peaks 100 ms later")
        self.assertEqual(found["amplitude", "settles"].sentence, "amplitude settles 6.021 dB lower")
        lufs = [loudness(render(one, RATE).samples, RATE) for one in (before, after)]
        self.assertAlmostEqual(
            found["", "loudness"].after - found["", "loudness"].before, lufs[1] - lufs[0], delta=1e-6
        )

    def test_what_nobody_would_notice_is_left_out(self) -> None:
        before = patch(performance=note(0.5), voice={"base": {"cutoff": 500.0}})
        self.assertEqual(figure_changes(before, edited(before, base={"cutoff": 500.5})), [])
