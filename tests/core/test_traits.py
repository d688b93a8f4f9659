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


MEANT = {"modulation": {"pitch", "osc2_pitch", "fm_ratio"}, "subsonic": {"filter2_cutoff", "filter_mix"}}
"""Destinations that a file says together, because what it works out is of just these."""


def files() -> list[Path]:
    return [path for folder in ABOVE for path in sorted((ROOT / "src/jorvik/core" / folder).glob("*.py"))]


def constants(node: ast.AST) -> set[object]:
    return {part.value for part in ast.walk(node) if isinstance(part, ast.Constant)}


def asks_having(node: ast.AST) -> bool:
    """Tell whether a node asks for the modules that have a trait."""
    return isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "having"


def names_of_modules_made(tree: ast.AST) -> set[ast.AST]:
    """Return the constants that say which kind a module is that a rule makes: `{"kind": "envelope"}`."""
    return {
        value
        for node in ast.walk(tree)
        if isinstance(node, ast.Dict)
        for key, value in zip(node.keys, node.values, strict=True)
        if isinstance(key, ast.Constant) and key.value == "kind"
    }


def values_set(tree: ast.AST) -> set[ast.AST]:
    """Return the constants that say what a rule sets: `edited(patch, base={"cutoff": 900.0})`."""
    return {
        key
        for node in ast.walk(tree)
        if isinstance(node, ast.keyword) and node.arg == "base" and isinstance(node.value, ast.Dict)
        for key in node.value.keys
        if key is not None
    }


FIELDS = {field for kind in KINDS.values() for field in kind.model_fields}


def chooses(node: ast.AST) -> list[ast.expr]:
    """Return the parts of a node among which it chooses: what is compared, keys of a table, items of a list."""
    match node:
        case ast.Compare(left=ast.Attribute(attr="part")):
            return []
        case ast.Compare():
            return [node.left, *node.comparators]
        case ast.Dict():
            return [key for key in node.keys if key is not None]
        case ast.Tuple() | ast.List() | ast.Set():
            return list(node.elts)
        case ast.MatchValue():
            return [node.value]
    return []


class Named(unittest.TestCase):
    def test_no_rule_names_a_kind_but_of_a_module_that_it_makes(self) -> None:
        for path in files():
            tree = ast.parse(path.read_text())
            made = names_of_modules_made(tree)
            for node in ast.walk(tree):
                asks = chooses(node) if not asks_having(node) else getattr(node, "args", [])
                named = {part.value for part in asks if isinstance(part, ast.Constant) and part not in made}
                named &= set(KINDS) - (FIELDS if isinstance(node, ast.Dict) else set())
                self.assertFalse(named, f"{path.name}, line {getattr(node, 'lineno', 0)}: {named}")

    def test_no_rule_chooses_among_destinations_by_name(self) -> None:
        """A rule may ask for the one destination that it is about; which others belong to it is in their rows."""
        for path in files():
            tree = ast.parse(path.read_text())
            known = values_set(tree)
            for node in ast.walk(tree):
                parts = [part for part in chooses(node) if isinstance(part, ast.Constant) and part not in known]
                named = {part.value for part in parts} & set(VOICE)
                self.assertFalse(
                    named - MEANT.get(path.stem, set()), f"{path.name}, line {getattr(node, 'lineno', 0)}: {named}"
                )

    def test_the_screen_names_no_kind_and_chooses_among_no_destinations(self) -> None:
        paths = [path for path in (ROOT / "ui/src").rglob("*") if path.suffix in (".ts", ".svelte")]
        paths = [path for path in paths if ".gen." not in path.name and ".test." not in path.name]
        self.assertGreater(len(paths), 50)
        kinds, destinations = "|".join(KINDS), "|".join(VOICE)
        for path in paths:
            text = path.read_text()
            compared = re.findall(rf"kind\b[^\n'=!:]*(?:[!=]==?|:) '(?:{kinds})'", text)
            self.assertFalse(compared, path.name)
            chosen = re.findall(rf"(?:[!=]==? |case )'(?:{destinations})'", text)
            self.assertFalse(chosen, path.name)
            # What a patch is set to is no choice: `base: { cutoff: 1000 }`.
            for found in re.findall(r"(?<!base: )[\[{(][^\[\](){}]*[\])}]", text):
                words = {word for pair in re.findall(r"'(\w+)'|\b(\w+):", found) for word in pair}
                named = words & {*KINDS, *VOICE}
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
