"""Rules on a patch in its place, on both sides of their lines."""

import math
from typing import Any

import numpy as np

from jorvik.core.document.patch import Patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.engine.trace import trace
from jorvik.core.figures import KINDS
from jorvik.core.measure.context import Context
from tests.core.judging import ENV, RuleCase, found
from tests.core.test_beat import OPENS, under
from tests.support import Json, patch


def listening(release_s: float, strikes: list[Json] | None = None, track: str = "thud") -> Patch:
    follower = {"id": "f", "kind": "follower", "input": f"hit:{track}", "attack_s": 0.005, "release_s": release_s}
    return under([follower], [OPENS], strikes)


def glides(glide_ms: float, mode: str = "mono") -> Patch:
    notes = [{"key": 48, "at": 0, "length": 1}, {"key": 60, "at": 1, "length": 0.5}]
    return under([ENV], [], played=notes, voice={"mode": mode, "glide_ms": glide_ms})


class InItsPlace(RuleCase):
    def test_found_open(self) -> None:
        # A second from stroke to stroke: a quarter is left of an exponential after 1.39 time constants.
        gap = 1.0 - 0.125
        finding = self.sides("found_open", listening(gap / 1.3), listening(gap / 1.5))
        self.assertIn("27 % open", finding.sentence)

    def test_a_track_whose_name_begins_alike_is_another(self) -> None:
        self.assertEqual(len(found("found_open", listening(0.7))), 1)
        # The second track strikes too, and nobody listens to it; what listens to it is not told of the first.
        both = [{"id": name, "strikes": [{"at": 0}, {"at": 2}, {"at": 4}]} for name in ("thud", "thud 2")]
        for track in ("thud", "thud 2"):
            of = listening(0.7, track=track)
            phrase = of.phrase
            assert phrase is not None
            said = found("found_open", of.under(check_phrase({**phrase.document(), "hits": both})))
            self.assertEqual([finding.which for finding in said], [track])

    def test_missed_hit(self) -> None:
        def at(phase: float) -> Patch:
            lfo = {"id": "l", "kind": "lfo", "rate": "1/2", "phase": phase}
            route = {"source": "l", "destination": "amplitude", "amount": 0.45}
            strikes = [{"at": 1}, {"at": 3}]
            return under([lfo], [route], strikes, voice={"base": {"amplitude": 0.5}})

        # A sine of a second is lowest at three quarters; strokes fall at 0.5 s and 1.5 s. Its floor, within 1 dB of
        # the lowest level, lasts over 20 ms: it is timed at its start.
        before = math.acos((0.5 - 0.05 * 10 ** (1 / 20)) / 0.45) / (2 * math.pi)
        finding = self.sides("missed_hit", at(0.25 - before - 0.015), at(0.25 - before - 0.005))
        self.assertIn("15 ms after", finding.sentence)
        # At a rate of its own it is a tremolo, and meant for no stroke.
        tremolo = {"id": "l", "kind": "lfo", "rate": 1.0, "phase": 0.25 - before - 0.015}
        route = {"source": "l", "destination": "amplitude", "amount": 0.45}
        strikes = [{"at": 1}, {"at": 3}]
        self.assertEqual(
            found("missed_hit", under([tremolo], [route], strikes, voice={"base": {"amplitude": 0.5}})), []
        )

    def test_a_missed_hit_is_of_the_track_that_the_dips_are_for(self) -> None:
        before = math.acos((0.5 - 0.05 * 10 ** (1 / 20)) / 0.45) / (2 * math.pi)
        lfo = {"id": "l", "kind": "lfo", "rate": "1/2", "phase": 0.25 - before - 0.015}
        sway = {"source": "l", "destination": "amplitude", "amount": 0.45}
        opens = {"source": "hit:tick", "destination": "cutoff", "amount": 12.0}
        hits = [
            {"id": "thud", "strikes": [{"at": 1}, {"at": 3}]},
            {"id": "tick", "strikes": [{"at": 0.8}, {"at": 2.8}]},
        ]
        for routes, tracks in (([sway], ["thud"]), ([sway, opens], ["thud", "tick"])):
            of = under([lfo], routes, [], voice={"base": {"amplitude": 0.5}})
            phrase = of.phrase
            assert phrase is not None
            said = found("missed_hit", of.under(check_phrase({**phrase.document(), "hits": hits})))
            self.assertEqual([finding.which for finding in said], tracks)

    def test_a_dip_that_the_hit_makes_already_is_not_offered_again(self) -> None:
        strikes = [{"at": 1}, {"at": 3}]
        duck = {"source": "hit:thud", "destination": "amplitude", "amount": -0.9, "id": "duck"}
        late = {"id": "l", "kind": "lfo", "rate": "1/2", "phase": 0.15}
        sway = {"source": "l", "destination": "amplitude", "amount": 0.45}
        for routes, is_offered in (([sway], True), ([sway, {**duck, "amount": -0.001}], False)):
            said = found("missed_hit", under([late], routes, strikes, voice={"base": {"amplitude": 0.5}}))
            self.assertEqual([one.fix is not None for one in said], [is_offered])

    def test_late_glide(self) -> None:
        # The second note lasts 250 ms.
        finding = self.sides("late_glide", glides(300), glides(250))
        self.assertIn("in 1 of 2 notes", finding.sentence)
        self.assertIn("2 st short", finding.sentence)
        self.assertEqual(found("late_glide", glides(300, "poly")), [])

    def test_each_glide_is_told_with_its_path_and_its_arrival(self) -> None:
        """A beat of half a second; the second note, an octave higher, lasts 250 ms."""
        for glide_ms, wanted in (
            (200.0, "from C3 to C4, 12 st in 200 ms, there at 700 ms"),
            (300.0, "from C3 to C4, 12 st in 300 ms, not there by note-off, 2 st short"),
        ):
            [glide] = KINDS["glides"](Context(glides(glide_ms)))
            self.assertEqual((glide.about, glide.name, glide.said), ("pitch", "glide at 500 ms", wanted))
            # By the trace: where the key begins, and where the lane has come to 0 or stands at note-off.
            pitch = trace(glides(glide_ms)).lanes["pitch"].value
            self.assertAlmostEqual(float(pitch[24_000]), -12.0, places=2)
            arrived = 24_000 + int(np.argmax(pitch[24_000:] >= -1e-6))
            if glide_ms == 200.0:
                self.assertAlmostEqual(arrived / 48_000, 0.7, places=4)
            else:
                self.assertAlmostEqual(float(pitch[35_999]), -2.0, places=2)
        self.assertEqual(list(KINDS["glides"](Context(glides(300.0, "poly")))), [])

    def test_no_track(self) -> None:
        finding = self.sides("no_track", listening(0.1, track="snap"), listening(0.1))
        self.assertEqual(finding.severity, "caution")
        assert finding.fix is not None
        self.assertGreater(float(trace(finding.fix.patch).signals["f"].max()), 0.9)
        alone = patch([{"id": "f", "kind": "follower", "input": "hit:thud"}], [OPENS])
        [said] = found("no_track", alone)
        self.assertEqual(said.severity, "note")

    def test_late_meeting(self) -> None:
        def at(other: str) -> Patch:
            lfos: list[Json] = [{"id": "a", "kind": "lfo", "rate": "1/4"}, {"id": "b", "kind": "lfo", "rate": other}]
            return under(lfos, [{"source": n, "destination": "cutoff", "amount": 3} for n in "ab"])

        # A bar of four: 1 and 4/3 of a beat meet after 4, 1 and 5/4 after 5.
        finding = self.sides("late_meeting", at("5/16"), at("1/3"))
        self.assertIn("after 5 beats", finding.sentence)

    def test_low_on_thud(self) -> None:
        def at(amount: float, **hit: Any) -> Patch:
            follower = {"id": "f", "kind": "follower", "input": "hit:thud", "attack_s": 0.001, "release_s": 0.05}
            base = {"cutoff": 300, "amplitude": 0.2}
            route = {"source": "f", "destination": "amplitude", "amount": amount}
            of = under([follower], [route], [{"at": b, "length": 0.3} for b in range(4)], voice={"base": base})
            assert of.phrase is not None
            document = of.phrase.document()
            document["hits"][0].update(hit)
            document["played"] = [{"key": 36, "at": 0, "length": 4}]
            return of.under(check_phrase(document))

        finding = self.sides("low_on_thud", at(0.4), at(0.0))
        self.assertIn("under thud", finding.sentence)
        self.assertEqual(found("low_on_thud", at(0.4, sound="tick")), [])


if __name__ == "__main__":
    import unittest

    unittest.main()
