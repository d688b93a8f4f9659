"""The order of work: what is read runs first, loops stand together, and documents decide within them."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from jorvik.core.engine.graph import Group, order


def flat(groups: list[Group]) -> list[int]:
    return [node for group in groups for node in group.nodes]


@st.composite
def graphs(draw: st.DrawFn) -> list[set[int]]:
    count = draw(st.integers(1, 12))
    nodes = st.integers(0, count - 1)
    return [draw(st.sets(nodes, max_size=3)) for _ in range(count)]


def reachable(reads: list[set[int]], start: int) -> set[int]:
    seen: set[int] = set()
    waiting = list(reads[start])
    while waiting:
        node = waiting.pop()
        if node not in seen:
            seen.add(node)
            waiting += reads[node]
    return seen


class Order(unittest.TestCase):
    def test_nothing(self) -> None:
        self.assertEqual(order([], []), [])

    def test_a_chain_runs_from_its_source_whatever_the_document_says(self) -> None:
        groups = order([{1}, {2}, set()], [True] * 3)
        self.assertEqual(flat(groups), [2, 1, 0])
        self.assertFalse(any(group.is_loop for group in groups))

    def test_a_node_that_reads_itself_is_a_loop(self) -> None:
        self.assertEqual(order([{0}], [True]), [Group([0], True)])

    def test_a_loop_runs_in_document_order_with_each_lane_before_its_reader(self) -> None:
        # modules 0, 1, 2 in a ring; lane 3 moves module 1, lane 4 moves the amount in lane 3
        reads = [{2}, {0, 3}, {1}, {2, 4}, {0}]
        [group] = order(reads, [True, True, True, False, False])
        self.assertTrue(group.is_loop)
        self.assertEqual(group.nodes, [0, 4, 3, 1, 2])

    def test_lanes_that_move_each_others_amounts_are_a_loop_of_their_own(self) -> None:
        [group] = order([{1}, {0}], [False, False])
        self.assertEqual((sorted(group.nodes), group.is_loop), ([0, 1], True))

    @given(graphs())
    def test_every_graph(self, reads: list[set[int]]) -> None:
        groups = order(reads, [True] * len(reads))
        placed = flat(groups)
        self.assertEqual(sorted(placed), list(range(len(reads))))
        done: set[int] = set()
        for group in groups:
            inside = set(group.nodes)
            for node in group.nodes:
                self.assertLessEqual(reads[node] - inside, done, "something outside is read before it has run")
                self.assertEqual(node in reachable(reads, node), group.is_loop)
            self.assertEqual(group.nodes, sorted(group.nodes))
            done |= inside


if __name__ == "__main__":
    unittest.main()
