"""What one run of a series leaves to the next: never anything but what the next would have made itself."""

import copy
import unittest
from collections.abc import Callable

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.engine.reduce import reduce_run
from jorvik.core.engine.row_cache import RowCache
from jorvik.core.engine.run import Cancelled, Run
from jorvik.core.engine.trace import Trace, trace
from jorvik.core.measure.patch import measure_patch
from jorvik.core.measure.sweep import By, at_step
from jorvik.core.problems import Problem
from tests.core.test_reference import documents, grid, modules
from tests.effort import examples, some_of
from tests.support import Json, demos, note, patch

RATE = 4000
MARK = 0.123
"""Written over a row to tell whether it is made again."""


@st.composite
def edited(draw: st.DrawFn, doc: Json) -> Json:
    """A document with one thing changed; the same where no patch would come of it."""
    after: Json = copy.deepcopy(doc)
    part = draw(st.sampled_from(["module", "route", "note", "tempo_bpm", "seed", "wheel", "glide", "base", "mode"]))
    if part == "module":
        i = draw(st.integers(0, len(doc["modules"]) - 1))
        after["modules"][i] = draw(modules(i, len(doc["modules"])))
    elif part == "route" and doc["routes"]:
        route = draw(st.sampled_from(after["routes"]))
        field, values = draw(
            st.sampled_from(
                [("amount", grid(0, 1)), ("bend", grid(-3, 3)), ("via_depth", grid(0, 1)), ("mute", st.booleans())]
            )
        )
        route[field] = draw(values)
    elif part == "note":
        ranges = {"key": grid(36, 72), "velocity": st.integers(1, 127), "length_s": grid(0.01, 0.06)}
        field = draw(st.sampled_from(sorted(ranges)))
        draw(st.sampled_from(after["performance"]["notes"]))[field] = draw(ranges[field])
    elif part in ("tempo_bpm", "seed"):
        after["performance"][part] = draw(st.integers(60, 200))
    elif part == "wheel":
        name = draw(st.sampled_from(["mod_wheel", "pitch_bend"]))
        after["performance"]["controls"][name] = [[0.01, 0.0], [draw(grid(0.02, 0.1)), draw(grid(0, 1))]]
    elif part == "glide":
        after["voice"]["glide_ms"] = draw(grid(0, 60))
    elif part == "base":
        after["voice"]["base"] = {"cutoff": draw(grid(100, 2000)), "pitch": draw(grid(-12, 12))}
    elif part == "mode":
        after["voice"]["mode"] = draw(st.sampled_from(["poly", "mono", "legato"]))
    try:
        check_patch(after)
    except Problem:
        return doc
    return after


@st.composite
def series(draw: st.DrawFn) -> list[Json]:
    """Documents each of which is one edit away from one before it."""
    made = [draw(documents())]
    for _ in range(draw(st.integers(1, 6))):
        made.append(draw(edited(draw(st.sampled_from(made)))))
    return made


class Series(unittest.TestCase):
    @examples(100)
    @given(series())
    def test_every_row_is_what_it_would_be_alone(self, docs: list[Json]) -> None:
        cache = RowCache()
        for doc in docs:
            of = check_patch(doc)
            np.testing.assert_array_equal(Run(of, RATE).whole(cache=cache), Run(of, RATE).whole())
            # As text, in which what is not a number is itself: a loop may grow without end.
            self.assertEqual(repr(measure_patch(of, RATE, cache=cache)), repr(measure_patch(of, RATE)))

    @examples(40)
    @given(series(), st.lists(st.tuples(st.integers(1, 40), st.integers(0, 400), st.integers(1, 400)), min_size=1))
    def test_columns_are_what_they_would_be_alone(self, docs: list[Json], looks: list[tuple[int, int, int]]) -> None:
        cache = RowCache()
        for doc in docs:
            for columns, first, length in looks:
                window = first, first + length
                run = Run(check_patch(doc), RATE)
                kept, alone = (reduce_run(run, columns, window=window, cache=place) for place in (cache, None))
                for part in ("starts", "first", "least", "greatest"):
                    np.testing.assert_array_equal(getattr(kept, part), getattr(alone, part))

    def test_demos_up_and_down_every_ladder(self) -> None:
        steps: dict[By, tuple[float, ...]] = {
            "velocity": (1, 64, 127, 64),
            "key": (36, 36.5, 84),
            "length_s": (0.05, 0.4),
            "tempo_bpm": (60, 133),
            "seed": (1, 2, 1),
        }
        cache = RowCache()
        for name, doc in some_of(demos(), 8).items():
            if "breaks elsewhere" in doc["tags"]:
                continue
            for by, values in steps.items():
                for value in values:
                    of = at_step(check_patch(doc), by, value)
                    with self.subTest(demo=name, by=by, value=value):
                        self.assertEqual(measure_patch(of, RATE, cache=cache), measure_patch(of, RATE))

    def test_another_rate_or_voice_is_another_run(self) -> None:
        of = patch([{"id": "l", "kind": "random"}], performance=note(0.1, 0.1))
        chord = of.document() | {"performance": {"notes": [{"key": 60}, {"key": 64}]}}
        cache = RowCache()
        for at, voice in ((of, 0), (check_patch(chord), 0), (check_patch(chord), 1)):
            for rate in (4000, 8000):
                alone = trace(at, rate, voice)
                np.testing.assert_array_equal(trace(at, rate, voice, cache=cache).signals["l"], alone.signals["l"])

    def test_what_a_cancelled_run_left_half_made_is_made_again(self) -> None:
        of = patch([{"id": "l", "kind": "lfo"}], performance=note(2.0, 0.0))
        looks = iter([False, False, True])
        cache = RowCache()
        with self.assertRaises(Cancelled):
            Run(of).whole(lambda: next(looks), cache)
        np.testing.assert_array_equal(Run(of).whole(cache=cache), Run(of).whole())


class Kept(unittest.TestCase):
    """That rows are left as they stand is seen by a mark written over them in between."""

    wave: Json = {"id": "wave", "kind": "lfo", "rate": 3.0}
    swell: Json = {"id": "swell", "kind": "envelope", "attack_s": 0.1}
    slow: Json = {"id": "slow", "kind": "slew", "input": "swell", "rise_s": 0.01}

    def marked(self, first: Patch, then: Patch) -> tuple[Trace, Callable[[str], bool]]:
        """Return the second of two traces in a cache, and whether a signal or lane of it was left as it stood."""
        cache = RowCache()
        before = trace(first, RATE, cache=cache)
        rows = {**before.signals, **{name: lane.value for name, lane in before.lanes.items()}}
        for values in rows.values():
            values[-1] = MARK
        after = trace(then, RATE, cache=cache)
        now = {**after.signals, **{name: lane.value for name, lane in after.lanes.items()}}
        return after, lambda name: bool(now[name][-1] == MARK)

    def of(self, velocity: int = 90, **swell: float) -> Patch:
        return patch(
            [self.wave, {**self.swell, **swell}, self.slow],
            [
                {"source": "slow", "destination": "cutoff", "amount": 24},
                {"source": "wave", "destination": "fold", "amount": 0.2},
                {"source": "velocity", "destination": "amplitude", "amount": 0.5},
            ],
            performance=note(0.2, 0.1, velocity=velocity),
        )

    def test_a_harder_note_leaves_what_does_not_read_velocity(self) -> None:
        _, left = self.marked(self.of(), self.of(velocity=120))
        self.assertTrue(all(left(name) for name in ("wave", "fold", "pitch")))
        self.assertFalse(left("amplitude"))

    def test_an_edit_is_followed_downstream_and_nowhere_else(self) -> None:
        _, left = self.marked(self.of(), self.of(attack_s=0.05))
        self.assertFalse(any(left(name) for name in ("swell", "slow", "cutoff")))
        self.assertTrue(all(left(name) for name in ("wave", "fold", "amplitude")))

    def test_a_longer_note_leaves_nothing(self) -> None:
        of = self.of()
        _, left = self.marked(of, of.with_note(length_s=0.15))
        self.assertFalse(any(left(name) for name in ("wave", "swell", "slow", "fold", "cutoff", "amplitude")))

    def test_a_loop_is_made_again_as_a_whole(self) -> None:
        def of(gain: float) -> Patch:
            a: Json = {"id": "a", "kind": "mix", "inputs": [{"source": "b", "gain": 0.5}, {"source": "gate"}]}
            b: Json = {"id": "b", "kind": "mix", "inputs": [{"source": "a", "gain": gain}]}
            return patch([self.wave, a, b], performance=note(0.1, 0.1))

        _, left = self.marked(of(0.5), of(0.4))
        self.assertEqual([left(name) for name in ("a", "b", "wave")], [False, False, True])

    def test_figures_of_a_row_that_stands_are_kept_and_of_one_that_does_not_are_not(self) -> None:
        cache, tried = RowCache(), []
        for velocity in (90, 120, 90):
            of = trace(self.of(velocity), RATE, cache=cache)
            for name in ("fold", "amplitude"):
                row = of.lanes[name].lane.row
                cache.once(name, [row], lambda name=name: tried.append(name))  # type: ignore[misc]
        self.assertEqual(tried, ["fold", "amplitude", "amplitude"])


if __name__ == "__main__":
    unittest.main()
