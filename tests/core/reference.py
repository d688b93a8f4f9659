"""A second reading of the model: what a patch makes, sample by sample, in plain Python and exact phases.

Written from the description of the model alone, to be compared with the engine. Nothing of the engine is used, only
tables of facts: the voice's destinations and the scales. Noise and chance are left out, as their numbers are our own.
"""

import math
from fractions import Fraction
from typing import Any

from jorvik.core.units.scales import SCALES
from tests.core.reference_machine import C4_HZ, Json, Machine, Step, bend, cycle, drawn


class Reference(Machine):
    """A patch, read a second time: how each kind makes its next sample."""

    def _constant(self, m: Json) -> Step:
        return lambda n: self._field(m, "value", 0.0, n, -1e9)

    def _macro(self, m: Json) -> Step:
        def step(n: int) -> float:
            return min(max(self._control(f"macro:{m['id']}", n, m.get("value", 0.0)), 0.0), 1.0)

        return step

    def _envelope(self, m: Json) -> Step:
        """Stages that follow each other in continuous time; each one's length is read at the sample it begins in."""
        mode, sustain = m.get("mode", "gate"), float(m.get("sustain", 0.7))
        times = {"delay": 0.0, "attack": 0.005, "hold": 0.0, "decay": 0.2, "release": 0.2}
        after = {"delay": "attack", "attack": "hold", "hold": "decay", "release": "idle"}
        after["decay"] = {"gate": "rest", "trigger": "release", "loop": "attack"}[mode]
        state: Json = {"stage": "idle", "began": 0.0, "lasts": math.inf, "from": 0.0, "on": 0}

        resets = self._resets(m)

        def begin(stage: str, began: float, level: float, lasts: dict[str, float]) -> None:
            state.update({"stage": stage, "began": began, "from": level, "lasts": lasts.get(stage, math.inf)})

        def pass_ended(t: float, lasts: dict[str, float]) -> None:
            if mode == "loop" and state["stage"] == "rest" and lasts["attack"] + lasts["hold"] + lasts["decay"] > 0.0:
                begin("attack", t, sustain, lasts)
            while t + 1e-10 >= state["began"] + state["lasts"]:
                stage, end = state["stage"], state["began"] + state["lasts"]
                level = {"delay": state["from"], "decay": sustain, "release": 0.0}.get(stage, 1.0)
                follows = after[stage]
                if stage == "decay" and mode == "loop" and lasts["attack"] + lasts["hold"] + lasts["decay"] == 0.0:
                    follows = "rest"
                begin(follows, end, level, lasts)

        def level_at(t: float) -> float:
            stage, level = state["stage"], float(state["from"])
            if stage in ("idle", "rest"):
                return 0.0 if stage == "idle" else sustain
            if stage in ("delay", "hold"):
                return level
            goal = {"attack": 1.0, "decay": sustain, "release": 0.0}[stage]
            x = (t - state["began"]) / state["lasts"]
            return level + (goal - level) * bend(x, m.get(f"{stage}_bend", 0.0))

        def step(n: int) -> float:
            lasts = {stage: self._field(m, f"{stage}_s", usual, n, 0.0, 60.0) for stage, usual in times.items()}
            reset = resets(n)
            if self._starts(n) or reset:
                t = (n - state["on"]) / self.fs
                pass_ended(t, lasts)
                level = level_at(t) if m.get("restart", "zero") == "current" else 0.0
                state["on"] = n
                begin("delay", 0.0, level, lasts)
            t = (n - state["on"]) / self.fs
            pass_ended(t, lasts)
            if self._falls(n) and mode != "trigger" and state["stage"] not in ("idle", "release"):
                begin("release", t, level_at(t), lasts)
                pass_ended(t, lasts)
            depth = self._field(m, "velocity_depth", 0.0, n, 0.0, 1.0)
            return level_at(t) * (1 - depth + depth * self._signal("velocity", n))

        return step

    def _curve(self, m: Json) -> Step:
        points, loop, hold = m.get("points", [[0, 0], [1, 1]]), m.get("loop"), m.get("hold_at")
        state: dict[str, Fraction | None] = {"at": None}
        resets = self._resets(m)

        def step(n: int) -> float:
            reset = resets(n)
            if self._starts(n) or reset:
                state["at"] = Fraction(0)
            at = state["at"]
            if at is None:
                return drawn(points, 0.0)
            y = drawn(points, float(at))
            after = at + 1 / (Fraction(self._field(m, "time", 1.0, n, 1e-6)) * self.fs)
            if hold is not None and self._gate(n) and at <= Fraction(points[hold][0]) < after:
                after = Fraction(points[hold][0])
            if loop:
                first, last = (Fraction(points[i][0]) for i in loop)
                # Within a billionth of a unit of its end it has come there.
                if after >= last - Fraction(1, 10**9):
                    after = first + (after - first) % (last - first) if after >= last else first
            state["at"] = after
            return y

        return step

    def _lfo(self, m: Json) -> Step:
        rule = m.get("start", "note")
        state: Json = {"phase": Fraction(m.get("phase", 0.0)) % 1, "since": 0}
        whole: Json = {"cycles": Fraction(0), "last": 0.0}
        resets = self._resets(m)

        def step(n: int) -> float:
            reset = resets(n)
            if self._starts(n) or reset:
                state["since"] = 0
                if reset or rule != "free":
                    state["phase"] = Fraction(m.get("phase", 0.0)) % 1
                    whole["cycles"] = Fraction(0)
            moved = Fraction(self._field(m, "rate", 1.0, n, 0.0, 96_000.0)) / self.fs
            if rule == "once" and whole["cycles"] >= 1:
                y = whole["last"]
            else:
                width = self._field(m, "pulse_width", 0.5, n, 0.0, 1.0)
                y = cycle(m.get("shape", "sine"), state["phase"], width, m.get("points", []))
                y = (y + 1) / 2 if m.get("polarity") == "unipolar" else y
                whole["last"] = y
                whole["cycles"] += moved
                state["phase"] = (state["phase"] + moved) % 1
            t = state["since"] / self.fs
            state["since"] += 1
            delay, fade = self._field(m, "delay_s", 0.0, n), self._field(m, "fade_in_s", 0.0, n)
            return 0.0 if t < delay else float(y * (t - delay) / fade) if t < delay + fade else float(y)

        return step

    def _oscillator(self, m: Json) -> Step:
        state = {"phase": Fraction(m.get("phase", 0.0)) % 1}

        def step(n: int) -> float:
            if self._starts(n):
                state["phase"] = Fraction(m.get("phase", 0.0)) % 1
            width = self._field(m, "pulse_width", 0.5, n, 0.0, 1.0)
            y = cycle(m.get("shape", "sine"), state["phase"], width, [])
            if m.get("tracks", "note") == "none":
                hz = self._field(m, "hz", 440.0, n, 0.0, 96_000.0)
            else:
                hz = C4_HZ * 2 ** self._signal("key", n) * self._field(m, "ratio", 1.0, n, 0.0, 128.0)
            state["phase"] = (state["phase"] + Fraction(hz) / self.fs) % 1
            return y

        return step

    def _clock(self, m: Json) -> Step:
        state = {"at": Fraction(0)}
        resets = self._resets(m)
        ratio = Fraction(m.get("multiply", 1), m.get("divide", 1))

        def step(n: int) -> float:
            if resets(n):
                state["at"] = Fraction(0)
            late = state["at"] - Fraction(self._field(m, "delay", 0.0, n, 0.0, 1.0))
            width = self._field(m, "width", 0.5, n, 0.0, 1.0)
            up = late >= Fraction(-1, 10**9) and (late + Fraction(1, 10**9)) % 1 < Fraction(width)
            state["at"] += Fraction(self._field(m, "rate", "1/4", n, 0.0, 96_000.0)) * ratio / self.fs
            return float(up)

        return step

    def _steps(self, m: Json) -> Step:
        values = m.get("values", [1.0])
        state = {"on": -1}
        resets = self._resets(m)

        def step(n: int) -> float:
            reset = resets(n)
            if self._starts(n) or reset:
                state["on"] = n
            if state["on"] < 0:
                return 0.0
            lasts = self._field(m, "step", 0.25, n, 1e-4, 60.0)
            t = (n - state["on"]) / self.fs + 1e-10
            index = math.floor(t / lasts)
            if index >= len(values) and not m.get("loop", False):
                return 0.0
            return (
                float(values[index % len(values)])
                if t - index * lasts < self._field(m, "gate", 0.5, n, 0.0, 1.0) * lasts
                else 0.0
            )

        return step

    def _sample_hold(self, m: Json) -> Step:
        state: dict[str, Any] = {"before": 0.0, "held": 0.0, "taken": [], "place": 0}
        resets = self._resets(m)

        def step(n: int) -> float:
            clock, over = self._signal(m.get("clock", 0.0), n), self._field(m, "threshold", 0.5, n, -100.0, 100.0)
            given = self._signal(m.get("input", 0.0), n)
            loop = m.get("loop")
            rises = n == 0 or (state["before"] <= over < clock)
            if resets(n) and loop:
                state["place"], rises = 0, True
            state["before"] = clock
            if m.get("track", False):
                state["held"] = given if n == 0 or clock > over else state["held"]
            elif rises:
                taken = state["taken"]
                if not loop:
                    taken = [given]
                elif state["place"] == len(taken):
                    taken.append(given)
                state["held"] = taken[state["place"]]
                state["place"] = (state["place"] + 1) % loop if loop else 0
            return float(state["held"])

        return step

    def _slew(self, m: Json) -> Step:
        state = {"y": 0.0}

        def step(n: int) -> float:
            x = self._signal(m.get("input", 0.0), n)
            rise, fall = self._field(m, "rise_s", 0.1, n, 0.0, 60.0), self._field(m, "fall_s", 0.1, n, 0.0, 60.0)
            if n == 0:
                state["y"] = x
                return x
            gap = x - state["y"]
            lasts = rise if gap > 0 else fall
            if m.get("law", "linear") == "exponential":
                state["y"] += gap * (1 - math.exp(-1 / (lasts * self.fs))) if lasts > 0 else gap
            else:
                most = 1 / (lasts * self.fs) if lasts > 0 else math.inf
                state["y"] = x if abs(gap) <= most else state["y"] + math.copysign(most, gap)
            return state["y"]

        return step

    def _follower(self, m: Json) -> Step:
        state = {"y": 0.0}

        def step(n: int) -> float:
            gap = abs(self._signal(m.get("input", 0.0), n)) - state["y"]
            up, down = self._field(m, "attack_s", 0.01, n, 0.0, 60.0), self._field(m, "release_s", 0.1, n, 0.0, 60.0)
            lasts = up if gap > 0 else down
            state["y"] += gap * (1 - math.exp(-1 / (lasts * self.fs))) if lasts > 0 else gap
            return state["y"]

        return step

    def _filter(self, m: Json) -> Step:
        state = {"s1": 0.0, "s2": 0.0}

        def step(n: int) -> float:
            x = self._signal(m.get("input", 0.0), n)
            g = math.tan(math.pi * min(self._field(m, "frequency_hz", 10.0, n, 1e-3, 96_000.0) / self.fs, 0.4999))
            k = 1 / self._field(m, "q", 0.5, n, 0.5, 1e4)
            v1 = (state["s1"] + g * (x - state["s2"])) / (1 + g * (g + k))
            v2 = state["s2"] + g * v1
            state["s1"], state["s2"] = 2 * v1 - state["s1"], 2 * v2 - state["s2"]
            made = {"low": v2, "band": k * v1, "high": x - k * v1 - v2, "notch": x - k * v1}
            return self._field(m, "gain", 1.0, n, -1000.0, 1000.0) * made[m.get("response", "low")]

        return step

    def _mix(self, m: Json) -> Step:
        def step(n: int) -> float:
            given = [
                item.get("gain", 1.0) * self._signal(item["source"], n) + item.get("offset", 0.0)
                for item in m.get("inputs", [])
            ]
            if not given:
                return 0.0
            operation = m.get("operation", "sum")
            return {"sum": sum, "max": max, "min": min, "product": math.prod}[operation](given)  # type: ignore[operator]

        return step

    def _shape(self, m: Json) -> Step:
        def step(n: int) -> float:
            x = self._signal(m.get("input", 0.0), n)
            x = -x if m.get("invert") else x
            y = self._field(m, "gain", 1.0, n, -1000, 1000) * x + self._field(m, "offset", 0.0, n, -1000, 1000)
            y = math.copysign(abs(y) ** self._field(m, "power", 1.0, n, 0.01, 100.0), y)
            if m.get("fold"):
                y = (y + 1) % 4
                y = (y if y <= 2 else 4 - y) - 1
            y = drawn(m["points"], y) if m.get("points") else y
            low, high = m.get("clip") or (-math.inf, math.inf)
            return min(max(y, low), high)

        return step

    def _compare(self, m: Json) -> Step:
        state = {"y": 0.0}

        def step(n: int) -> float:
            a, b = self._signal(m.get("a", 0.0), n), self._signal(m.get("b", 0.0), n)
            h = self._field(m, "hysteresis", 0.0, n, 0.0, 1000.0)
            state["y"] = 1.0 if a > b + h else 0.0 if a < b - h else state["y"]
            return state["y"]

        return step

    def _quantise(self, m: Json) -> Step:
        scale = m.get("scale", "chromatic")
        degrees = SCALES[scale] if isinstance(scale, str) else scale

        def step(n: int) -> float:
            semitones = 12 * self._signal(m.get("input", 0.0), n)
            around = range(math.floor(semitones / 12) - 2, math.floor(semitones / 12) + 3)
            notes = [12 * octave + d + m.get("root", 0) for octave in around for d in degrees]
            return min(notes, key=lambda note: (round(abs(note - semitones), 9), note)) / 12

        return step
