"""The engine: feedback sample by sample, any cut gives the same numbers, limits hold, a run can be cancelled."""

import math
import unittest

import numpy as np
from hypothesis import given, reject
from hypothesis import strategies as st
from numpy.typing import NDArray

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch
from jorvik.core.engine.finite import NotFinite
from jorvik.core.engine.reduce import reduce_run
from jorvik.core.engine.row_cache import RowCache
from jorvik.core.engine.run import Cancelled, Run
from jorvik.core.engine.trace import Trace, trace
from jorvik.core.modules import KINDS
from jorvik.core.problems import Problem
from jorvik.formats.table import arrays
from tests.core.made_up import fields
from tests.effort import examples, some_of
from tests.support import RATE, Json, demos, document, note, patch, traced

Floats = NDArray[np.float64]


def whole(of: Patch, edges: list[int] | None = None, rate: int = RATE) -> Floats:
    """Every row of a run, cut at the given edges."""
    run = Run(of, rate)
    cuts = None if edges is None else [*edges, run.length]
    return np.concatenate([block.rows.copy() for block in run.blocks(cuts)], axis=1)


class Feedback(unittest.TestCase):
    def test_a_module_that_reads_itself_sees_the_sample_before(self) -> None:
        module = {
            "id": "a",
            "kind": "mix",
            "inputs": [{"source": "a", "gain": 0.999}, {"source": "gate", "gain": 0.01}],
        }
        y = traced([module], performance=note(0.05, 0.05)).signals["a"]
        wanted, last = [], 0.0
        for n in range(y.size):
            last = 0.999 * last + 0.01 * (n < 2400)
            wanted.append(last)
        np.testing.assert_allclose(y, wanted, atol=1e-12)

    def test_within_a_loop_the_document_orders(self) -> None:
        a: Json = {"id": "a", "kind": "mix", "inputs": [{"source": "b"}, {"source": "gate", "gain": 0.1}]}
        b: Json = {"id": "b", "kind": "mix", "inputs": [{"source": "a", "gain": -0.5}]}
        for modules, late in (([a, b], "b"), ([b, a], "a")):
            t = traced(modules, performance=note(0.01, 0.0))
            va = vb = 0.0
            for n in range(20):
                if late == "b":
                    va = vb + 0.1
                    vb = -0.5 * va
                else:
                    vb = -0.5 * va
                    va = vb + 0.1
                self.assertAlmostEqual(t.signals["a"][n], va, places=12)
                self.assertAlmostEqual(t.signals["b"][n], vb, places=12)

    def test_a_loop_through_a_parameter(self) -> None:
        """An LFO that slows itself down: its rate reads its own sample before."""
        module = {"id": "l", "kind": "lfo", "rate": 50, "shape": "saw_up", "polarity": "unipolar"}
        y = traced(
            [module], [{"source": "l", "destination": "l.rate", "amount": -1}], performance=note(0.1, 0)
        ).signals["l"]
        phase = last = 0.0
        for n in range(y.size):
            rate = 50 * 2 ** (-last)
            last = (2 * phase - 1 + 1) / 2
            self.assertAlmostEqual(y[n], last, places=9)
            phase = (phase + rate / RATE) % 1.0

    def test_a_loop_through_an_amount(self) -> None:
        modules: list[Json] = [
            {"id": "m", "kind": "mix", "inputs": [{"source": "k"}]},
            {"id": "k", "kind": "constant", "value": 0.1},
        ]
        routes = [
            {"id": "x", "source": "m", "destination": "k.value", "amount": 0.5},
            {"id": "y", "source": "m", "destination": "route:x.amount", "amount": 0.2},
        ]
        y = traced(modules, routes, performance=note(0.01, 0)).signals["m"]
        m = k = 0.0
        for n in range(50):
            m = k
            k = 0.1 + (0.5 + 0.2 * m) * m
            self.assertAlmostEqual(y[n], m, places=12)

    def test_a_do_nothing_feedback_edge_changes_nothing(self) -> None:
        plain = demos()["ferry-horn"]
        looped = {**plain, "routes": [*plain["routes"]]}
        for module in plain["modules"]:
            edge: Json = {
                "id": f"loop {module['id']}",
                "source": "breath",
                "destination": f"{module['id']}.",
                "amount": 0,
            }
            parameter = "rate" if module["kind"] == "lfo" else "attack_s"
            looped["routes"].append({**edge, "destination": edge["destination"] + parameter})
        before, after = traced(**_parts(plain)), traced(**_parts(looped))
        for name, lane in before.lanes.items():
            np.testing.assert_array_equal(lane.value, after.lanes[name].value)


def _parts(doc: Json) -> Json:
    return {name: value for name, value in doc.items() if name not in ("format", "version")}


class Cutting(unittest.TestCase):
    def test_demos_are_the_same_however_they_are_cut(self) -> None:
        for name, doc in some_of(demos(), 4).items():
            if "made to be wrong" in doc["tags"]:
                continue
            of = patch(**_parts(doc))
            length = Run(of).length
            reference = whole(of)
            for edges in ([1], [1, 2, 3, 1000, 1001], list(range(7001, length, 7001))):
                with self.subTest(demo=name, cuts=len(edges)):
                    np.testing.assert_array_equal(whole(of, edges), reference)

    def test_columns_hold_every_sample(self) -> None:
        of = patch([{"id": "l", "kind": "lfo", "rate": 3000}], performance=note(0.5, 0.1))
        y = trace(of).signals["l"]
        for columns in (1, 7, 720):
            run = Run(of)
            row = run.program.module_rows["l"]
            for cache in (None, RowCache()):
                reduced = reduce_run(run, columns, cache=cache)
                edges = [*reduced.starts.astype(int), y.size]
                for i in range(columns):
                    part = y[edges[i] : edges[i + 1]]
                    self.assertEqual(reduced.first[row, i], part[0])
                    self.assertEqual(reduced.least[row, i], part.min())
                    self.assertEqual(reduced.greatest[row, i], part.max())

    def test_a_window_is_a_part_of_the_whole(self) -> None:
        of = patch([{"id": "l", "kind": "lfo", "rate": 300}], performance=note(0.5, 0.1))
        y = trace(of).signals["l"]
        for first, last in ((0, 100), (777, 20_001), (20_000, 28_800)):
            run = Run(of)
            reduced = reduce_run(run, 50, window=(first, last))
            row = run.program.module_rows["l"]
            self.assertEqual(int(reduced.starts[0]), first)
            self.assertEqual(reduced.first[row, 0], y[first])
            self.assertEqual(reduced.greatest[row].max(), y[first:last].max())
            self.assertEqual(reduced.least[row].min(), y[first:last].min())

    def test_voices_do_not_depend_on_each_other(self) -> None:
        notes = [{"key": 60 + i, "start_s": 0.1 * i, "length_s": 0.2, "velocity": 40 + i} for i in range(3)]
        modules: list[Json] = [{"id": "e", "kind": "envelope"}, {"id": "r", "kind": "random", "rate": 30}]
        of = patch(modules, performance={"notes": notes, "tail_s": 0.1})
        traces = [trace(of, voice=i) for i in (2, 0, 1)]
        for i, t in zip((2, 0, 1), traces, strict=True):
            self.assertEqual(int(np.argmax(t.performance["gate"])), 4800 * i)
        self.assertFalse(np.array_equal(traces[0].signals["r"][-4800:], traces[1].signals["r"][-4800:]))


class Limits(unittest.TestCase):
    def test_a_run_can_be_cancelled(self) -> None:
        run = Run(patch(performance=note(50.0, 1.0)))
        seen = 0
        with self.assertRaises(Cancelled):
            for _ in run.blocks(cancelled=lambda: seen >= 3):
                seen += 1
        self.assertEqual(seen, 3)

    def test_a_table_beyond_memory_is_refused_and_a_reduction_is_not(self) -> None:
        modules: list[Json] = [{"id": f"m{i}", "kind": "constant"} for i in range(64)]
        routes = [{"source": f"m{i % 64}", "destination": "pitch", "amount": 0} for i in range(256)]
        of = patch(modules, routes, performance=note(59.0, 1.0))
        with self.assertRaisesRegex(Problem, "GB of samples"):
            arrays(of, RATE, contributions=True)
        self.assertEqual(reduce_run(Run(of, 4000), 100).first.shape[1], 100)

    def test_sample_rates(self) -> None:
        for rate in (3999, 192_001):
            with self.assertRaisesRegex(Problem, "4000 to 192000"):
                Run(patch(), rate)
        at = {
            rate: trace(patch([{"id": "l", "kind": "lfo", "rate": 5}]), rate).signals["l"] for rate in (4000, 192_000)
        }
        np.testing.assert_allclose(at[4000], at[192_000][::48], atol=1e-9)


NUMBERS = {
    "Hz": st.floats(0.01, 5000),
    "s": st.floats(0.0, 0.4),
    "ratio": st.floats(0.0, 1.0),
    "x": st.floats(0.0, 2.0),
    "signal": st.floats(-2.0, 2.0),
    "bend": st.floats(-12, 12),
    "Q": st.floats(0.5, 50),
    "cycle": st.floats(0, 1),
}


@st.composite
def modules(draw: st.DrawFn, index: int, count: int) -> Json:
    """A module of any kind, its inputs any signal, feedback included."""
    kind = draw(st.sampled_from(sorted(KINDS)))
    made: Json = {"id": f"m{index}", "kind": kind}
    signals = st.sampled_from([*(f"m{i}" for i in range(count)), "gate", "velocity", "key", "trigger"])
    made.update(draw(fields(kind, NUMBERS, signals, left_out={"drawn"})))
    if kind == "mix":
        inputs = st.builds(lambda s, g: {"source": s, "gain": g}, signals, st.floats(-0.9, 0.9))
        made["inputs"] = draw(st.lists(inputs, max_size=3))
    return made


@st.composite
def documents(draw: st.DrawFn) -> Json:
    count = draw(st.integers(1, 5))
    made = [draw(modules(i, count)) for i in range(count)]
    targets = [*VOICE, *(f"{m['id']}.rate" for m in made if m["kind"] in ("lfo", "random", "clock"))]
    route = st.builds(
        lambda s, d, a, m, p, v, b: {
            "source": s,
            "destination": d,
            "amount": a,
            "mode": m,
            "polarity": p,
            "via": v,
            "bend": b,
        },
        st.sampled_from([m["id"] for m in made]),
        st.sampled_from(targets),
        st.floats(0, 1),
        st.sampled_from(["add", "scale"]),
        st.sampled_from(["as_is", "unipolar", "bipolar"]),
        st.sampled_from([None, "velocity", "m0"]),
        st.floats(-4, 4),
    )
    played = note(draw(st.floats(0.01, 0.1)), 0.05, velocity=draw(st.integers(0, 127)))
    return document(made, draw(st.lists(route, max_size=6)), performance=played)


def finite(of: Patch) -> Trace:
    """Return the trace of a patch made up; one whose loop grows without end is made up again, as it is refused."""
    try:
        return trace(of)
    except NotFinite:
        reject()


class AnyPatch(unittest.TestCase):
    @examples(60)
    @given(documents(), st.integers(1, 2000))
    def test_numbers_are_finite_lanes_stay_in_range_and_cuts_do_not_matter(self, doc: Json, cut: int) -> None:
        of = patch(**_parts(doc))
        t = finite(of)
        for name, lane in t.lanes.items():
            self.assertTrue(np.isfinite(lane.value).all(), name)
            at = lane.lane.destination
            self.assertGreaterEqual(lane.value.min(), at.low)
            self.assertLessEqual(lane.value.max(), at.high)
        np.testing.assert_array_equal(whole(of), whole(of, [min(cut, t.time_s.size - 1)]))

    @examples(30)
    @given(documents())
    def test_an_unread_module_changes_nothing(self, doc: Json) -> None:
        extra = {"id": "unread", "kind": "lfo", "rate": 17.0}
        before = finite(patch(**_parts(doc)))
        after = traced(**_parts({**doc, "modules": [*doc["modules"], extra]}))
        for name, values in before.signals.items():
            np.testing.assert_array_equal(values, after.signals[name])

    @examples(30)
    @given(st.floats(0.01, 0.1), st.floats(0.01, 0.1), st.floats(0.1, 0.9), st.sampled_from([0.5, 2.0, 4.0]))
    def test_scaling_all_times_scales_the_trace(self, attack: float, decay: float, length: float, by: float) -> None:
        def run(k: float, rate: int) -> Floats:
            module = {"id": "e", "kind": "envelope", "attack_s": attack * k, "decay_s": decay * k, "release_s": 0.1 * k}
            vibrato = {"id": "l", "kind": "lfo", "rate": 5.0 / k, "delay_s": 0.05 * k, "fade_in_s": 0.1 * k}
            played = note(round(length * 4000) / 4000 * k, 0.25 * k)
            t = traced([module, vibrato], rate=rate, performance=played)
            return t.signals["e"] + t.signals["l"]

        np.testing.assert_allclose(run(by, round(16_000 / by)), run(1.0, 16_000), atol=1e-7)


class Exactness(unittest.TestCase):
    def test_an_hour_of_phase_would_still_be_exact(self) -> None:
        y = traced([{"id": "l", "kind": "lfo", "rate": 777.7}], performance=note(59.0, 0.0)).signals["l"]
        n = y.size - 1
        self.assertAlmostEqual(y[-1], math.sin(2 * math.pi * ((n * 7777) % 480_000) / 480_000), places=7)


if __name__ == "__main__":
    unittest.main()
