"""The engine against a second reading of the model, on patches made up at random and on the demo bank."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import check_patch
from jorvik.core.engine.trace import trace
from jorvik.core.modules import KINDS
from tests.core.made_up import fields
from tests.core.reference import Reference
from tests.effort import count, examples, some_of
from tests.support import Json, demos, document

RATE = 4000
CHANCE = {"noise", "random"}
"""Kinds whose numbers are our own."""

FORWARD = {"compare", "sample_hold", "quantise", "shape"}
"""Kinds that read only what stands before them here.

In a loop the first three would make a jump of the smallest difference, and a power would grow without end.
"""


def grid(low: float, high: float) -> st.SearchStrategy[float]:
    """Numbers of a range that are neither round nor all but equal, so that no jump hangs on the last digit."""
    return st.integers(0, 97).map(lambda i: low + (high - low) * i / 97)


NUMBERS = {
    "Hz": grid(0.5, 900.0),
    "s": grid(0.0, 0.15),
    "ratio": grid(0.0, 1.0),
    "x": grid(0.1, 1.5),
    "signal": grid(-1.0, 1.0),
    "bend": grid(-6, 6),
    "Q": grid(0.5, 4),
    "cycle": grid(0, 0.99),
}


@st.composite
def modules(draw: st.DrawFn, index: int, count: int) -> Json:
    kind = draw(st.sampled_from(sorted(set(KINDS) - CHANCE)))
    made: Json = {"id": f"m{index}", "kind": kind}
    earlier = [f"m{i}" for i in range(index if kind in FORWARD else count)]
    signals = st.sampled_from([*earlier, "gate", "velocity", "key", "trigger", "mod_wheel"])
    made.update(draw(fields(kind, NUMBERS, signals, left_out={"drawn", "pitch", "coupling"})))
    if "reset" in made:
        # As what stands in FORWARD: a jump within a loop hangs on the last digit.
        made["reset"] = draw(st.sampled_from([0.0, *(f"m{i}" for i in range(index)), "gate", "trigger", "mod_wheel"]))
    heights = grid(-1, 1)
    if kind == "curve":
        made["points"] = [[0.0, draw(heights), draw(grid(-4, 4))], [0.05, draw(heights)], [0.11, draw(heights)]]
        made["time"] = draw(grid(0.5, 1.5))
        made.update(draw(st.sampled_from([{}, {"loop": [0, 2]}, {"loop": [1, 2]}, {"hold_at": 1}])))
    elif kind == "mix":
        inputs = st.builds(lambda s, g, o: {"source": s, "gain": g, "offset": o}, signals, grid(-0.4, 0.4), heights)
        made["inputs"] = draw(st.lists(inputs, max_size=3))
    elif kind == "quantise":
        made["scale"] = draw(st.sampled_from(["major", "minor_pentatonic", [0, 6], "fifths"]))
        made["root"] = draw(st.integers(0, 11))
    elif kind == "steps":
        made["values"] = draw(st.lists(grid(0, 1), min_size=1, max_size=4))
        made["step"] = draw(grid(0.01, 0.06))
    elif kind == "sample_hold" and not made.get("track"):
        made["loop"] = draw(st.sampled_from([None, 1, 3]))
    elif kind == "shape":
        made["clip"] = draw(st.sampled_from([None, [-0.5, 0.7]]))
        made["points"] = draw(st.sampled_from([None, [[-1.0, 0.3, 2.0], [0.2, -0.4], [1.0, 1.0]]]))
    elif kind == "clock":
        made["divide"], made["multiply"] = draw(st.integers(1, 3)), draw(st.integers(1, 3))
    return made


@st.composite
def documents(draw: st.DrawFn) -> Json:
    count = draw(st.integers(1, 5))
    made = [draw(modules(i, count)) for i in range(count)]
    own = [f"{m['id']}.rate" for m in made if m["kind"] in ("lfo", "clock")]
    own += [f"{m['id']}.frequency_hz" for m in made if m["kind"] == "filter"]
    own += [f"{m['id']}.offset" for m in made if m["kind"] == "shape"]
    routes: list[Json] = []
    for i in range(draw(st.integers(0, 6))):
        amounts = [f"route:{route['id']}.amount" for route in routes if route["mode"] == "add"]
        route: Json = {
            "id": f"r{i}",
            "source": draw(st.sampled_from([*(m["id"] for m in made), "velocity", "key", "gate"])),
            "destination": draw(st.sampled_from([*VOICE, *own, *amounts])),
            "amount": draw(grid(0, 1)),
            "mode": draw(st.sampled_from(["add", "scale", "add"])),
            "polarity": draw(st.sampled_from(["as_is", "unipolar", "bipolar"])),
            "bend": draw(grid(-3, 3)),
            "via": draw(st.sampled_from([None, "velocity", "mod_wheel"])),
            "via_depth": draw(grid(0, 1)),
        }
        ranged = {r["destination"] for r in routes if r["mode"] == "range"}
        if route["destination"] in ("cutoff", "fold") and route["destination"] not in ranged and draw(st.booleans()):
            ends = (200.0, 3000.0) if route["destination"] == "cutoff" else (0.2, 0.9)
            route = {k: v for k, v in route.items() if k != "amount"} | {
                "mode": "range",
                "low": ends[0],
                "high": ends[1],
            }
        elif route["mode"] == "add" and getattr(VOICE.get(route["destination"]), "takes_hertz", False):
            route |= draw(st.sampled_from([{}, {"amount_unit": "Hz", "amount": 440.0}, {"amount_unit": "Hz"}]))
        routes.append(route)
    starts = draw(st.sampled_from([[0.0], [0.02], [0.0, 0.05], [0.01, 0.04, 0.1]]))
    notes = [
        {
            "start_s": start,
            "length_s": draw(st.sampled_from([0.02, 0.04, 0.06])),
            "key": draw(st.sampled_from([48.0, 60.0, 67.5])),
            "velocity": draw(st.integers(1, 127)),
        }
        for start in starts
    ]
    controls = {"mod_wheel": [[0.02, 0.1], [0.09, 0.9]], "pitch_bend": [[0.0, 0.0], [0.05, 1.0], [0.08, -0.5]]}
    voice = {"mode": draw(st.sampled_from(["poly", "mono", "legato"])), "glide_ms": draw(st.sampled_from([0.0, 30.0]))}
    performance = {"notes": notes, "tail_s": 0.05, "tempo_bpm": draw(st.sampled_from([90.0, 137.0]))}
    return document(made, routes, performance={**performance, "controls": controls}, voice=voice)


class AgainstASecondReading(unittest.TestCase):
    def agree(self, doc: Json, rate: int = RATE, within: float = 1e-7) -> None:
        ours, theirs = trace(check_patch(doc), rate), Reference(doc, rate)
        for name, row in theirs.row.items():
            np.testing.assert_allclose(ours.signals[name], row, atol=within, rtol=1e-7, err_msg=f"signal {name}")
        for name, lane in theirs.lanes.items():
            mine = ours.lanes[name]
            rows = {"value": mine.value, "raw": mine.raw, **mine.contributions}
            for what, expected in lane.items():
                np.testing.assert_allclose(rows[what], expected, atol=within, rtol=1e-7, err_msg=f"{name} {what}")

    @examples(150)
    @given(documents())
    def test_any_patch(self, doc: Json) -> None:
        self.agree(doc)

    def test_the_demo_bank(self) -> None:
        compared = 0
        for name, doc in some_of(demos(), 3).items():
            kinds = {m["kind"] for m in doc["modules"]}
            tracked = any(m.get("tracks") == "pitch" or m.get("coupling") == "ac" for m in doc["modules"])
            stepped = any("resolution" in r or "update_every" in r for r in doc["routes"])
            if kinds & CHANCE or tracked or stepped or any("note_random" in r.values() for r in doc["routes"]):
                continue
            compared += 1
            with self.subTest(demo=name):
                self.agree({**doc, "performance": _short(doc["performance"])})
        self.assertGreater(compared, count(20, 6))


def _short(performance: Json) -> Json:
    """The same notes, none of them longer than a third of a second."""
    notes = [
        {**n, "length_s": min(n.get("length_s", 1.0), 0.33), "start_s": n.get("start_s", 0.0) / 4}
        for n in performance["notes"]
    ]
    return {**performance, "notes": notes, "tail_s": 0.1}


if __name__ == "__main__":
    unittest.main()
