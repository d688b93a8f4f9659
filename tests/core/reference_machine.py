"""What a second reading of the model is played on: notes, signals, routes and lanes, one sample after the other.

Written, like the kinds in ``reference.py``, from the description of the model alone.
"""

import math
from collections.abc import Callable
from fractions import Fraction
from itertools import pairwise
from typing import Any

from jorvik.core.document.destinations import VOICE

Json = dict[str, Any]
Step = Callable[[int], float]

QUARTERS = {"": Fraction(1), "d": Fraction(3, 2), "t": Fraction(2, 3)}
OCTAVE_LAW = {"rate", "frequency_hz", "coupling_hz", "hz"}
C4_HZ = 440.0 * 2.0 ** (-9 / 12)


def bend(x: float, k: float) -> float:
    if x > 1 and abs(k) >= 1e-12:
        return 1 + (x - 1) * k * math.exp(-k) / -math.expm1(-k)
    return x if abs(k) < 1e-12 else math.expm1(-k * x) / math.expm1(-k)


def signed_bend(x: float, k: float) -> float:
    return math.copysign(bend(abs(x), k), x)


def note_value(text: str, tempo: float, beats_per_bar: int) -> float:
    if text.endswith("bar"):
        return float(text[:-3]) * beats_per_bar * 60.0 / tempo
    stretch = text[-1] if text[-1] in "dt" else ""
    over, under = text.removesuffix(stretch).split("/")
    return float(4 * Fraction(int(over), int(under)) * QUARTERS[stretch]) * 60.0 / tempo


def cycle(shape: str, phase: Fraction, width: float, points: list[list[float]]) -> float:
    p = float(phase)
    if shape == "sine":
        return math.sin(2 * math.pi * p)
    if shape == "triangle":
        return 4 * p if p < 0.25 else 2 - 4 * p if p < 0.75 else 4 * p - 4
    if shape == "saw_up":
        return 2 * p - 1
    if shape == "saw_down":
        return 1 - 2 * p
    if shape == "square":
        return 1.0 if phase < Fraction(width) else -1.0
    return drawn(points, p)


def drawn(points: list[list[float]], x: float) -> float:
    before = [i for i, point in enumerate(points) if point[0] <= x + 1e-9]
    if not before:
        return points[0][1]
    i = before[-1]
    if i == len(points) - 1:
        return points[i][1]
    (x0, y0, *k), (x1, y1, *_) = points[i], points[i + 1]
    return y0 + (y1 - y0) * bend((x - x0) / (x1 - x0), k[0] if k else 0.0)


class Machine:
    """A mono or legato voice, or the first voice of a poly patch, over the whole run."""

    def __init__(self, document: Json, rate: int) -> None:
        self.fs = rate
        self.modules = {m["id"]: m for m in document["modules"]}
        self.routes = [r for r in document["routes"] if r.get("enabled", True)]
        self.voice = document.get("voice", {})
        played = document.get("performance", {})
        self.tempo, self.bar = played.get("tempo_bpm", 120.0), played.get("beats_per_bar", 4)
        self.controls = played.get("controls", {})
        notes = sorted(played.get("notes", [{}]), key=lambda n: n.get("start_s", 0.0))
        last = max(n.get("start_s", 0.0) + n.get("length_s", 1.0) for n in notes)
        self.length = round((last + played.get("tail_s", 0.5)) * rate)
        mono = self.voice.get("mode", "poly") != "poly"
        self.notes = notes if mono else [played.get("notes", [{}])[0]]
        self.row: dict[str, list[float]] = {name: [] for name in self.modules}
        self.lanes: dict[str, dict[str, list[float]]] = {}
        self.now: dict[str, float] = dict.fromkeys(self.modules, 0.0)
        self.at_on = self._events()
        self.make = {name: getattr(self, f"_{m['kind']}")(m) for name, m in self.modules.items()}
        self.order = self._order()
        for n in range(self.length):
            self._sample(n)

    # What is played

    def _events(self) -> list[Json]:
        found: list[Json] = []
        for i, note in enumerate(self.notes):
            on = round(note.get("start_s", 0.0) * self.fs)
            off = round((note.get("start_s", 0.0) + note.get("length_s", 1.0)) * self.fs)
            overlaps = i > 0 and found[-1]["ends"] > on
            if i > 0 and on <= found[-1]["off"]:
                found[-1]["off"], found[-1]["taken"] = on, True
            restarts = not (self.voice.get("mode") == "legato" and overlaps)
            found.append({"on": on, "off": off, "ends": off, "taken": False, "restarts": restarts, **note})
        return found

    def _note(self, n: int) -> Json:
        begun = [note for note in self.at_on if note["on"] <= n]
        return begun[-1] if begun else self.at_on[0]

    def _starts(self, n: int) -> bool:
        return any(note["on"] == n and note["restarts"] for note in self.at_on)

    def _gate(self, n: int) -> bool:
        return any(note["on"] <= n < note["off"] for note in self.at_on)

    def _resets(self, module: Json) -> Callable[[int], bool]:
        """Whether a module's reset rises through one half at a sample, each asked for once and in order."""
        before = [0.0]

        def rises(n: int) -> bool:
            now = self._signal(module.get("reset", 0.0), n)
            risen = before[0] <= 0.5 < now
            before[0] = now
            return risen

        return rises

    def _falls(self, n: int) -> bool:
        return any(note["off"] == n and not note["taken"] for note in self.at_on)

    def _control(self, name: str, n: int, otherwise: float = 0.0) -> float:
        points = self.controls.get(name)
        if not points:
            return otherwise
        t = n / self.fs
        if t <= points[0][0]:
            return float(points[0][1])
        for (t0, v0), (t1, v1) in pairwise(points):
            if t0 <= t < t1:
                return float(v0 + (v1 - v0) * (t - t0) / (t1 - t0))
        return float(points[-1][1])

    def _signal(self, name: str | float, n: int) -> float:
        if not isinstance(name, str):
            return float(name)
        if name in self.modules:
            return self.now[name]
        if name == "gate":
            return float(self._gate(n))
        if name == "trigger":
            return float(any(note["on"] == n for note in self.at_on))
        if name == "velocity":
            return float(self._note(n).get("velocity", 96.0)) / 127.0
        if name == "key":
            return (float(self._note(n).get("key", 60.0)) - 60.0) / 12.0
        return self._control(name, n)

    # What moves what

    def _sent(self, route: Json, n: int) -> float:
        s = self._signal(route["source"], n)
        polarity = route.get("polarity", "as_is")
        s = (s + 1) / 2 if polarity == "unipolar" else 2 * s - 1 if polarity == "bipolar" else s
        s = signed_bend(s, route.get("bend", 0.0))
        if route.get("via"):
            depth = route.get("via_depth", 1.0)
            s *= 1 - depth + depth * self._signal(route["via"], n)
        return s

    def _lane(self, name: str, base: float, law: str, low: float, high: float, n: int) -> float:
        """Work a destination out at a sample, and keep all of it."""
        octave = {"octaves": 1.0, "semitones": 12.0}.get(law, 0.0)
        mine = [route for route in self.routes if route["destination"] == name]
        total, hertz, factor = 0.0, 0.0, 1.0
        kept = self.lanes.setdefault(name, {"value": [], "raw": []})
        for route in mine:
            s = self._sent(route, n)
            mode = route.get("mode", "add")
            if mode == "range":
                a, b = route["low"], route["high"]
                given = base = a * (b / a) ** s if octave else a + (b - a) * s
            else:
                amount = route.get("amount", 0.0)
                if any(r["destination"] == f"route:{route['id']}.amount" for r in self.routes):
                    limits = (0.0, 1.0) if mode == "scale" else (-1e9, 1e9)
                    amount = self._lane(f"route:{route['id']}.amount", amount, "sum", *limits, n)
                given = 1 - amount + amount * s if mode == "scale" else amount * s
                if mode == "scale":
                    factor *= given
                elif route.get("amount_unit") == "Hz":
                    hertz += given
                else:
                    total += given
            kept.setdefault(route["id"], []).append(given)
        raw = ((base * 2 ** (total / octave) if octave else base + total) + hertz) * factor
        value = min(max(raw, low), high)
        kept["value"].append(value)
        kept["raw"].append(raw)
        return value

    def _pitch_base(self, n: int) -> float:
        glide = self.voice.get("glide_ms", 0.0) / 1000.0
        bent = self._control("pitch_bend", n) * self.voice.get("bend_range_st", 2.0)
        offset = 0.0
        if glide > 0.0:
            for before, note in zip([None, *self.at_on], self.at_on, strict=False):
                if note["on"] > n:
                    break
                began = 0.0
                if before is not None:
                    t = (note["on"] - before["on"]) / self.fs
                    left = before["from"] * (1 - t / glide) if t < glide else 0.0
                    began = before.get("key", 60.0) + left - note.get("key", 60.0)
                note["from"] = began
                t = (n - note["on"]) / self.fs
                offset = began * (1 - t / glide) if t < glide else 0.0
        return float(self.voice.get("base", {}).get("pitch", 0.0)) + bent + offset

    def _field(self, module: Json, name: str, default: Any, n: int, low: float = 0.0, high: float = 1e9) -> float:
        """A parameter at a sample: its value in seconds, hertz or numbers, moved."""
        value = module.get(name, default)
        if isinstance(value, str):
            lasts = note_value(value, self.tempo, self.bar)
            value = 1.0 / lasts if name == "rate" else lasts
        path = f"{module['id']}.{name}"
        if not any(route["destination"] == path for route in self.routes):
            return float(value)
        return self._lane(path, float(value), "octaves" if name in OCTAVE_LAW else "sum", low, high, n)

    def _order(self) -> list[str]:
        """Modules in dependency order; within a loop in document order."""
        names = list(self.modules)
        reads: dict[str, set[str]] = {}
        for name, module in self.modules.items():
            given = {module.get(f) for f in ("input", "clock", "a", "b", "reset")}
            given |= {item["source"] for item in module.get("inputs", [])}
            sources = [r for r in self.routes if r["destination"].startswith(f"{name}.")]
            while sources:
                route = sources.pop()
                given |= {route["source"], route.get("via")}
                sources += [r for r in self.routes if r["destination"] == f"route:{route['id']}.amount"]
            reads[name] = {g for g in given if isinstance(g, str) and g in self.modules}

        def reached(start: str) -> set[str]:
            seen: set[str] = set()
            waiting = [start]
            while waiting:
                for other in reads[waiting.pop()] - seen:
                    seen.add(other)
                    waiting.append(other)
            return seen

        far = {name: reached(name) for name in names}
        placed: list[str] = []
        while len(placed) < len(names):
            for name in names:
                loop = [m for m in names if m == name or (m in far[name] and name in far[m])]
                if name not in placed and all(d in placed or d in loop for m in loop for d in reads[m]):
                    placed += [m for m in loop if m not in placed]
                    break
        return placed

    def _sample(self, n: int) -> None:
        for name in self.order:
            self.now[name] = self.make[name](n)
            self.row[name].append(self.now[name])
        for name, at in VOICE.items():
            if name == "pitch" or any(route["destination"] == name for route in self.routes):
                base = self._pitch_base(n) if name == "pitch" else self.voice.get("base", {}).get(name, at.base)
                self._lane(name, base, at.law, at.low, at.high, n)
