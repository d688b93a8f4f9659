"""The one door to the compiler, and the cache that keeps its work.

A compiled kernel is kept on disk under a name made from all source that a kernel is made from, so that a change
anywhere in it can never meet a stale kernel: the compiler on its own looks only at the file that holds a function, not
at the functions which it calls.
"""

import fcntl
import hashlib
import logging
import os
import shutil
import sys
import threading
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from importlib import import_module
from pathlib import Path
from typing import Any, Final, TypeVar, cast

import llvmlite
import numba
import numpy as np
from llvmlite import ir
from numba.core import cgutils
from numba.core.caching import IndexDataCacheFile, NullCache
from numba.extending import intrinsic
from numpy.typing import NDArray

_LOG: Final = logging.getLogger("jorvik")

F = TypeVar("F", bound=Callable[..., object])
Floats = NDArray[np.float64]


_COMPILED: Final = (
    *("problems.py", "limits.py", "signals.py", "units", "dsp"),
    *("modules", "document", "engine", "voice", "measure/scan.py"),
)
"""What a kernel may be made from: what lies above it in the core is never compiled, and nothing here reads it."""

_MOST_CACHES: Final = 4
"""Folders of kernels that are kept: of this source, and of what was run lately."""


def source_digest() -> str:
    """Return a short digest of all that a kernel depends on.

    That is this checkout, the source that is compiled or read by what is, and the versions of the interpreter and of
    the packages that compile or are compiled against.
    """
    root = Path(__file__).parents[1]
    versions = (numba.__version__, llvmlite.__version__, np.__version__, sys.version, str(root))
    digest = hashlib.sha256("\n".join(versions).encode())
    for path in sorted(path for name in _COMPILED for path in [root / name, *(root / name).rglob("*.py")]):
        if path.is_dir():
            continue
        digest.update(path.relative_to(root).as_posix().encode())
        digest.update(path.read_bytes())
    return digest.hexdigest()[:16]


def cache_folder() -> Path:
    """Return the folder of this version's kernels, which is made when the first is compiled.

    ``JORVIK_CACHE`` names another place than ``~/.cache/jorvik``.
    """
    root = Path(os.environ.get("JORVIK_CACHE") or Path.home() / ".cache" / "jorvik")
    return root / f"kernels-{DIGEST}"


def prune_caches() -> None:
    """Remove the kernels of older source, but for those that were made last."""
    found = [path for path in cache_folder().parent.glob("kernels-*") if path.is_dir() and path != cache_folder()]
    for path in sorted(found, key=lambda path: path.stat().st_mtime)[: -(_MOST_CACHES - 1)]:
        shutil.rmtree(path, ignore_errors=True)


DIGEST = source_digest()
numba.config.CACHE_DIR = str(cache_folder())  # type: ignore[attr-defined]


_here: Final = threading.RLock()
_held: Final[set[str]] = set()


@contextmanager
def _alone(index: str) -> Iterator[None]:
    """Lock one kernel against other processes and threads.

    ``index`` is its index file. A thread that holds the lock may take it again. The lock is held while the kernels that
    this one calls are compiled; none calls itself, so that no two processes wait for each other.
    """
    with _here:
        if index in _held:
            yield
            return
        Path(index).parent.mkdir(parents=True, exist_ok=True)
        with Path(f"{index}.lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            _held.add(index)
            try:
                yield
            finally:
                _held.discard(index)


def _save(file: IndexDataCacheFile, key: Any, data: Any) -> None:
    """Write a kernel into a file of its own, then its name into the index.

    The compiler's own way gives files numbers, which two processes may choose alike, and writes the index first: a
    process that ends between the two leaves a name that leads to another kernel, whose call is a crash.
    """
    with _alone(file._index_path):
        name = f"{Path(file._index_path).stem}.{uuid.uuid4().hex}.nbc"
        file._save_data(name, data)  # type: ignore[no-untyped-call]
        file._save_index({**file._load_index(), key: name})  # type: ignore[no-untyped-call]


IndexDataCacheFile.save = _save  # type: ignore[method-assign]


def kernel(function: F) -> F:
    """Compile a function to machine code, without Python objects, free of the interpreter lock, cached on disk.

    Division by zero follows floating-point rules instead of raising.
    """
    return _cached(numba.njit(nogil=True, error_model="numpy")(function))


def summing_kernel(function: F) -> F:
    """Compile as :func:`kernel` does, with leave to add in any order, so that several terms are added at a time."""
    return _cached(numba.njit(nogil=True, error_model="numpy", fastmath=True)(function))


def _cached(dispatcher: Any) -> Any:
    """Return a function that looks for its kernel on disk when it is first called: importing makes no folder."""
    compile_for = dispatcher.compile

    def compile_alone(signature: Any) -> Any:
        _leave_blas_out()
        if isinstance(dispatcher._cache, NullCache):
            dispatcher.enable_caching()
            cache: Any = dispatcher._cache
            cache.load_overload = partial(_checked, cache, cache.load_overload)
        with _alone(dispatcher._cache._cache_file._index_path):
            return compile_for(signature)

    dispatcher.compile = compile_alone
    return dispatcher


def _checked(cache: Any, load: Callable[[Any, Any], Any], signature: Any, context: Any) -> Any:
    """Return a kernel from disk, or None where it must be compiled again."""
    try:
        found = load(signature, context)
        if found is None:
            return None
        names = found.fndesc.llvm_cpython_wrapper_name, found.fndesc.llvm_func_name
        is_whole = all(found.library.get_pointer_to_function(name) for name in names)
        if is_whole and found.fndesc.qualname == cache._py_func.__qualname__ and found.signature.args == signature:
            return found
        _LOG.warning("a kernel on disk is not whole and is compiled again: %s", cache._name)
    except Exception:
        _LOG.exception("a kernel on disk cannot be read and is compiled again: %s", cache._name)
    cache.flush()
    return None


_BLAS: Final = "scipy.linalg.cython_blas"


def _leave_blas_out() -> None:
    """Let the compiler load without looking for BLAS, which no kernel uses: that alone imports all of scipy.linalg."""
    if "numba.np.arraymath" in sys.modules or _BLAS in sys.modules:
        return
    sys.modules[_BLAS] = None  # type: ignore[assignment]
    try:
        import_module("numba.np.arraymath")
    finally:
        del sys.modules[_BLAS]


def inline_kernel(function: F) -> F:
    """Compile a small function that only other kernels call; it is part of their cached code."""
    return cast(F, numba.njit(nogil=True, error_model="numpy", forceinline=True)(function))


@intrinsic
def _unowned(_: Any, array: Any) -> Any:

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        view = context.make_array(signature.args[0])(context, builder, value=args[0])
        view.meminfo = view.meminfo.type(None)
        view.parent = view.parent.type(None)
        return view._getvalue()

    return array(array), generate


unowned = cast(Callable[[Any], Any], _unowned)
"""Return an array (inside a kernel) that shares the memory of another without keeping it alive.

Cutting a part out of an owned array counts its owners up and down with locked instructions, which costs more than a
whole sample step. The caller of the kernel keeps the memory alive.
"""


@intrinsic
def _unlikely(_: Any, condition: Any) -> Any:

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        del context
        bit = ir.IntType(1)
        expect = cgutils.get_or_insert_function(  # type: ignore[no-untyped-call]
            builder.module, ir.FunctionType(bit, [bit, bit]), "llvm.expect.i1"
        )
        given = builder.trunc(args[0], bit) if args[0].type != bit else args[0]
        found = builder.call(expect, [given, ir.Constant(bit, 0)])
        return found if args[0].type == bit else builder.zext(found, args[0].type)

    return condition(condition), generate


unlikely = cast(Callable[[bool], bool], _unlikely)
"""Return a condition (inside a kernel) and tell the compiler that it is rarely met.

A step's rare path that calls the mathematics library then pays for saving the registers itself.
"""
