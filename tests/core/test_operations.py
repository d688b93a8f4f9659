"""Operations: applied, found by comparing, refused where they lead to nothing."""

import json
import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from jorvik.core.document.operations import Draft, Operation, apply, compare, keys_of
from jorvik.core.problems import Problem
from jorvik.place import ROOT
from tests.effort import examples
from tests.support import demos

CASES = json.loads((ROOT / "tests" / "operations.json").read_text())
READER: TypeAdapter[list[Operation]] = TypeAdapter(list[Operation])

NUMBERS = st.floats(-9, 9, allow_nan=False).map(lambda value: round(value, 1))
POINTS = st.lists(st.lists(NUMBERS, min_size=2, max_size=3), max_size=5)
ITEMS = st.fixed_dictionaries(
    {"id": st.sampled_from("abcdef"), "kind": st.sampled_from(["lfo", "curve"])},
    optional={"rate": NUMBERS, "points": POINTS, "via": st.none()},
)
NOTES = st.lists(st.fixed_dictionaries({"key": st.integers(0, 127)}, optional={"at": NUMBERS}), max_size=5)
DOCUMENTS = st.fixed_dictionaries(
    {"modules": st.lists(ITEMS, max_size=6, unique_by=lambda item: item["id"])},
    optional={"notes": NOTES, "points": POINTS | st.none(), "voice": st.dictionaries(st.sampled_from("xyz"), NUMBERS)},
)


def all_keys(value: Any, tree: Any) -> list[list[str]]:
    """Return the keys of every list of a value."""
    below = tree.get("in", {})
    if isinstance(value, dict):
        return [keys for name, item in value.items() for keys in all_keys(item, below.get(name, {}))]
    if isinstance(value, list):
        keys = keys_of(value, tree)
        inner = zip(keys, value, strict=True)
        return [keys, *(found for key, item in inner for found in all_keys(item, below.get(key, {})))]
    return []


class Operations(unittest.TestCase):
    def test_apply_cases_give_document_and_keys(self) -> None:
        for case in CASES["applied"]:
            with self.subTest(case["says"]):
                draft = Draft(case["document"], case.get("keys_before", {}))
                after = apply(draft, READER.validate_python(case["operations"]))
                self.assertEqual((after.document, after.keys), (case["after"], case.get("keys", {})))

    def test_apply_to_what_is_gone_is_refused_with_a_sentence(self) -> None:
        for case in CASES["refused"]:
            with self.subTest(case["says"]), self.assertRaises(Problem) as caught:
                apply(Draft(case["document"]), READER.validate_python([case["operation"]]))
            self.assertRegex(str(caught.exception), "removed meanwhile|a list")

    def test_trees_of_keys_that_are_none_are_refused(self) -> None:
        trees: list[Any] = [{"keys": 5}, {"keys": ["a", "a"]}, {"keys": [""]}, {"in": []}, {"in": {"x": 5}}, {"x": {}}]
        for keys in trees:
            with self.subTest(keys=keys), self.assertRaises(ValidationError):
                READER.validate_python([{"op": "set", "at": ["x"], "value": [], "keys": keys}])

    def test_compare_cases_give_the_least_operations(self) -> None:
        for case in CASES["compared"]:
            with self.subTest(case["says"]):
                found = compare(Draft(case["before"]), case["after"])
                self.assertEqual([operation.model_dump() for operation in found], case["operations"])

    @examples(400)
    @given(DOCUMENTS, DOCUMENTS, DOCUMENTS)
    def test_compared_operations_lead_to_the_document_and_keys_stay_unique(self, a: Any, b: Any, c: Any) -> None:
        draft = Draft(a)
        for target in (b, c, a):
            text = json.dumps([draft.document, draft.keys])
            after = apply(draft, compare(draft, target))
            self.assertEqual(after.document, target)
            self.assertEqual(json.dumps([draft.document, draft.keys]), text, "apply changed the draft it was given")
            for keys in all_keys(after.document, after.keys):
                self.assertEqual(len(keys), len(set(keys)))
            draft = after

    @examples(200)
    @given(DOCUMENTS, st.data())
    def test_operations_on_different_items_give_the_same_in_either_order(self, document: Any, data: Any) -> None:
        modules = document["modules"]
        if len(modules) < 2:
            return
        first, second = data.draw(st.permutations(range(len(modules))))[:2]
        changed = [json.loads(json.dumps(document)) for _ in range(2)]
        changed[0]["modules"][first]["rate"] = 77.0
        del changed[1]["modules"][second]
        one, two = (compare(Draft(document), each) for each in changed)
        ends = [apply(apply(Draft(document), a), b) for a, b in ((one, two), (two, one))]
        self.assertEqual(ends[0], ends[1])
        left = next(module for module in ends[0].document["modules"] if module["id"] == modules[first]["id"])
        self.assertEqual(left["rate"], 77.0)

    def test_a_lane_of_many_changed_points_is_set_whole_and_the_points_that_stay_keep_their_keys(self) -> None:
        lane = [[number / 10, 0.5] for number in range(3000)]
        draft = Draft({"lane": lane})
        thinned = lane[::3]
        operations = compare(draft, {"lane": thinned})
        self.assertEqual([operation.op for operation in operations], ["set"])
        after = apply(draft, operations)
        self.assertEqual(after.keys["in"]["lane"]["keys"], [str(number) for number in range(0, 3000, 3)])
        point = READER.validate_python([{"op": "set", "at": ["lane", "2997"], "value": [299.7, 0.9]}])
        self.assertEqual(apply(after, point).document["lane"][-1], [299.7, 0.9])

    def test_a_whole_number_is_the_same_with_and_without_a_point(self) -> None:
        draft = Draft({"cutoff": 3000, "lane": [[0, 1], [2, 0.5]], "on": True})
        self.assertEqual(compare(draft, {"cutoff": 3000.0, "lane": [[0.0, 1.0], [2, 0.5]], "on": True}), [])
        self.assertEqual([each.at for each in compare(draft, {**draft.document, "on": 1})], [["on"]])

    def test_every_demo_leads_to_every_next_one(self) -> None:
        documents = list(demos().values())
        draft = Draft(documents[-1])
        for document in documents:
            draft = apply(draft, compare(draft, document))
            self.assertEqual(draft.document, document)


if __name__ == "__main__":
    unittest.main()
