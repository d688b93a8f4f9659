"""Documents and requests made up from a seed: within the rules but at their edges, and then broken."""

import copy
import random
from collections.abc import Iterator
from typing import Any

from jorvik.core.document.destinations import VOICE
from jorvik.core.dsp.wavetables import FORMULAS
from jorvik.core.modules import KINDS
from jorvik.core.modules.base import field_facts
from jorvik.core.signals import PERFORMANCE_SIGNALS
from jorvik.core.units.scales import SCALES
from tests.support import Json

NOTE_VALUES = ("1/4", "1/8d", "1/16t", "3/8", "2bar", "1/64")
ODD_TEXTS = ("", "\0", "\ud83d", "a" * 5000, "NaN", "route:x.amount", "é♯", "../x", "1e999", "pitch", "[", "0x10")
ODD_NUMBERS = (0, -0.0, 1, -1, 0.5, 1e-320, 1e-9, 1e9, 1e12, 1e308, -1e308, 2**53, 10**400, 3.5, 127, 48_000)
ODD_VALUES: tuple[Any, ...] = (None, True, [], {}, [[]], {"a": 1}, *ODD_NUMBERS, *ODD_TEXTS)


class Wild:
    """Makes things up, the same from the same seed."""

    def __init__(self, seed: int) -> None:
        self.rng = random.Random(seed)

    def number(self, low: float, high: float, unit: str = "") -> float:
        """A number of a range: often an end of it, or something small, else anywhere."""
        pick = self.rng.random()
        if pick < 0.12:
            return low
        if pick < 0.2:
            return high
        if pick < 0.3:
            return min(max(0.0, low), high)
        if unit == "s":
            return min(max(10 ** self.rng.uniform(-5, 0), low), high)
        if unit == "Hz":
            return min(max(10 ** self.rng.uniform(-2, 4.5), low), high)
        if pick < 0.7 and low < 1.0 < high:
            return self.rng.uniform(max(low, -2.0), min(high, 2.0))
        return self.rng.uniform(low, high)

    def module(self, index: int, names: list[str]) -> Json:
        """A module of any kind, with any of its fields set, reading any signal."""
        kind = self.rng.choice(list(KINDS))
        made: Json = {"id": names[index], "kind": kind}
        for name, field in KINDS[kind].model_fields.items():
            facts = field_facts(field)
            role = facts.get("role")
            if role == "signal":
                made[name] = self.signal(names)
            elif self.rng.random() < 0.5:
                continue
            elif role == "number":
                timed = facts["unit"] in ("s", "Hz") and "str" in str(field.annotation)
                low, high = float(facts["minimum"]), float(facts["maximum"])
                value = self.number(low, high, str(facts["unit"]))
                made[name] = self.rng.choice(NOTE_VALUES) if timed and self.rng.random() < 0.3 else value
            elif role == "choice":
                choices = KINDS[kind].choices(name)
                if "maximum" in facts:
                    made[name] = self.rng.randint(int(facts["minimum"]), int(facts["maximum"]))
                elif choices and all(isinstance(choice, str) for choice in choices):
                    made[name] = self.rng.choice(choices)
                elif isinstance(field.default, bool):
                    made[name] = self.rng.random() < 0.5
        getattr(self, f"_{kind}", lambda _: None)(made)
        if kind == "mix":
            made["inputs"] = [
                {"source": self.signal(names), "gain": self.number(-1000, 1000), "offset": self.number(-2, 2)}
                for _ in range(self.rng.randint(0, 4))
            ]
        return made

    def _curve(self, made: Json) -> None:
        made.pop("hold_at", None)
        made["points"] = self.points(self.rng.randint(1, 6))
        if len(made["points"]) > 2 and self.rng.random() < 0.4 and made["points"][0][0] < made["points"][-1][0]:
            made["loop"] = [0, len(made["points"]) - 1]

    def _lfo(self, made: Json) -> None:
        if made.get("shape") == "drawn":
            made["points"] = self.points(3)

    def _steps(self, made: Json) -> None:
        made["values"] = [self.rng.random() for _ in range(self.rng.randint(1, 8))]

    def _quantise(self, made: Json) -> None:
        made["scale"] = self.rng.choice([*SCALES, [0], [0, 6, 11]])

    def _shape(self, made: Json) -> None:
        if self.rng.random() < 0.3:
            made["points"] = self.points(4)
        if self.rng.random() < 0.3:
            made["clip"] = sorted([self.number(-5, 5), self.number(-5, 5)])

    def points(self, count: int) -> list[list[float]]:
        """Drawn points, sometimes several at one place."""
        at = sorted(self.rng.choice([0.0, 0.5, 1.0, self.rng.random()]) for _ in range(count))
        return [[x, self.number(-1, 1), self.rng.choice([0.0, self.rng.uniform(-12, 12)])] for x in at]

    def signal(self, names: list[str]) -> str | float:
        """What an input reads."""
        if self.rng.random() < 0.15:
            return self.number(-10, 10)
        return self.rng.choice([*names, *PERFORMANCE_SIGNALS])

    def route(self, index: int, modules: list[Json], ids: list[str]) -> Json:
        """A route of any mode to anything that moves."""
        names = [m["id"] for m in modules]
        at = self.rng.random()
        if at < 0.6 or not modules:
            destination = self.rng.choice(list(VOICE))
        elif at < 0.9:
            module = self.rng.choice(modules)
            fields = KINDS[module["kind"]].model_fields.items()
            movable = [name for name, field in fields if field_facts(field).get("movable")]
            destination = f"{module['id']}.{self.rng.choice(movable)}" if movable else "pitch"
        else:
            destination = f"route:{self.rng.choice(ids)}.amount"
        mode = self.rng.choice(["add", "add", "add", "scale"])
        made: Json = {"id": ids[index], "destination": destination, "mode": mode}
        made["source"] = self.rng.choice([*names, *PERFORMANCE_SIGNALS])
        size = 10 ** self.rng.uniform(-2, 3) if self.rng.random() < 0.97 else 1e9
        made["amount"] = self.number(0, 1) if mode == "scale" else self.rng.choice([-1, 1]) * size
        if self.rng.random() < 0.3:
            made["via"] = self.rng.choice([*names, *PERFORMANCE_SIGNALS])
            made["via_depth"] = self.number(0, 1)
        if self.rng.random() < 0.3:
            made["bend"] = self.number(-12, 12)
        if self.rng.random() < 0.2:
            made["polarity"] = self.rng.choice(["unipolar", "bipolar"])
        if self.rng.random() < 0.1:
            made["resolution"], made["update_every"] = "7bit", self.rng.randint(1, 4000)
        return made

    def document(self, most: int = 6) -> Json:
        """A whole patch, short enough to be judged in a moment."""
        names = [f"m{i}" for i in range(self.rng.randint(0, most))]
        modules = [self.module(i, names) for i in range(len(names))]
        ids = [f"r{i}" for i in range(self.rng.randint(0, most + 2))]
        notes = [
            {
                "key": self.number(0, 127),
                "velocity": self.number(0, 127),
                "start_s": self.rng.choice([0.0, self.rng.uniform(0, 0.3)]),
                "length_s": self.rng.choice([1e-5, 0.001, self.rng.uniform(0.01, 0.4)]),
            }
            for _ in range(self.rng.choice([1, 1, 1, 2, 4]))
        ]
        base = {name: self.number(at.low, at.high, at.unit) for name, at in VOICE.items() if self.rng.random() < 0.25}
        tables = [self.rng.choice(list(FORMULAS)) for _ in range(2)]
        return {
            "format": "jorvik-patch",
            "version": 1,
            "performance": {
                "notes": notes,
                "tail_s": self.rng.choice([0.0, 0.05, 0.2]),
                "tempo_bpm": self.number(10, 999),
                "seed": self.rng.randint(0, 2**53),
            },
            "voice": {
                "mode": self.rng.choice(["poly", "mono", "legato"]),
                "glide_ms": self.number(0, 200),
                "base": base,
                "oscillators": {"osc1": {"table": tables[0]}, "osc2": {"table": tables[1]}, "unison": 1},
            },
            "modules": modules,
            "routes": [self.route(i, modules, ids) for i in range(len(ids))],
        }

    def broken(self, of: Any) -> Any:
        """A thing with one to three of its places made something else, dropped or added."""
        made = copy.deepcopy(of)
        for _ in range(self.rng.randint(1, 3)):
            places = list(_places(made))
            if not places:
                return self.rng.choice(ODD_VALUES)
            holder, key = self.rng.choice(places)
            act = self.rng.random()
            if act < 0.75:
                holder[key] = copy.deepcopy(self.rng.choice(ODD_VALUES))
            elif act < 0.9 or isinstance(holder, list):
                del holder[key]
            else:
                holder[self.rng.choice(ODD_TEXTS)] = copy.deepcopy(self.rng.choice(ODD_VALUES))
        return made


def _places(of: Any) -> Iterator[tuple[Any, Any]]:
    """Yield every place in a document, as what holds it and its key there."""
    items = of.items() if isinstance(of, dict) else enumerate(of) if isinstance(of, list) else ()
    for key, value in list(items):
        yield of, key
        yield from _places(value)
