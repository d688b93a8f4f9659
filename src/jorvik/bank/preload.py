"""Imported once by the process that a bank's workers are forked from: everything that they need, run once."""

from distributed import nanny, worker

from jorvik.bank import doing
from jorvik.core.compiling import compile_part

__all__ = ["doing", "nanny", "worker"]

compile_part("engine")
