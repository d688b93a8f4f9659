"""Takes: rendered as they were heard, made into phrases, joined; and a phrase that plays beside the hand."""

import unittest

import numpy as np

from jorvik.core.document.patch import check_patch
from jorvik.core.document.phrase import Phrase, check_phrase
from jorvik.core.document.take import Take, check_take
from jorvik.core.live.hands import Write
from jorvik.core.live.player import BLOCK, LivePlayer
from jorvik.core.phrases.takes import joined, performed, phrase_of, printed
from jorvik.core.problems import Problem
from jorvik.core.voice.render import render
from jorvik.core.voice.sounding import delay_of
from tests.core.playing import Acts, Floats, heard, off, on, taken, turn
from tests.support import RATE, Json, demos, patch

PHRASE: Json = {"format": "jorvik-phrase", "version": 1, "tempo_bpm": 150, "beats_per_bar": 4, "bars": 1}
TURN = round(4 * 0.4 * RATE)


def phrase(**fields: object) -> Phrase:
    return check_phrase({**PHRASE, **fields})


def note(key: float, at: float, length: float, velocity: float = 96.0) -> Json:
    return {"key": key, "at": at, "length": length, "velocity": velocity}


def blocks_of(seconds: float) -> int:
    return int(seconds * RATE / BLOCK)


class Beside(unittest.TestCase):
    """A phrase in a loop while a hand plays."""

    def check(self, voice: Json) -> None:
        modules: list[Json] = [
            {"id": "sway", "kind": "lfo", "rate": 3.1},
            {"id": "beat", "kind": "clock", "rate": 11.0},
            {"id": "held", "kind": "sample_hold", "input": "sway", "clock": "beat"},
            {"id": "swell", "kind": "envelope", "attack_s": 0.01, "release_s": 0.05},
        ]
        routes: list[Json] = [
            {"source": "held", "destination": "cutoff", "amount": 24},
            {"source": "sway", "destination": "pitch", "amount": 0.3},
            {"source": "note_random", "destination": "pitch", "amount": 2},
            {"source": "swell", "destination": "amplitude", "amount": 1, "mode": "scale"},
        ]
        of = patch(modules, routes, voice=voice, performance={"tail_s": 0.2})
        # At places where no block begins.
        over = phrase(played=[note(50, 0.13, 0.8), note(57, 0.1305, 0.5, 70), note(62, 1.777, 1.2)])
        player = LivePlayer(of)
        player.beat(over, plays=True)
        live = heard(player, {}, blocks_of(1.3))
        rendered = render(of.under(over), RATE).samples
        late = player.delay + delay_of(of)
        length = len(live) - late
        self.assertGreater(np.abs(rendered[:length]).max(), 0.05)
        np.testing.assert_allclose(live[late:], rendered[:length], rtol=0.0, atol=1e-9)

    def test_its_notes_are_struck_at_their_very_samples(self) -> None:
        # What is driven is later by more samples than lie between the first two notes.
        driven = {"base": {"drive": 12, "fold": 0.3}}
        for voice in ({}, {"mode": "mono", "glide_ms": 60}, {"mode": "legato"}, driven):
            with self.subTest(voice=voice):
                self.check(voice)

    def test_its_turns_follow_each_other_to_the_sample(self) -> None:
        player = LivePlayer(patch())
        player.beat(phrase(played=[note(50, 0.5, 0.25)]), plays=True)
        heard(player, {}, 2 + 3 * TURN // BLOCK)
        first = round(0.2 * RATE)
        self.assertEqual([at for _, _, _, at in player.log().on], [first, first + TURN, first + 2 * TURN])

    def test_only_its_hits_are_played_unless_more_is_asked_for(self) -> None:
        player = LivePlayer(patch())
        player.beat(phrase(played=[note(50, 0, 1)], controls={"mod_wheel": [[0, 0], [4, 1]]}))
        heard(player, {}, 100)
        self.assertEqual((player.log().on, player.lanes["mod_wheel"]), ([], 0.0))

    def test_bars_are_counted_before_it(self) -> None:
        player = LivePlayer(patch())
        begins = player.beat(phrase(played=[note(50, 0, 0.5)]), plays=True, count_in=1)
        self.assertEqual(begins, TURN)
        counted = heard(player, {}, blocks_of(0.4 * 4))
        # Four clicks, a beat apart, and nothing else.
        loud = np.flatnonzero(np.abs(counted[:, 0]) > 1e-3)
        starts = loud[np.flatnonzero(np.diff(loud, prepend=-RATE) > RATE // 10)] - player.delay
        np.testing.assert_allclose(starts, np.arange(4) * 0.4 * RATE, atol=30)
        heard(player, {}, 5)
        log = player.log()
        self.assertEqual([at for _, _, _, at in log.on], [begins])
        self.assertEqual(log.edits, [], "a beat is no edit")
        again = heard(LivePlayer(patch()), {0: lambda p: p.beat(phrase(), count_in=1)}, blocks_of(3))
        self.assertLess(float(np.abs(again[TURN + RATE // 10 :]).max()), 1e-3)
        # A bar that ends within a block is no click longer.
        faster = phrase(tempo_bpm=151.3)
        uneven = heard(LivePlayer(patch()), {0: lambda p: p.beat(faster, count_in=1)}, blocks_of(3))
        ends = round(4 * 60 / 151.3 * RATE)
        self.assertLess(float(np.abs(uneven[ends:]).max()), 1e-3)
        going_on = heard(LivePlayer(patch()), {0: lambda p: p.beat(phrase(), count_in=1, counts_on=True)}, blocks_of(3))
        self.assertGreater(float(np.abs(going_on[TURN + RATE // 10 :]).max()), 0.05)


class WrittenOver(unittest.TestCase):
    """A lane that a phrase plays, written over by the hand."""

    def setUp(self) -> None:
        self.over = phrase(controls={"mod_wheel": [[0, 0.2], [4, 0.6]]})
        self.turn = TURN // BLOCK

    def base(self, block: int) -> float:
        return 0.2 + 0.4 * ((block + 1) * BLOCK % TURN) / TURN

    def values(self, write: Write, acts: Acts) -> list[float]:
        """Where the lane stands after each of so many blocks."""
        player = LivePlayer(patch())
        player.write = write
        player.beat(self.over, plays=True)
        found = []
        for block in range(self.turn + 40):
            if block in acts:
                acts[block](player)
            player.block()
            found.append(player.lanes["mod_wheel"])
        return found

    def test_touched_it_is_written_over_while_it_is_held(self) -> None:
        found = self.values("touch", {20: turn("mod_wheel", 0.9), 50: lambda p: p.control("mod_wheel", None)})
        expected = [0.9 if 20 <= n < 50 else self.base(n) for n in range(len(found))]
        np.testing.assert_allclose(found, expected, atol=1e-12)

    def test_latched_it_is_written_over_until_the_next_turn(self) -> None:
        found = self.values("latch", {20: turn("mod_wheel", 0.9), 50: lambda p: p.control("mod_wheel", None)})
        expected = [0.9 if 20 <= n < self.turn else self.base(n) for n in range(len(found))]
        np.testing.assert_allclose(found, expected, atol=1e-12)

    def test_trimmed_it_goes_on_as_much_higher_or_lower(self) -> None:
        grabbed = self.base(19)
        acts = {20: turn("mod_wheel", grabbed - 0.1), 50: lambda p: p.control("mod_wheel", None)}
        found = self.values("trim", acts)
        expected = [self.base(n) - (0.1 if 20 <= n < 50 else 0.0) for n in range(len(found))]
        np.testing.assert_allclose(found, expected, atol=1e-12)


class Taken(unittest.TestCase):
    def passes(self) -> tuple[list[Take], Floats, int]:
        """Two turns that were played over, what was heard of them, and by how much it is late."""
        of = check_patch(demos()["ferry-horn"])
        over = phrase(hits=[{"id": "thud", "sound": "thud", "strikes": [{"at": 0}, {"at": 2.5}]}], played=[])
        player = LivePlayer(of)
        player.beat(over)
        turn_of = self.turn = TURN // BLOCK
        acts = {5: on(48), 40: off(48), 60: turn("mod_wheel", 0.8), turn_of - 10: on(55, 60), turn_of + 20: off(55)}
        live = heard(player, {**acts, turn_of + 50: on(60), turn_of + 80: turn("mod_wheel", 0.1)}, 2 * turn_of + 8)
        fields = {"over": over.document(), "bars_from": 0}
        whole = taken(player, **fields).document()
        takes = [check_take({**whole, "begins": k * TURN, "ends": (k + 1) * TURN}) for k in range(2)]
        return takes, live, player.delay + delay_of(of)

    def test_each_pass_rendered_is_what_was_heard_with_what_rang_in_from_before(self) -> None:
        takes, live, late = self.passes()
        for number, take in enumerate(takes):
            made = printed(take, with_hits=True).samples[:TURN]
            np.testing.assert_allclose(made, live[late + number * TURN :][:TURN], rtol=0.0, atol=1e-9)
        self.assertGreater(float(np.abs(live[late + TURN :][: RATE // 20]).max()), 0.02)

    def test_a_pass_is_a_phrase_of_its_own_notes_and_lanes(self) -> None:
        first, second = (phrase_of(take) for take in self.passes()[0])
        self.assertEqual([n.key for n in first.played], [48, 55])
        self.assertEqual([n.key for n in second.played], [60])
        self.assertEqual((first.bars, second.bars, first.tempo_bpm), (1, 1, 150))
        self.assertAlmostEqual(second.played[0].at, ((self.turn + 50) * BLOCK - TURN) / (0.4 * RATE))
        # What is held at its end ends there.
        self.assertAlmostEqual(first.played[1].at + first.played[1].length, 4.0)
        self.assertEqual([s.at for s in second.hits[0].strikes], [0.0, 2.5])
        self.assertEqual(second.controls["mod_wheel"][0], [0.0, 0.8])
        self.assertEqual(second.controls["mod_wheel"][-1][1], 0.1)

    def test_bars_of_several_takes_are_joined(self) -> None:
        of = patch().document()
        head = {"format": "jorvik-take", "version": 1, "patch": of, "tempo_bpm": 120, "begins": 0, "ends": 4 * RATE}
        bar = 2 * RATE
        ons = [(60, 0), (62, bar + 100), (64, bar - 100)]
        one = check_take(
            {
                **head,
                "played": [{"key": key, "velocity": 90, "on": at, "off": at + 5000} for key, at in ons],
                "lanes": {"mod_wheel": [[0, 0.0], [4 * RATE, 1.0]]},
            }
        )
        other = check_take(
            {**head, "lanes": {}, "played": [{"key": 40, "velocity": 80, "on": bar + 10, "off": bar + 20}]}
        )
        made = joined([one, other], [0, 1])
        self.assertEqual(sorted(n.key for n in made.played), [40, 60, 64])
        # The other take never moved the wheel, which stands at 0 there.
        np.testing.assert_allclose(np.array(made.controls["mod_wheel"]), np.array([[0, 0], [4, 0.5], [4, 0], [8, 0]]))
        back = joined([one, other], [1, 0])
        self.assertEqual([n.key for n in back.played], [62])
        np.testing.assert_allclose(np.array(back.controls["mod_wheel"]), np.array([[0, 0], [4, 0], [4, 0.5], [8, 1]]))
        with self.assertRaisesRegex(Problem, "for each bar a take"):
            joined([one, other], [0, 2])
        faster = check_take({**one.document(), "tempo_bpm": 90})
        with self.assertRaisesRegex(Problem, "of one tempo"):
            joined([one, faster], [0, 1])

    def test_points_beyond_what_a_phrase_keeps_still_count_where_it_is_rendered(self) -> None:
        rng = np.random.default_rng(5)
        points = [[float(at), float(value)] for at, value in zip(range(0, RATE, 40), rng.random(1200), strict=False)]
        take = check_take(
            {
                "format": "jorvik-take",
                "version": 1,
                "patch": patch().document(),
                "tempo_bpm": 120,
                "begins": 0,
                "ends": RATE,
                "lanes": {"mod_wheel": points},
                "played": [{"key": 60, "velocity": 90, "on": 0, "off": RATE // 2}],
            }
        )
        self.assertLessEqual(len(phrase_of(take).controls["mod_wheel"]), 512)
        self.assertEqual(len(performed(take)[0].performance.controls["mod_wheel"]), 1200)
        # Nothing that was never moved is a lane.
        still = check_take({**take.document(), "lanes": {"mod_wheel": [[0, 0.0]]}})
        self.assertEqual(phrase_of(still).controls, {})

    def test_what_is_no_take_is_refused_with_its_place(self) -> None:
        struck = {"key": 60, "velocity": 90, "on": 10, "off": 20}
        head = {"format": "jorvik-take", "version": 1, "patch": patch().document(), "ends": RATE, "played": [struck]}
        check_take(head)
        for fields, said in (
            ({"patch": {"format": "jorvik-patch", "version": 1, "voice": {"mode": "duo"}}}, "patch, voice.mode"),
            ({"played": [{**struck, "off": 10}]}, "end after it begins"),
            ({"played": []}, "a note, or where the take begins"),
            ({"begins": RATE}, "ends after it begins"),
            ({"begins": 0, "ends": 121 * RATE}, "120 s at most"),
            ({"lanes": {"mod_wheel": [[5, 0], [4, 0]]}}, "point 1 of mod_wheel"),
            ({"lanes": {"knee": [[0, 0]]}}, "knee"),
            ({"more": 1}, "more"),
        ):
            with self.subTest(said=said), self.assertRaisesRegex(Problem, said):
                check_take({**head, **fields})


if __name__ == "__main__":
    unittest.main()
