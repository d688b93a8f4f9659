"""A patch as a flat program: arrays that one compiled loop can run.

All signals live in one table of rows: performance signals first, then modules, then for each lane that something
moves its value, what it was before the clamp, and its base, then a row for each route's contribution. Column 0 of a
block holds the last sample of the block before, so that reading "the previous sample" is reading one column back.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from jorvik.core.document.destinations import VOICE, Destination
from jorvik.core.document.patch import Patch, Route
from jorvik.core.dsp.kernels import Floats
from jorvik.core.dsp.randomness import stream
from jorvik.core.engine.graph import order
from jorvik.core.modules import KINDS
from jorvik.core.modules.base import Module
from jorvik.core.signals import PERFORMANCE_SIGNALS, PITCH_LANE

Ints = NDArray[np.int64]
Indices = NDArray[np.uint64]

GLIDE_ROW = "glide and bend"
"""The row that carries what mono glide and pitch bend add to the pitch."""

PERFORMANCE_ROWS: Final = (*PERFORMANCE_SIGNALS, GLIDE_ROW)
"""What the first rows of every program carry."""

NOTHING: Final = 2**64 - 1
"""Instead of a row, where there is none; instead of a slot, at the end of a list."""

POLARITIES = ("as_is", "unipolar", "bipolar")
MODES = ("add", "scale", "range", "add hertz")
RESOLUTIONS: Final = {"smooth": 0.0, "7bit": 127.0, "14bit": 16383.0}
"""Steps from 0 to 1; 0 for as many as there are numbers."""


def record(*indices: str, times: tuple[str, ...] = (), numbers: tuple[str, ...] = ()) -> np.dtype[np.void]:
    """Return a kind of record: indices first, then samples of the run, then numbers.

    Indices are unsigned, so that the compiler need not think of the ones that count from an array's end.
    """
    fields: list[tuple[str, type[np.generic]]] = [(name, np.uint64) for name in indices]
    return np.dtype(fields + [(name, np.int64) for name in times] + [(name, np.float64) for name in numbers])


GROUP = record("end", "is_loop")
MODULE = record("kind", "at", "first_read", "first_moved")
READ = record("slot", "at", "late")
LANE = record(
    "at", "raw_at", "base_at", "played_at", "first_route", "end_route", numbers=("base", "octave", "low", "high")
)
ROUTE = record(
    *(
        "at",
        "source_at",
        "source_late",
        "via_at",
        "via_late",
        "amount_at",
        "amount_late",
        "held_at",
        "every",
        "polarity",
        "mode",
    ),
    numbers=("via_depth", "bend", "amount", "low", "high", "levels"),
)

Records = NDArray[np.void]


class Code(NamedTuple):
    """The program itself, as tables of records.

    An ``at`` is a row of the table of signals, and a ``late`` of 1 beside it says that the sample before is read;
    once :func:`placed`, it is the place of column 0 of what is read in the flat table. A module's reads end with
    NOTHING.
    """

    groups: Records
    nodes: Indices
    """Modules as their number, lanes as the number of modules plus theirs; in running order."""
    modules: Records
    reads: Records
    """What modules read: inputs into ``x``, moved parameters into ``p``."""
    lanes: Records
    routes: Records


def placed(code: Code, width: int) -> Code:
    """Return a program for a table whose rows are ``width`` apart, with places instead of rows."""

    def placed_table(table: Records) -> Records:
        found = table.copy()
        for name in found.dtype.names or ():
            if name == "at" or name.endswith("_at"):
                late = name.removesuffix("at") + "late"
                shift = found[late] if late in (found.dtype.names or ()) else np.uint64(0)
                nowhere = table[name] == np.uint64(NOTHING)
                found[name] = np.where(nowhere, table[name], table[name] * np.uint64(width) - shift)
        return found

    return code._replace(
        modules=placed_table(code.modules),
        reads=placed_table(code.reads),
        lanes=placed_table(code.lanes),
        routes=placed_table(code.routes),
    )


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


def compile_patch(patch: Patch, first_note: int = 0) -> Program:
    """Return the flat program of a patch, for one voice whose first note has this number."""
    return _Compiler(patch, first_note).program()


_END: Final = (NOTHING, NOTHING, 0)


@dataclass(frozen=True)
class _ModuleParts:
    """What one module brings to the tables."""

    kind: int
    row: int
    p: list[float]
    d: list[float]
    x: list[float]
    state: int
    reads: list[tuple[int, int, int]]
    moved: list[tuple[int, int, int]]


def _padded(parts: Sequence[Sequence[Any]], kind: np.dtype[Any]) -> NDArray[Any]:
    """Return a table with a row for each part, as wide as the longest."""
    table = np.zeros((len(parts), max(map(len, parts), default=0)), dtype=kind)
    for row, part in zip(table, parts, strict=True):
        row[: len(part)] = part
    return table


class _Compiler:
    """Lays the rows out, orders the work, and fills the arrays."""

    def __init__(self, patch: Patch, first_note: int) -> None:
        self.patch = patch
        self.first_note = first_note
        self.tempo = patch.performance.tempo
        macros = (name for name in patch.performance.controls if name.startswith("macro:"))
        names = [*PERFORMANCE_ROWS, *macros, *patch.hit_signals]
        self.performance_rows = {name: i for i, name in enumerate(names)}
        self.module_rows = {m.id: len(names) + i for i, m in enumerate(patch.modules)}
        self.next_row = len(names) + len(patch.modules)
        self.lanes = self._lay_lanes()
        self.lane_number = {name: i for i, name in enumerate(self.lanes)}
        self.routes = [route for lane in self.lanes.values() for route in lane.routes]
        self.route_rows = {route.id: self.next_row + i for i, route in enumerate(self.routes)}
        self.next_row += len(self.routes)
        stepped = [route.id for route in self.routes if route.update_every > 1]
        self.held_rows = {name: self.next_row + i for i, name in enumerate(stepped)}
        self.next_row += len(stepped)
        self.groups = order(*self._graph())
        self.place = {node: i for i, node in enumerate(node for group in self.groups for node in group.nodes)}

    def _lay_lanes(self) -> dict[str, Lane]:
        """Give rows to everything that moves: what routes reach, the pitch, and macros that are played."""
        reaching: dict[str, list[Route]] = {PITCH_LANE: []}
        bases: dict[str, str] = {PITCH_LANE: GLIDE_ROW}
        for module in self.patch.modules:
            if module.control and (played := module.control[1] + module.id) in self.performance_rows:
                name = f"{module.id}.{module.control[0]}"
                reaching[name] = []
                bases[name] = played
        for route in self.patch.live_routes:
            reaching.setdefault(route.destination, []).append(route)
        lanes = {}
        for name in sorted(reaching, key=lambda n: (n not in VOICE, list(VOICE).index(n) if n in VOICE else 0)):
            destination = self.patch.destination(name)
            assert destination is not None, name
            base_from = bases.get(name)
            base = 0.0 if base_from and name != PITCH_LANE else self.patch.base(destination)
            lanes[name] = Lane(destination, base, base_from, reaching[name], self.next_row)
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
        modules = [self._module(index, module) for index, module in enumerate(self.patch.modules)]
        records: list[tuple[int, ...]] = []
        reads: list[tuple[int, int, int]] = []
        for module in modules:
            records.append((module.kind, module.row, len(reads), len(reads) + len(module.reads) + 1))
            reads += [*module.reads, _END, *module.moved, _END]
        lanes: list[tuple[float, ...]] = []
        routes: list[tuple[float, ...]] = []
        for number, lane in enumerate(self.lanes.values()):
            self._add_lane(len(self.patch.modules) + number, lane, lanes, routes)
        ends = np.cumsum([len(group.nodes) for group in self.groups])
        code = Code(
            groups=np.array([(end, group.is_loop) for end, group in zip(ends, self.groups, strict=True)], dtype=GROUP),
            nodes=np.array([node for group in self.groups for node in group.nodes], dtype=np.uint64),
            modules=np.array(records, dtype=MODULE),
            reads=np.array(reads, dtype=READ),
            lanes=np.array(lanes, dtype=LANE),
            routes=np.array(routes, dtype=ROUTE),
        )
        return Program(
            patch=self.patch,
            code=code,
            p=_padded([m.p for m in modules], np.dtype(np.float64)),
            s=_padded([[0.0] * m.state for m in modules], np.dtype(np.float64)),
            d=_padded([m.d for m in modules], np.dtype(np.float64)),
            x=_padded([m.x for m in modules], np.dtype(np.float64)),
            rows=self.next_row,
            performance_rows=self.performance_rows,
            module_rows=self.module_rows,
            lanes=self.lanes,
            route_rows=self.route_rows,
        )

    def _module(self, index: int, module: Module) -> "_ModuleParts":
        signals = self._reads(module)
        numbered = [(slot, signal) for slot, signal in enumerate(signals) if isinstance(signal, str)]
        reads = [(slot, self._row(signal), self._late(signal, index)) for slot, signal in numbered]
        moved = [(module.slot(name), lane.row, 0) for name, lane in self._moved(module)]
        return _ModuleParts(
            kind=list(KINDS).index(module.kind),
            row=self.module_rows[module.id],
            p=[
                *module.slot_values(self.tempo),
                stream(self.patch.performance.seed, module.stream_word),
                self.first_note,
            ],
            d=module.packed(),
            x=[signal if isinstance(signal, int | float) else 0.0 for signal in signals],
            state=module.state_size(),
            reads=reads,
            moved=moved,
        )

    def _add_lane(self, node: int, lane: Lane, lanes: list[tuple[float, ...]], routes: list[tuple[float, ...]]) -> None:
        at = lane.destination
        base_row = self.performance_rows[lane.base_from] if lane.base_from else NOTHING
        numbers = (lane.base, at.steps_per_octave, at.low, at.high)
        rows = (lane.row, lane.row + 1, lane.row + 2, base_row)
        lanes.append((*rows, len(routes), len(routes) + len(lane.routes), *numbers))
        for route in lane.routes:
            amount = self.lanes.get(f"route:{route.id}.amount")
            amount_node = len(self.patch.modules) + self.lane_number[amount.destination.name] if amount else node
            routes.append(
                (
                    self.route_rows[route.id],
                    self._row(route.source),
                    self._late(route.source, node),
                    self._row(route.via) if route.via else NOTHING,
                    self._late(route.via or 0.0, node),
                    amount.row if amount else NOTHING,
                    self.place[amount_node] >= self.place[node],
                    self.held_rows.get(route.id, NOTHING),
                    route.update_every,
                    POLARITIES.index(route.polarity),
                    MODES.index("add hertz" if route.in_hertz else route.mode),
                    route.via_depth,
                    route.bend,
                    route.amount,
                    route.low or 0.0,
                    route.high or 0.0,
                    RESOLUTIONS[route.resolution],
                )
            )
