"""What each row of a run is made from, so that what one run of a series does not change is not made again.

A row's key sums up all that its numbers come from: the notes, the settings of what makes it, and the keys of the rows
that are read for it. Rows with one key hold the same numbers, whatever patch they belong to. Members of a loop read
each other, so each of them is made from all that the loop is made from.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from hashlib import blake2b
from typing import Any, Final

import numpy as np

from jorvik.core.engine.events import EventTable
from jorvik.core.engine.program import GLIDE_ROW, NOTHING, Code, Program, Records

Key = bytes

_GIVEN: Final = {"velocity": "velocity", "key": "key", "note_random": "random", GLIDE_ROW: "glide_from_st"}
"""What notes give a performance row, beside when they are held."""

_MADE: Final = ("at", "raw_at", "base_at", "held_at")
"""The rows that a record of a module, lane or route makes; every other ``at`` is a row that it reads."""

_PLACES: Final = ("first_read", "first_moved", "first_route", "end_route")
"""Where a record's lists stand in the tables: of no matter for what is made."""


def row_keys(program: Program, table: EventTable, span: tuple[int, int], rate: int) -> list[Key]:
    """Return the key of each row of a run from a sample on, of so many."""
    times = [table.notes[name].tolist() for name in ("restarts", "releases", "begin", "on", "off", "until")]
    held = _key(span, rate, times)
    keys = [b""] * program.rows
    for name, row in program.performance_rows.items():
        keys[row] = _key(held, name, _played(table, name, row))
    wheel = program.performance_rows["pitch_bend"]
    glide = program.performance_rows[GLIDE_ROW]
    keys[glide] = _key(keys[glide], keys[wheel], table.glide_s, table.bend_range_st)
    nodes = nodes_of(program)
    for group in groups_of(program.code):
        members = [nodes[number] for number in group]
        places = {row: place for place, row in enumerate(row for member in members for row in member.makes)}
        made = _key(held, [(member.own, [places.get(row, keys[row]) for row in member.reads]) for member in members])
        for row, place in places.items():
            keys[row] = _key(made, place)
    return keys


def without(program: Program, made: set[int]) -> Code:
    """Return the code of a program without the groups whose every row is made already."""
    nodes = nodes_of(program)
    groups = groups_of(program.code)
    return _only(
        program.code, [i for i, group in enumerate(groups) if not all(made.issuperset(nodes[n].makes) for n in group)]
    )


def parts(code: Code, count: int) -> list[Code]:
    """Return code cut into at most so many parts of about as many nodes and routes, to be run one after the other."""
    routes = (code.lanes["end_route"] - code.lanes["first_route"]).tolist()
    weights = [
        sum(3 if node < code.modules.size else 1 + routes[node - code.modules.size] for node in group)
        for group in groups_of(code)
    ]
    middles = np.cumsum(weights) - 0.5 * np.array(weights)
    places = np.floor(middles * count / max(sum(weights), 1)).astype(int)
    return [_only(code, np.flatnonzero(places == place).tolist()) for place in sorted(set(places.tolist()))] or [code]


def _only(code: Code, left: Sequence[int]) -> Code:
    """Return code with some of its groups."""
    groups = groups_of(code)
    table = code.groups[list(left)]
    table["end"] = np.cumsum([len(groups[i]) for i in left])
    return code._replace(groups=table, nodes=np.array([n for i in left for n in groups[i]], dtype=np.uint64))


def _key(*parts: object) -> Key:
    return blake2b(repr(parts).encode(), digest_size=16).digest()


def _played(table: EventTable, name: str, row: int) -> list[Any]:
    """Return what is played on a performance row: by each note, and on its control lane."""
    given = [table.notes[_GIVEN[name]].tolist()] if name in _GIVEN else []
    lanes = [control for control in table.controls if control["row"] == row]
    struck = table.pulses[table.pulses["row"] == row]
    given += [struck[name].tolist() for name in ("begin", "end", "value")] if struck.size else []
    return given + [table.points[lane["first_point"] : lane["end_point"]].tolist() for lane in lanes]


def groups_of(code: Code) -> list[list[int]]:
    """Return the numbers of the nodes of each group, in running order."""
    ends = code.groups["end"].tolist()
    return [code.nodes[begin:end].tolist() for begin, end in zip([0, *ends], ends, strict=False)]


@dataclass
class Node:
    """A module or a lane: what it is apart from rows, and the rows that it reads and makes."""

    own: list[object]
    reads: list[int]
    makes: list[int]

    def add(self, record: dict[str, Any]) -> None:
        """Take in a record of the code."""
        for name, value in record.items():
            if name == "at" or name.endswith("_at"):
                self.own.append(value == NOTHING)
                if value != NOTHING:
                    (self.makes if name in _MADE else self.reads).append(value)
            elif name not in _PLACES:
                self.own.append(value)


def nodes_of(program: Program, only: Sequence[int] | None = None) -> list[Node]:
    """Return every node of a program by its number, or only some lanes by theirs."""
    code = program.code
    if only is not None:
        return [_lane_node(code, number - code.modules.size) for number in only]
    modules, reads = _dicts(code.modules), _dicts(code.reads)
    found = []
    for number, module in enumerate(modules):
        node = Node([table[number].tobytes() for table in (program.p, program.d, program.x)], [], [])
        node.add(module)
        for first in (module["first_read"], module["first_moved"]):
            read = reads[first : next(i for i in range(first, len(reads)) if reads[i]["slot"] == NOTHING)]
            node.own.append([(at["slot"], at["late"]) for at in read])
            node.reads += [at["at"] for at in read]
        found.append(node)
    return found + [_lane_node(code, number) for number in range(code.lanes.size)]


def _lane_node(code: Code, number: int) -> Node:
    node = Node([], [], [])
    [lane] = _dicts(code.lanes[number : number + 1])
    for record in (lane, *_dicts(code.routes[lane["first_route"] : lane["end_route"]])):
        node.add(record)
    return node


def _dicts(table: Records) -> list[dict[str, Any]]:
    names: Sequence[str] = table.dtype.names or ()
    return [dict(zip(names, record, strict=True)) for record in table.tolist()]
