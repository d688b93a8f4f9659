"""The order of work: dependency order, and within a loop the order of the document."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from graphlib import CycleError, TopologicalSorter

import numpy as np


@dataclass(frozen=True)
class Group:
    """Nodes that run together: one alone over a whole stretch, or a loop sample by sample."""

    nodes: list[int]
    is_loop: bool


def order(reads: Sequence[set[int]], is_module: Sequence[bool]) -> list[Group]:
    """Return the groups in which the nodes run.

    ``reads[i]`` are the nodes that node i reads; nodes are numbered in document order. Within a loop the modules run
    in document order; a lane runs just before the first of them that reads it, so that it is fresh as can be.
    """
    labels = _loops(reads)
    members: dict[int, list[int]] = {}
    for node, label in enumerate(labels):
        members.setdefault(label, []).append(node)
    needs: Mapping[int, set[int]] = {
        label: {labels[j] for i in nodes for j in reads[i]} - {label} for label, nodes in members.items()
    }
    groups = []
    for label in TopologicalSorter(needs).static_order():
        nodes = members[label]
        if len(nodes) == 1:
            groups.append(Group(nodes, nodes[0] in reads[nodes[0]]))
        else:
            groups.append(Group(_loop_order(nodes, reads, is_module), True))
    return groups


def _loops(reads: Sequence[set[int]]) -> list[int]:
    """Return a number for each node, the same for those that read each other in a loop."""
    try:
        TopologicalSorter(dict(enumerate(reads))).prepare()
    except CycleError:
        # Only patches with feedback come here, and wait for the library to load.
        from scipy.sparse import coo_array
        from scipy.sparse.csgraph import connected_components

        edges = np.array([(i, j) for i, others in enumerate(reads) for j in others], dtype=int)
        matrix = coo_array((np.ones(len(edges)), tuple(edges.T)), shape=(len(reads), len(reads)))
        return [int(label) for label in connected_components(matrix, directed=True, connection="strong")[1]]
    return list(range(len(reads)))


def _loop_order(nodes: Sequence[int], reads: Sequence[set[int]], is_module: Sequence[bool]) -> list[int]:
    inside = set(nodes)
    placed: list[int] = []
    seen: set[int] = set()

    def place(node: int) -> None:
        if node in seen:
            return
        seen.add(node)
        for other in sorted(reads[node] & inside):
            if not is_module[other]:
                place(other)
        placed.append(node)

    for node in sorted(nodes, key=lambda i: (not is_module[i], i)):
        place(node)
    return placed
