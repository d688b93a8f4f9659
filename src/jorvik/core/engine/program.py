"""A patch as a flat program: arrays that one compiled loop can run.

All signals live in one table of rows: performance signals first, then modules, then for each lane that something
moves its value, what it was before the clamp, and its base, then a row for each route's contribution. Column 0 of a
block holds the last sample of the block before, so that reading "the previous sample" is reading one column back.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from jorvik.core.destinations import VOICE, Destination
from jorvik.core.engine.graph import order
from jorvik.core.kernels import Floats
from jorvik.core.modules import KINDS
from jorvik.core.modules.base import Module
from jorvik.core.patch import Patch, Route
from jorvik.core.randomness import stream
from jorvik.core.signals import PERFORMANCE_SIGNALS, PITCH_LANE

Ints = NDArray[np.int64]

GLIDE_ROW = "glide and bend"
"""The row that carries what mono glide and pitch bend add to the pitch."""

NOTHING = -1
POLARITIES = ("as_is", "unipolar", "bipolar")
MODES = ("add", "scale", "range")


def _record(*integers: str, numbers: tuple[str, ...] = ()) -> np.dtype[np.void]:
    return np.dtype([(name, np.int64) for name in integers] + [(name, np.float64) for name in numbers])


GROUP = _record("end", "is_loop")
MODULE = _record("kind", "row", "p", "s", "d", "x", "reads", "moved")
READ = _record("slot", "row", "late")
MOVED = _record("slot", "row")
LANE = _record("row", "base_row", "routes", numbers=("base", "octave", "low", "high"))
ROUTE = _record(
    *("row", "source", "source_late", "via", "via_late", "polarity", "mode", "amount_row", "amount_late"),
    numbers=("via_depth", "bend", "amount", "low", "high"),
)

Records = NDArray[np.void]


class Code(NamedTuple):
    """The program itself, as tables of records.

    Rows are numbers of the table of signals; a ``late`` of 1 reads the sample before. Modules and lanes end with one
    record more, so that each knows where its part of a table ends.
    """

    groups: Records
    nodes: Ints
    """Modules as their number, lanes as the number of modules plus theirs; in running order."""
    modules: Records
    reads: Records
    moved: Records
    lanes: Records
    routes: Records


@dataclass(frozen=True)
class Lane:
    """A destination that something moves, and where its rows stand."""

    destination: Destination
    base: float
    base_from: str | None
    """A row that the base stands on: a control lane, or glide and bend."""
    routes: list[Route]
    row: int
    """Value; the row after it holds the value before the clamp, the next the base."""


@dataclass
class Program:
    """A compiled patch: the code, the numbers that it starts from, and the names of its rows."""

    patch: Patch
    code: Code
    p: Floats
    s: Floats
    d: Floats
    x: Floats
    rows: int
    performance_rows: Mapping[str, int]
    module_rows: Mapping[str, int]
    lanes: Mapping[str, Lane]
    route_rows: Mapping[str, int]


def compile_patch(patch: Patch) -> Program:
    """Return the flat program of a patch, for one voice."""
    return _Compiler(patch).program()


class _Compiler:
    """Lays the rows out, orders the work, and fills the arrays."""

    def __init__(self, patch: Patch) -> None:
        self.patch = patch
        self.tempo = patch.performance.tempo
        names = [*PERFORMANCE_SIGNALS, GLIDE_ROW, *(n for n in patch.performance.controls if n.startswith("macro:"))]
        self.performance_rows = {name: i for i, name in enumerate(names)}
        self.module_rows = {m.id: len(names) + i for i, m in enumerate(patch.modules)}
        self.next_row = len(names) + len(patch.modules)
        self.lanes = self._lay_lanes()
        self.lane_number = {name: i for i, name in enumerate(self.lanes)}
        self.routes = [route for lane in self.lanes.values() for route in lane.routes]
        self.route_rows = {route.id: self.next_row + i for i, route in enumerate(self.routes)}
        self.next_row += len(self.routes)
        self.groups = order(*self._graph())
        self.place = {node: i for i, node in enumerate(node for group in self.groups for node in group.nodes)}

    def _lay_lanes(self) -> dict[str, Lane]:
        """Give rows to everything that moves: what routes reach, the pitch, and macros that are played."""
        pulls: dict[str, list[Route]] = {PITCH_LANE: []}
        bases: dict[str, str] = {PITCH_LANE: GLIDE_ROW}
        for module in self.patch.modules:
            if module.control and (played := module.control[1] + module.id) in self.performance_rows:
                name = f"{module.id}.{module.control[0]}"
                pulls[name] = []
                bases[name] = played
        for route in self.patch.live_routes:
            pulls.setdefault(route.destination, []).append(route)
        lanes = {}
        for name in sorted(pulls, key=lambda n: (n not in VOICE, list(VOICE).index(n) if n in VOICE else 0)):
            destination = self.patch.destination(name)
            assert destination is not None, name
            base_from = bases.get(name)
            base = 0.0 if base_from and name != PITCH_LANE else self.patch.base(destination)
            lanes[name] = Lane(destination, base, base_from, pulls[name], self.next_row)
            self.next_row += 3
        return lanes

    def _reads(self, module: Module) -> list[str | float]:
        return [value for _, value in module.input_signals()] + list(module.reads_now())

    def _moved(self, module: Module) -> list[tuple[str, Lane]]:
        """Return the parameters of a module that a lane moves."""
        names = (name for name in module.slots() if f"{module.id}.{name}" in self.lanes)
        return [(name, self.lanes[f"{module.id}.{name}"]) for name in names]

    def _node(self, signal: str | float) -> int | None:
        """Return the node that makes a signal, or None when nothing in the patch does."""
        if signal == PITCH_LANE:
            return len(self.patch.modules) + self.lane_number[PITCH_LANE]
        row = self.module_rows.get(signal) if isinstance(signal, str) else None
        return None if row is None else row - len(self.performance_rows)

    def _graph(self) -> tuple[list[set[int]], list[bool]]:
        modules = len(self.patch.modules)
        reads: list[set[int]] = []
        for module in self.patch.modules:
            nodes = {self._node(signal) for signal in self._reads(module)}
            nodes |= {modules + self.lane_number[lane.destination.name] for _, lane in self._moved(module)}
            reads.append({node for node in nodes if node is not None})
        for lane in self.lanes.values():
            nodes = {self._node(signal) for route in lane.routes for signal in (route.source, route.via or 0.0)}
            amounts = (f"route:{route.id}.amount" for route in lane.routes)
            nodes |= {modules + self.lane_number[name] for name in amounts if name in self.lanes}
            reads.append({node for node in nodes if node is not None})
        return reads, [i < modules for i in range(len(reads))]

    def _row(self, signal: str) -> int:
        if signal == PITCH_LANE:
            return self.lanes[PITCH_LANE].row
        return self.performance_rows.get(signal, -1) if signal in self.performance_rows else self.module_rows[signal]

    def _late(self, signal: str | float, reader: int) -> int:
        """Return 1 when what makes a signal runs at or after its reader, so that the reader sees the sample before."""
        maker = self._node(signal)
        return int(maker is not None and self.place[maker] >= self.place[reader])

    def program(self) -> Program:
        """Fill the tables."""
        tables: dict[str, list[tuple[float, ...]]] = {
            name: [] for name in ("modules", "reads", "moved", "lanes", "routes")
        }
        parts: dict[str, list[float]] = {name: [] for name in ("p", "s", "d", "x")}
        for index, module in enumerate(self.patch.modules):
            self._add_module(index, module, parts, tables)
        starts = (*map(len, parts.values()), len(tables["reads"]), len(tables["moved"]))
        tables["modules"].append((NOTHING, NOTHING, *starts))
        for number, lane in enumerate(self.lanes.values()):
            self._add_lane(len(self.patch.modules) + number, lane, tables)
        tables["lanes"].append((NOTHING, NOTHING, len(tables["routes"]), 0.0, 0.0, 0.0, 0.0))
        ends = np.cumsum([len(group.nodes) for group in self.groups])
        code = Code(
            groups=np.array([(end, group.is_loop) for end, group in zip(ends, self.groups, strict=True)], dtype=GROUP),
            nodes=np.array([node for group in self.groups for node in group.nodes], dtype=np.int64),
            modules=np.array(tables["modules"], dtype=MODULE),
            reads=np.array(tables["reads"], dtype=READ),
            moved=np.array(tables["moved"], dtype=MOVED),
            lanes=np.array(tables["lanes"], dtype=LANE),
            routes=np.array(tables["routes"], dtype=ROUTE),
        )
        flat = {name: np.array(values, dtype=np.float64) for name, values in parts.items()}
        return Program(
            patch=self.patch,
            code=code,
            rows=self.next_row,
            performance_rows=self.performance_rows,
            module_rows=self.module_rows,
            lanes=self.lanes,
            route_rows=self.route_rows,
            **flat,
        )

    def _add_module(
        self, index: int, module: Module, parts: dict[str, list[float]], tables: dict[str, list[tuple[float, ...]]]
    ) -> None:
        starts = (*map(len, parts.values()), len(tables["reads"]), len(tables["moved"]))
        tables["modules"].append((list(KINDS).index(module.kind), self.module_rows[module.id], *starts))
        parts["p"] += [*module.slot_values(self.tempo), stream(self.patch.performance.seed, module.id), 0.0]
        parts["s"] += [0.0] * module.state_size()
        parts["d"] += module.packed()
        for slot, signal in enumerate(self._reads(module)):
            parts["x"].append(signal if isinstance(signal, int | float) else 0.0)
            if isinstance(signal, str):
                tables["reads"].append((slot, self._row(signal), self._late(signal, index)))
        tables["moved"] += [(module.slot(name), lane.row) for name, lane in self._moved(module)]

    def _add_lane(self, node: int, lane: Lane, tables: dict[str, list[tuple[float, ...]]]) -> None:
        at = lane.destination
        base_row = self.performance_rows[lane.base_from] if lane.base_from else NOTHING
        numbers = (lane.base, at.steps_per_octave, at.low, at.high)
        tables["lanes"].append((lane.row, base_row, len(tables["routes"]), *numbers))
        for route in lane.routes:
            amount = self.lanes.get(f"route:{route.id}.amount")
            amount_node = len(self.patch.modules) + self.lane_number[amount.destination.name] if amount else node
            tables["routes"].append(
                (
                    self.route_rows[route.id],
                    self._row(route.source),
                    self._late(route.source, node),
                    self._row(route.via) if route.via else NOTHING,
                    self._late(route.via or 0.0, node),
                    POLARITIES.index(route.polarity),
                    MODES.index(route.mode),
                    amount.row if amount else NOTHING,
                    self.place[amount_node] >= self.place[node],
                    route.via_depth,
                    route.bend,
                    route.amount,
                    route.low or 0.0,
                    route.high or 0.0,
                )
            )
