"""Random sources that draw the same numbers although nobody joined them.

One source of a stream is its owner; every further one must be joined to it on purpose.
"""

from collections.abc import Iterator
from itertools import count

from jorvik.core.document.patch import Patch, edited
from jorvik.core.findings.base import Finding, fix
from jorvik.core.measure.context import Context
from jorvik.core.modules.base import Module


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each source that shares a stream and is not joined."""
    owners: dict[str, Module] = {}
    for module in context.having("is_random"):
        if getattr(module, "joined", False):
            continue
        owner = owners.setdefault(module.stream_word, module)
        if owner is module:
            continue
        yield Finding(
            rule="shared_stream",
            severity="caution",
            sentence=f"{module.id} draws the same random numbers as {owner.id}.",
            why=f'Both have the stream "{module.stream_word}", so what they move moves together.',
            about=f"signal.{module.id}",
            from_s=context.on_s,
            to_s=context.end_s,
            which=owner.id,
            fix=fix(f"a stream of its own for {module.id}", lambda of=module: _alone(context.patch, of)),  # type: ignore[misc]
        )


def _alone(patch: Patch, module: Module) -> Patch:
    """Return the patch with a stream for a module that no other source has."""
    taken = {other.stream_word for other in patch.modules if other.is_random and other.id != module.id}
    names = (module.id if n == 1 else f"{module.id} {n}" for n in count(1))
    return edited(patch, modules={module.id: {"stream": next(name for name in names if name not in taken)}})
