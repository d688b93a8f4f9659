"""Module kinds, one file each. A new file with a class and a ``step`` is a new kind; nothing lists them."""

import pkgutil
from collections.abc import Mapping
from functools import reduce
from importlib import import_module
from operator import or_
from typing import TYPE_CHECKING, Annotated, get_args

from pydantic import Field

from jorvik.core.modules.base import Module


def _load() -> Mapping[str, type[Module]]:
    found: dict[str, type[Module]] = {}
    for info in pkgutil.iter_modules(__path__):
        if info.name == "base":
            continue
        file = import_module(f"{__name__}.{info.name}")
        for value in vars(file).values():
            if isinstance(value, type) and issubclass(value, Module) and value.__module__ == file.__name__:
                value.kernel = staticmethod(file.step)
                found[get_args(value.model_fields["kind"].annotation)[0]] = value
    return found


KINDS: Mapping[str, type[Module]] = _load()
"""Every module kind by its name, in the order of the file names."""

if TYPE_CHECKING:
    AnyModule = Module
else:
    AnyModule = Annotated[reduce(or_, KINDS.values()), Field(discriminator="kind")]
