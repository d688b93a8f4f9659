"""What others know of a module kind or a destination is a trait that it declares: nothing lists them by name."""

import ast
import re
import unittest
from pathlib import Path

from jorvik.core.document.destinations import VOICE, first_amount, of_parameter
from jorvik.core.document.schema import catalogue
from jorvik.core.modules import KINDS
from jorvik.core.modules.base import Module
from jorvik.core.units.tempo import Tempo
from jorvik.place import ROOT

ABOVE = ("findings", "figures", "measure", "helpers")
"""Folders whose files must know kinds by their traits alone."""


def files() -> list[Path]:
    return [path for folder in ABOVE for path in sorted((ROOT / "src/jorvik/core" / folder).glob("*.py"))]


def constants(node: ast.AST) -> set[object]:
    return {part.value for part in ast.walk(node) if isinstance(part, ast.Constant)}


def asks_having(node: ast.AST) -> bool:
    """Tell whether a node asks for the modules that have a trait."""
    return isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "having"


class Named(unittest.TestCase):
    def test_no_rule_asks_for_a_kind_by_its_name(self) -> None:
        for path in files():
            for node in ast.walk(ast.parse(path.read_text())):
                asks = isinstance(node, ast.Compare) and any(
                    isinstance(part, ast.Attribute) and part.attr == "kind" for part in ast.walk(node)
                )
                calls = (
                    isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "having"
                )
                if asks or calls:
                    named = constants(node) & set(KINDS)
                    self.assertFalse(named, f"{path.name}, line {getattr(node, 'lineno', 0)}")

    def test_no_rule_lists_destinations(self) -> None:
        for path in files():
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.Tuple | ast.List | ast.Set):
                    named = {part.value for part in node.elts if isinstance(part, ast.Constant)} & set(VOICE)
                    self.assertLess(len(named), 4, f"{path.name}, line {node.lineno}")

    def test_the_screen_lists_neither(self) -> None:
        names = {*KINDS, *VOICE}
        paths = [path for path in (ROOT / "ui/src").rglob("*") if path.suffix in (".ts", ".svelte")]
        paths = [path for path in paths if ".gen." not in path.name and ".test." not in path.name]
        self.assertGreater(len(paths), 50)
        for path in paths:
            for found in re.findall(r"[\[{(][^\[\](){}]*[\])}]", path.read_text()):
                named = names.intersection(re.findall(r"'(\w+)'", found))
                self.assertLess(len(named), 2, f"{path.name}: {found[:80]}")


class Declared(unittest.TestCase):
    def test_every_trait_that_is_asked_for_is_declared(self) -> None:
        asked = {
            value
            for path in files()
            for node in ast.walk(ast.parse(path.read_text()))
            if asks_having(node)
            for value in constants(node)
        }
        self.assertGreater(len(asked), 4)
        for trait in asked:
            self.assertTrue(hasattr(Module, str(trait)), trait)

    def test_chance_reaches_its_whole_range_and_what_follows_it_no_further(self) -> None:
        tempo = Tempo(120.0, 4)
        for name, kind in KINDS.items():
            if not kind.is_random:
                continue
            for polarity, span in (("bipolar", (-1.0, 1.0)), ("unipolar", (0.0, 1.0))):
                made = kind(id="a", kind=name, polarity=polarity)  # type: ignore[call-arg]
                self.assertEqual(made.reach([]), span, name)
            self.assertIsNone(kind(id="a", kind=name).repeats_hz(tempo), name)
        hold = KINDS["sample_hold"](id="h", kind="sample_hold")
        self.assertEqual(hold.reach([(-0.5, 2.0)]), (-0.5, 2.0))
        shape = KINDS["shape"](id="s", kind="shape", gain=-2.0, offset=1.0, clip=[-1.0, 2.5])  # type: ignore[call-arg]
        self.assertEqual(shape.reach([(-1.0, 1.0)]), (-1.0, 2.5))

    def test_a_clock_ticks_as_often_as_it_is_multiplied_and_divided(self) -> None:
        clock = KINDS["clock"](id="c", kind="clock", rate="1/8", multiply=3, divide=2)  # type: ignore[call-arg]
        self.assertAlmostEqual(clock.repeats_hz(Tempo(120.0, 4)) or 0.0, 4.0 * 3 / 2)

    def test_every_destination_says_what_a_new_route_begins_with(self) -> None:
        for at in VOICE.values():
            self.assertTrue(at.help.endswith("."), at.name)
            self.assertGreater(at.first_amount, 0.0, at.name)
            self.assertLessEqual(at.first_amount, at.high - at.low, at.name)
        self.assertEqual(VOICE["cutoff"].first_amount, first_amount("st"))
        rate = of_parameter(KINDS["lfo"](id="l", kind="lfo"), "rate")
        assert rate is not None
        self.assertEqual((rate.amount_unit, rate.first_amount, rate.part), ("oct", first_amount("oct"), "control"))
        fields = {field.name: field for kind in catalogue().kinds if kind.kind == "lfo" for field in kind.fields}
        self.assertEqual(fields["rate"].first_amount, rate.first_amount)


if __name__ == "__main__":
    unittest.main()
