"""Every fix of every demo patch, tried: what the finding is about is measured before and after, by another way."""

import math
import re
import unittest
from collections.abc import Callable
from typing import Final

import numpy as np
from numpy.typing import NDArray

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch, check_patch, edited
from jorvik.core.engine.trace import trace
from jorvik.core.findings import RULES, findings
from jorvik.core.findings.base import Finding
from jorvik.core.measure.context import Context
from jorvik.core.problems import Problem
from jorvik.core.voice.render import render
from tests.core.judging import found
from tests.core.test_findings import under_its_phrase
from tests.support import Json, demos, note, patch

Row = NDArray[np.float64]


def named(finding: Finding) -> str:
    return finding.about.removeprefix("signal.").removeprefix("route.")


def row(of: Context, finding: Finding) -> Row:
    """Return the lane or signal that a finding is about, of a route its destination's, while the note is held."""
    name = named(finding)
    if finding.about.startswith("signal."):
        return of.held(of.trace.signals[name])
    if finding.about.startswith("route."):
        name = destination(of.patch, name)
    return of.held(of.values(name))


def destination(of: Patch, route: str) -> str:
    """Return the destination of the voice that a route, or the route whose amount it moves, reaches at last."""
    for one in check_patch(of.document()).routes:
        if one.id == route:
            inner = one.destination.removeprefix("route:").removesuffix(".amount")
            return destination(of, inner) if one.destination.startswith("route:") else one.destination
    return "pitch"


def octaves(values: Row) -> Row:
    return np.log2(np.maximum(values, 1e-9))


def heard(of: Patch) -> Row:
    return render(of, 48_000).samples.mean(axis=1)


def power_under(samples: Row, hz: float) -> float:
    power = np.abs(np.fft.rfft(samples)) ** 2
    return float(power[np.fft.rfftfreq(samples.size, 1 / 48_000) < hz].sum() / power.sum())


def strokes(of: Context, track: str) -> list[float]:
    phrase = of.patch.phrase
    assert phrase is not None
    return [strike.at * phrase.beat_s for hit in phrase.hits if hit.id == track for strike in hit.strikes]


def steepest(of: Context, finding: Finding) -> float:
    """Return how far the amplifier, which opens from nothing, moves at most within 1 ms near the finding."""
    lane = of.trace.lanes["amplitude"].value
    shut = np.zeros(480) if finding.which == "opens" else np.full(480, lane[0])
    level = np.concatenate([shut, lane, np.full(480, lane[-1])])
    near = level[max(round((finding.from_s - 0.002) * of.rate) + 480, 0) :][: round(0.012 * of.rate)]
    return float(np.abs(near[48:] - near[:-48]).max())


def repeats_after(of: Context, beats: float) -> float:
    """Return how far the sources are on average from where they were some quarter notes before, over 8 bars."""
    beat_s = 60.0 / of.patch.performance.tempo.bpm
    long = trace(of.patch.under(None).with_note(length_s=min(8 * beats * beat_s, 50.0), tail_s=0.0), 4_000)
    steps = round(beats * beat_s * 4_000)
    return float(np.mean([np.abs(values[steps:] - values[:-steps]).mean() for values in long.signals.values()]))


def apart(of: Context, finding: Finding) -> float:
    """Return how far two equal notes differ of which the second is struck 0.37 s later."""
    later = {**of.patch.document()["performance"]}
    later["notes"] = [{**n, "start_s": n.get("start_s", 0.0) + 0.37} for n in later["notes"]]
    moved = trace(check_patch({**of.patch.document(), "performance": later}))
    first, second = (t.signals[named(finding)][t.run.note.on :] for t in (of.trace, moved))
    size = min(first.size, second.size)
    return float(np.abs(first[:size] - second[:size]).max())


def dead_end(of: Context, finding: Finding) -> float:
    """Return the way of the lane over the last fifth of the macro, less is worse."""
    name, lane = named(finding), finding.which.split(", ")[1]
    ends = [trace(edited(of.patch, modules={name: {"value": value}})).lanes[lane].value for value in (0.8, 1.0)]
    return -float(np.abs(octaves(ends[1]) - octaves(ends[0])).max())


def breaks(of: Context, _: Finding) -> float:
    failed = 0
    for velocity in (1.0, 64.0, 127.0):
        try:
            trace(of.patch.with_note(velocity=velocity))
        except Problem:
            failed += 1
    return failed


def low_under(of: Context, finding: Finding) -> float:
    samples = heard(of.patch)
    windows = [samples[round(at * 48_000) :][:3_840] for at in strokes(of, finding.which)]
    low = sum(power_under(part, 150.0) * float((part**2).sum()) for part in windows)
    return low / (power_under(samples, 150.0) * float((samples**2).sum()))


def off_the_stroke(of: Context, finding: Finding) -> float:
    """Return how far from its stroke a level comes within 1 dB of its lowest, on average."""
    level, away = of.values(finding.about), []
    for at in strokes(of, finding.which):
        begin = max(round((at - 0.25) * of.rate), 0)
        near = level[begin:][: round(0.5 * of.rate)]
        if near.size:
            away.append(abs(begin / of.rate + float(np.argmax(near <= near.min() * 10**0.05)) / of.rate - at))
    return float(np.mean(away))


def left_open(of: Context, finding: Finding) -> float:
    level = octaves(of.values(finding.about))
    places = [round(at * of.rate) for at in strokes(of, finding.which)[1:]]
    return float(np.mean([level[at] - level.min() for at in places if at < level.size]))


def outside(of: Context, finding: Finding) -> float:
    """Return the share of a route's travel, in octaves, that lies outside the useful range kept with the patch."""
    kept = of.patch.useful_ranges[destination(of.patch, named(finding))]
    route = next(one for one in of.patch.routes if one.id == named(finding))
    low, high = sorted((float(route.low or 1.0), float(route.high or 1.0)))
    inside = max(math.log2(min(high, kept.high) / max(low, kept.low)), 0.0)
    return 1.0 - inside / math.log2(high / low)


def alone(of: Context, _: Finding) -> float:
    """Return the level of the sound with every oscillator silent."""
    silent = edited(of.patch, base={name: 0.0 for name in VOICE if name.endswith("_level")})
    return float(np.abs(heard(silent)).max())


def after_closing(of: Context, finding: Finding) -> float:
    lane, level = octaves(of.values(finding.about)), of.values("amplitude")
    closes = int(np.flatnonzero(level > 1e-3 * level.max())[-1])
    return float(np.ptp(lane[closes:]) / np.ptp(lane))


def vibrato(of: Context, finding: Finding) -> float:
    lane = of.held(of.values("pitch")) - float(of.values("pitch").mean())
    if finding.which == "rate":
        return abs(np.count_nonzero(np.diff(np.signbit(lane))) / (2.0 * lane.size / of.rate) - 6.0)
    return float(np.ptp(lane[: of.rate // 8]))


def settled_lower(of: Context, finding: Finding) -> float:
    soft, hard = (of.held(of.at_velocity(v).lanes[finding.about].value)[-480:].mean() for v in (40.0, 118.0))
    return float(np.log2(soft / hard))


def glides_past_the_end(of: Context, _: Finding) -> float:
    shortest = min(one.length_s for one in of.patch.performance.notes)
    return max(of.patch.voice.glide_ms / 1000.0 - shortest, 0.0)


def correlated(of: Context, finding: Finding) -> float:
    first = named(finding)
    others = [s for name, s in of.trace.signals.items() if name != first and s.std() > 0.0]
    return max(abs(float(np.corrcoef(of.trace.signals[first], other)[0, 1])) for other in others)


def cancelled_at_full(of: Context, finding: Finding) -> float:
    hardest = of.at_velocity(127.0)
    return float(np.ptp(hardest.held(hardest.lanes[destination(of.patch, named(finding))].value)))


def ringing_at_the_end(of: Context, finding: Finding) -> float:
    ring = np.abs(of.trace.signals[named(finding)])
    return float(ring[-round(0.05 * of.rate) :].max() / ring.max())


def silent(of: Context, finding: Finding) -> float:
    values = row(of, finding)
    return float(np.mean(values < 0.01)) if finding.about.endswith("_level") else float(np.ptp(values))


def of_a_cycle(of: Context, finding: Finding) -> float:
    module: Json = next(m for m in of.patch.document()["modules"] if m["id"] == named(finding))
    cycles = module["frequency_hz"] * math.sqrt(1 - 0.25 / module["q"] ** 2) * (of.note_gap_s or 0.0)
    return abs(cycles - round(cycles))


def rises(of: Context, finding: Finding) -> float:
    """Return when the cutoff has come nine tenths of its way up, in octaves."""
    way = octaves(of.held(of.values("cutoff"))) - float(octaves(of.values("cutoff")[:1])[0])
    return float(np.argmax(way >= 0.9 * way.max()))


def bare_numbers(before: Patch, finding: Finding) -> list[str]:
    """Return the numbers with a unit that the fix's label says without it, as its field would not take them."""
    assert finding.fix is not None
    after, found = finding.fix.patch, []
    for at in VOICE.values():
        changed = after.base(at)
        if changed != before.base(at) and at.unit in ("ratio", "s", "st", "dB", "Hz"):
            found += [changed, changed - before.base(at)]
    for route in after.routes:
        old = before.routes_by_id.get(route.id)
        if old is not None and old.amount != route.amount:
            found.append(route.amount)
    digits = (f"{abs(number):.{places}g}" for number in found for places in (2, 3, 4, 6))
    return [
        text
        for text in digits
        if re.search(rf"(?<![\d.]){re.escape(text)}(?![\d.]| ?(%|st|s|ms|dB|k?Hz))", finding.fix.label)
    ]


WORSE: Final[dict[str, Callable[[Context, Finding], float]]] = {
    "beyond_half_rate": lambda c, f: float(c.values("fm_index").max()),
    "breaks_elsewhere": breaks,
    "cancelling_routes": lambda c, f: -float(np.ptp(row(c, f))),
    "clamped_lane": lambda c, f: c.measures.lanes[f.about].measures.clamped,
    "click": steepest,
    "coarse_steps": lambda c, f: float(np.abs(np.diff(row(c, f))).max()),
    "dead_macro": dead_end,
    "equal_routes": lambda c, f: len(c.patch.routes),
    "falling_edge": lambda c, f: -float(np.abs(c.trace.signals[named(f)]).max()),
    "filter_sings": alone,
    "found_open": left_open,
    "free_running": apart,
    "harder_thinner": settled_lower,
    "heard_still": lambda c, f: render(c.patch, 48_000).limited_db,
    "idle_cutoff": lambda c, f: float(np.abs(octaves(row(c, f) / 130.0)).mean()),
    "idle_travel": outside,
    "late_glide": glides_past_the_end,
    "late_meeting": lambda c, f: repeats_after(c, 4.0),
    "long_ring": ringing_at_the_end,
    "loud_jump": lambda c, f: float(c.values("resonance").max()),
    "low_on_thud": low_under,
    "missed_cancel": cancelled_at_full,
    "missed_hit": off_the_stroke,
    "never_closes": lambda c, f: float(c.trace.lanes["amplitude"].value[-1]),
    "no_effect": lambda c, f: len(c.patch.routes),
    "no_track": lambda c, f: -float(np.ptp(octaves(c.values("cutoff")))),
    "off_scale": lambda c, f: float(np.abs(row(c, f) - np.round(row(c, f))).mean()),
    "random_range": silent,
    "resets_itself": lambda c, f: -float(np.ptp(row(c, f))),
    "ring_drift": of_a_cycle,
    "sampling": lambda c, f: -len(np.unique(row(c, f))),
    "shared_stream": correlated,
    "shifted_pitch": lambda c, f: abs(float(row(c, f).mean())),
    "silent_settling": after_closing,
    "slow_envelope": lambda c, f: -float(row(c, f).max()),
    "softened_attack": rises,
    "stuck_window": lambda c, f: -float(np.count_nonzero(np.diff(c.trace.signals[named(f)]))),
    "subsonic": lambda c, f: power_under(heard(c.patch)[:24_000], 20.0),
    "thin_pulse": lambda c, f: -min(float(row(c, f).min()), 1.0 - float(row(c, f).max())),
    "unlike_loops": lambda c, f: repeats_after(c, 4.0),
    "vibrato": vibrato,
    "voltage_range": lambda c, f: float(np.abs(row(c, f)).max()),
}
"""By rule, what is worse the greater it is, measured in another way than the rule measures it."""


class Tried(unittest.TestCase):
    def test_a_fix_betters_what_it_is_about_and_breaks_nothing_there(self) -> None:
        self.assertEqual(set(WORSE), set(RULES))
        for name, doc in demos().items():
            before = Context(under_its_phrase(doc))
            told = findings(before)
            known = {finding.key for finding in told}
            for finding in told:
                if finding.fix is None:
                    continue
                with self.subTest(patch=name, finding=finding.key, fix=finding.fix.label):
                    after = Context(finding.fix.patch)
                    worse = WORSE[finding.rule]
                    self.assertEqual(bare_numbers(before.patch, finding), [])
                    self.assertLess(worse(after, finding), worse(before, finding))
                    left = findings(after)
                    self.assertNotIn(finding.key, [one.key for one in left])
                    new = [one.key for one in left if one.about == finding.about and one.key not in known]
                    self.assertEqual(new, [])

    def test_a_ring_beside_an_envelope_is_as_strong_as_it_was_in_series(self) -> None:
        step: Json = {"id": "step", "kind": "envelope", "attack_s": 0.001, "sustain": 1.0}
        for q, gain in ((7.0, 1.0), (2.0, 1.0), (7.0, 0.5), (0.5, 2.0)):
            ring: Json = {"id": "ring", "kind": "filter", "input": "step", "frequency_hz": 7.5, "q": q, "gain": gain}
            route = {"source": "ring", "destination": "cutoff", "amount": 12}
            of = patch([step, ring], [route], performance=note(1.0, 0.2), voice={"base": {"cutoff": 200.0}})
            [finding] = found("softened_attack", of)
            assert finding.fix is not None
            before, after = (octaves(trace(one).lanes["cutoff"].value / 200.0) for one in (of, finding.fix.patch))
            with self.subTest(q=q, gain=gain):
                # In series it passes its end by exp(-pi z / sqrt(1 - z^2)), z = 1 / 2q.
                z = 0.5 / q
                passes = math.exp(-math.pi * z / math.sqrt(1.0 - z * z)) if z < 1.0 else 0.0
                self.assertAlmostEqual(float(before.max()), gain * (1.0 + passes), delta=0.01)
                self.assertAlmostEqual(float(after.max()), gain * (1.0 + passes), delta=0.01)
                self.assertLess(int(np.argmax(after >= 0.9 * gain)), 0.3 * int(np.argmax(before >= 0.9 * gain)))


if __name__ == "__main__":
    unittest.main()
