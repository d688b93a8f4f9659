"""What tests of rules and of figures share."""

import unittest

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.engine.trace import Trace, trace
from jorvik.core.figures import KINDS
from jorvik.core.figures.base import Figure
from jorvik.core.findings import RULES
from jorvik.core.findings.base import Finding
from jorvik.core.limits import COARSE_RATE
from jorvik.core.measure.context import Context
from tests.support import Json

ENV: Json = {"id": "e", "kind": "envelope", "attack_s": 0.01, "decay_s": 0.2, "sustain": 0.5, "release_s": 0.1}


def found(rule: str, of: Patch) -> list[Finding]:
    return list(RULES[rule](Context(of)))


class RuleCase(unittest.TestCase):
    def sides(self, rule: str, wrong: Patch, right: Patch, is_fixed: bool = True) -> Finding:
        """The rule speaks on one side and is silent on the other; its fix, unless it has none, silences the rule."""
        said = found(rule, wrong)
        self.assertTrue(said, f"{rule} did not speak")
        self.assertEqual(found(rule, right), [], f"{rule} spoke where nothing is wrong")
        for finding in said:
            self.assertTrue(finding.sentence.endswith("."))
            self.assertGreaterEqual(finding.to_s, finding.from_s)
        fix = said[0].fix
        self.assertEqual(fix is not None, is_fixed, f"{rule} has {'no ' if is_fixed else 'a '}fix")
        if fix is not None:
            left = [f.about for f in found(rule, fix.patch)]
            self.assertNotIn(said[0].about, left, f"the fix of {rule} does not fix")
        return said[0]


NOISE: Json = {"id": "n", "kind": "noise"}
CLOCK: Json = {"id": "c", "kind": "clock", "rate": 20.0}
HELD: Json = {"id": "h", "kind": "sample_hold", "input": "n", "clock": "c"}


class FigureCase(unittest.TestCase):
    def read(self, kind: str, of: Patch) -> dict[str, Figure]:
        """What one kind of figure says of a patch, by name; two in one place are told apart by what they are about."""
        found = list(KINDS[kind](Context(of)))
        for figure in found:
            self.assertTrue(figure.said, figure)
            self.assertTrue(figure.help.strip().endswith("."), figure)
        return {r.name if [o.name for o in found].count(r.name) == 1 else f"{r.about} {r.name}": r for r in found}


def seeded(of: Patch, seed: int) -> Trace:
    """A patch played once more, with other draws."""
    document = of.document()
    document["performance"] = {**document["performance"], "seed": seed}
    return trace(check_patch(document), COARSE_RATE)
