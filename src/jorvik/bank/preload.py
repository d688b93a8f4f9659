"""Load everything that the workers of a bank need.

The process that the workers are forked from imports this module once.
"""

from distributed import nanny, worker

from jorvik.bank import doing
from jorvik.core.compiling import compile_part

__all__ = ["doing", "nanny", "worker"]

compile_part("engine")
