"""The order of work: dependency order, and within a loop the order of the document."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from graphlib import TopologicalSorter

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
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    count = len(reads)
    if count == 0:
        return []
    edges = [(i, j) for i in range(count) for j in reads[i]]
    matrix = coo_array((np.ones(len(edges)), tuple(np.array(edges, dtype=int).reshape(-1, 2).T)), shape=(count, count))
    _, labels = connected_components(matrix, directed=True, connection="strong")
    members: dict[int, list[int]] = {}
    for node in range(count):
        members.setdefault(int(labels[node]), []).append(node)
    needs: Mapping[int, set[int]] = {
        label: {int(labels[j]) for i in nodes for j in reads[i]} - {label} for label, nodes in members.items()
    }
    groups = []
    for label in TopologicalSorter(needs).static_order():
        nodes = members[label]
        if len(nodes) == 1:
            groups.append(Group(nodes, nodes[0] in reads[nodes[0]]))
        else:
            groups.append(Group(_loop_order(nodes, reads, is_module), True))
    return groups


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
