"""What no note changes, and so is one for all voices of a phrase; and what a voice is run for before its note.

A voice's window begins at its note-on. What a note-on begins anew needs nothing of what came before; what keeps
something (a free phase, a slew, a loop) is run from time 0, alone with what it reads, so that its numbers are those
of a run of the whole phrase.
"""

from dataclasses import dataclass
from typing import Final

import numpy as np

from jorvik.core.engine.program import NOTHING, Code, Program
from jorvik.core.engine.row_keys import groups_of, nodes_of, without

OF_NOTES: Final = ("gate", "trigger", "velocity", "key", "note_random")
"""The performance signals that are each note's own."""


def shared_rows(program: Program) -> set[int]:
    """Return the rows of a poly patch that are the same for every voice."""
    nodes, modules = nodes_of(program), program.patch.modules
    own = {program.performance_rows[name] for name in OF_NOTES}
    shared: set[int] = set()
    for group in groups_of(program.code):
        made = {row for number in group for row in nodes[number].makes}
        heard = any(number < len(modules) and _hears(program, number) for number in group)
        if heard or any(row in own for number in group for row in nodes[number].reads):
            own |= made
        else:
            shared |= made
    return shared


def _hears(program: Program, number: int) -> bool:
    module = program.patch.modules[number]
    prefix = f"{module.id}."
    return module.hears_notes([name.removeprefix(prefix) for name in program.lanes if name.startswith(prefix)])


@dataclass(frozen=True)
class SharedParts:
    """What every voice of a poly patch has alike, and what each is run through."""

    rows: set[int]
    """The rows that no note changes."""
    code: Code
    """What each voice is run through: everything else."""
    before: Code
    """What of it is run for each voice from the first sample of the performance to its window."""
    before_rows: list[int]
    """The rows of which a window reads the sample before its first."""
    alike: list[int]
    """Rows of what is run before a window that are the same before any note."""
    modules_alike: list[int]
    """The numbers of the modules that make them."""
    once: Code
    """What is run once for all: the rows that no note changes, and what is the same before any."""


def shared_parts(program: Program) -> SharedParts:
    """Return what the voices of a poly patch share."""
    every, rows = set(range(program.rows)), shared_rows(program)
    before = code_before(program, rows)
    alike = same_before_notes(program, before, rows)
    rest = rows_of(program, before) - alike
    if any(row in alike for node in nodes_of(program) if rest.issuperset(node.makes) for row in node.reads):
        # What differs from note to note reads what does not: both are run for each.
        alike, rest = set(), rest | alike
    return SharedParts(
        rows=rows,
        code=without(program, rows),
        before=without(program, every - rest),
        before_rows=sorted(rest | alike | rows),
        alike=sorted(alike),
        modules_alike=[number for number, row in enumerate(program.module_rows.values()) if row in alike],
        once=without(program, every - rows - alike),
    )


def rows_of(program: Program, code: Code) -> set[int]:
    """Return the rows that some of a program's code makes."""
    nodes = nodes_of(program)
    return {row for number in code.nodes.tolist() for row in nodes[number].makes}


def same_before_notes(program: Program, before: Code, shared: set[int]) -> set[int]:
    """Return the rows of what is run before a window that are the same before any note."""
    nodes = nodes_of(program)
    wanted = rows_of(program, before)
    of_notes = {program.performance_rows[name] for name in OF_NOTES}
    played = set(program.performance_rows.values()) - of_notes
    alike: set[int] = set()
    for group in groups_of(before):
        made = {row for number in group for row in nodes[number].makes}
        if (
            made <= wanted
            and {row for number in group for row in nodes[number].reads} <= played | shared | alike | made
        ):
            alike |= made
    return alike


def code_before(program: Program, given: set[int]) -> Code:
    """Return the code that is run from time 0 to a window: what keeps something, and what that reads.

    Some rows are given, and need not be run.
    """
    nodes, modules = nodes_of(program), program.patch.modules
    groups, code = groups_of(program.code), program.code
    maker = {row: place for place, group in enumerate(groups) for number in group for row in nodes[number].makes}

    def keeps(number: int) -> bool:
        if number < len(modules):
            return modules[number].state_size() > 0 and not modules[number].is_renewed
        lane = code.lanes[number - len(modules)]
        return bool(np.any(code.routes["held_at"][lane["first_route"] : lane["end_route"]] != NOTHING))

    wanted: set[int] = set()
    waiting = [
        place
        for place, group in enumerate(groups)
        if (code.groups["is_loop"][place] or any(keeps(number) for number in group))
        and not given.issuperset(row for number in group for row in nodes[number].makes)
    ]
    while waiting:
        place = waiting.pop()
        if place in wanted:
            continue
        wanted.add(place)
        waiting += [
            maker[row] for number in groups[place] for row in nodes[number].reads if row in maker and row not in given
        ]
    kept = {row for place in wanted for number in groups[place] for row in nodes[number].makes}
    return without(program, set(range(program.rows)) - kept)
