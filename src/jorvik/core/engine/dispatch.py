"""The choice among the kinds' steps, written out so that the compiler can see through it.

A chain of ``if kind == 0: ... elif kind == 1: ...`` becomes a jump table with every step inlined, which a table of
function pointers would not. The text is made from the registry, so that a new kind needs no line here; it lies beside
the compiled kernels, in a folder named after the source it was made from.
"""

import importlib.util
import sys
from collections.abc import Callable
from functools import cache
from pathlib import Path

from jorvik.core.dsp.kernels import DIGEST, cache_folder
from jorvik.core.modules import KINDS

_HEAD = '''"""Written by jorvik.core.engine.dispatch; changes here are lost."""

import numpy as np

from jorvik.core.engine.interpret import gather, groups_runner
from jorvik.core.engine.program import Code
from jorvik.core.engine.events import EventTable, write_events, write_performance
from jorvik.core.dsp.kernels import inline_kernel, kernel, unowned
'''

_OPENING = """    at = code.modules[module]
    kind, row, reads, moved = at.kind, at.at, at.first_read, at.first_moved
    mp, ms, md, mx = p[module], s[module], d[module], x[module]
"""

_MODULE = """

@inline_kernel
def run_module(code, flat, column, p, s, d, x, events, first, dt, module):
"""

_CASE = """    {word} kind == {number}:
        for n in range(np.uint64(events.size)):
            gather(code.reads, reads, moved, flat, mp, mx, column + n)
            flat[row + column + n] = step_{number}(mp, mx, ms, md, events[n], first + np.int64(n), dt)
"""

_MODULE_AT = """

@inline_kernel
def run_module_at(code, flat, column, p, s, d, x, event, n, dt, module):
"""

_GATHER = """    gather(code.reads, reads, moved, flat, mp, mx, column)
"""

_CASE_AT = """    {word} kind == {number}:
        flat[row + column] = step_{number}(mp, mx, ms, md, event, n, dt)
"""

_BLOCK = """

run_groups = groups_runner(run_module, run_module_at)


@kernel
def run_block(code, table, rows, flat, column, length, p, s, d, x, scratch, first, rate, is_played):
    code = Code(
        unowned(code.groups),
        unowned(code.nodes),
        unowned(code.modules),
        unowned(code.reads),
        unowned(code.lanes),
        unowned(code.routes),
    )
    table = EventTable(
        unowned(table.notes),
        unowned(table.controls),
        unowned(table.hits),
        unowned(table.pulses),
        unowned(table.points),
        table.glide_s,
        table.bend_range_st,
    )
    rows, flat, p, s, d = unowned(rows), unowned(flat), unowned(p), unowned(s), unowned(d)
    x, scratch = unowned(x), unowned(scratch)
    for done in range(0, length, scratch.size):
        events = scratch[: min(length - done, scratch.size)]
        write_events(table.notes, events, first + done)
        if is_played:
            write_performance(table, rows, np.uint64(column + done), events.size, first + done, rate)
        run_groups(code, flat, np.uint64(column + done), p, s, d, x, events, first + done, 1.0 / rate)
"""


def source() -> str:
    """Return the text of the dispatcher for the kinds that there are."""
    files = [kind.__module__ for kind in KINDS.values()]
    imports = "".join(f"from {file} import step as step_{i}\n" for i, file in enumerate(files))
    many, one = (
        "".join(case.format(word="elif" if i else "if", number=i) for i in range(len(files)))
        for case in (_CASE, _CASE_AT)
    )
    return _HEAD + imports + _MODULE + _OPENING + many + _MODULE_AT + _OPENING + _GATHER + one + _BLOCK


@cache
def run_block() -> Callable[..., None]:
    """Return the compiled function that runs one block of any program."""
    path = cache_folder() / f"jorvik_dispatch_{DIGEST}.py"
    text = source()
    if not path.exists() or path.read_text() != text:
        path.parent.mkdir(parents=True, exist_ok=True)
        _replace(path, text)
    spec = importlib.util.spec_from_file_location(path.stem, path)
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules[path.stem] = module
    spec.loader.exec_module(module)
    function: Callable[..., None] = module.run_block
    return function


def _replace(path: Path, text: str) -> None:
    """Write a file so that another process sees all of it or nothing."""
    draft = path.with_suffix(f".{id(path)}.tmp")
    draft.write_text(text)
    draft.replace(path)
