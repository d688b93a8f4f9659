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

from jorvik.core.kernels import DIGEST, cache_folder
from jorvik.core.modules import KINDS

_HEAD = '''"""Written by jorvik.core.engine.dispatch; changes here are lost."""

from jorvik.core.engine.interpret import gather, groups_runner
from jorvik.core.engine.program import Code
from jorvik.core.kernels import inline_kernel, kernel, unowned
'''

_MODULE = """

@inline_kernel
def run_module(code, rows, column, p, s, d, x, events, first, dt, module, a, b):
    at = code.modules[module]
    kind, row, reading, moving = at.kind, at.row, at.reads, at.moved
    reads, moved = code.reads[module], code.moved[module]
    mp, ms, md, mx = p[module], s[module], d[module], x[module]
"""

_CASE = """    {word} kind == {number}:
        for n in range(a, b):
            gather(reads, reading, moved, moving, rows, mp, mx, column + n)
            rows[row, column + n] = step_{number}(mp, mx, ms, md, events[n], first + n, dt)
"""

_BLOCK = """

run_groups = groups_runner(run_module)


@kernel
def run_block(code, rows, column, p, s, d, x, events, first, dt):
    bare = Code(
        unowned(code.groups),
        unowned(code.nodes),
        unowned(code.modules),
        unowned(code.reads),
        unowned(code.moved),
        unowned(code.lanes),
        unowned(code.routes),
    )
    run_groups(bare, unowned(rows), column, unowned(p), unowned(s), unowned(d), unowned(x), unowned(events), first, dt)
"""


def source() -> str:
    """Return the text of the dispatcher for the kinds that there are."""
    files = [kind.__module__ for kind in KINDS.values()]
    imports = "".join(f"from {file} import step as step_{i}\n" for i, file in enumerate(files))
    cases = "".join(_CASE.format(word="elif" if i else "if", number=i) for i in range(len(files)))
    return _HEAD + imports + _MODULE + cases + _BLOCK


@cache
def run_block() -> Callable[..., None]:
    """Return the compiled function that runs one block of any program."""
    path = cache_folder() / f"jorvik_dispatch_{DIGEST}.py"
    text = source()
    if not path.exists() or path.read_text() != text:
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
