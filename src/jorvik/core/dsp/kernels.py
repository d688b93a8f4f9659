"""The one door to the compiler, and the cache that keeps its work.

A compiled kernel is kept on disk under a name made from the source of the whole ``core`` package, so that a
change anywhere in it can never meet a stale kernel: the compiler on its own looks only at the file that holds
a function, not at the functions which it calls.
"""

import hashlib
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar, cast

import llvmlite
import numba
import numpy as np
from llvmlite import ir
from numba.core import cgutils
from numba.extending import intrinsic
from numpy.typing import NDArray

F = TypeVar("F", bound=Callable[..., object])
Floats = NDArray[np.float64]


def source_digest() -> str:
    """Return a short digest of this package's source and of the compiler's version."""
    digest = hashlib.sha256(f"{numba.__version__} {llvmlite.__version__}".encode())
    root = Path(__file__).parents[1]
    for path in sorted(root.rglob("*.py")):
        digest.update(path.relative_to(root).as_posix().encode())
        digest.update(path.read_bytes())
    return digest.hexdigest()[:16]


def cache_folder() -> Path:
    """Return the folder that holds this version's kernels (created if missing).

    ``JORVIK_CACHE`` names another place than ``~/.cache/jorvik``.
    """
    root = Path(os.environ.get("JORVIK_CACHE") or Path.home() / ".cache" / "jorvik")
    folder = root / f"kernels-{DIGEST}"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


DIGEST = source_digest()
numba.config.CACHE_DIR = str(cache_folder())  # type: ignore[attr-defined]


def kernel(function: F) -> F:
    """Compile a function to machine code, without Python objects, free of the interpreter lock, cached on disk.

    Division by zero follows floating-point rules instead of raising.
    """
    return cast(F, numba.njit(cache=True, nogil=True, error_model="numpy")(function))


def summing_kernel(function: F) -> F:
    """Compile as :func:`kernel` does, with leave to add in any order, so that several terms are added at a time."""
    return cast(F, numba.njit(cache=True, nogil=True, error_model="numpy", fastmath=True)(function))


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
