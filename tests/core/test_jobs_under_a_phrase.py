"""Pieces of work under a phrase, each done from an empty patch; their figures are found a second way."""

import json
import math
import unittest

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.phrase import Phrase, check_phrase
from jorvik.core.helpers.macros import macro_table
from jorvik.place import ROOT
from tests.core.test_figures_of_jobs import number
from tests.core.test_jobs_from_empty import FromEmpty
from tests.support import RATE, Json


def demo_phrase(file: str) -> Phrase:
    """Return a demo phrase."""
    return check_phrase(json.loads((ROOT / "demo" / "phrases" / f"{file}.json").read_text()))


class UnderAPhrase(FromEmpty):
    def under(self, phrase: Phrase) -> None:
        self.patch = self.patch.under(phrase)

    def test_j08_hits_open_a_filter_through_a_follower(self) -> None:
        self.base(cutoff=200.0)
        self.under(demo_phrase("ice-hammer"))
        self.add("follower", "ear", input="hit:thud", attack_s=0.004, release_s=0.08)
        self.say("ear raises cutoff 48 st")
        lane = self.lane("cutoff")
        strikes, beat = [0, 1.5, 2, 3.25, 4], 60 / 88
        for at, following, strength in zip(strikes, strikes[1:], (100, 55, 90, 40), strict=False):
            begin, end = round(at * beat * RATE), round(following * beat * RATE)
            named = f"at {1000 * at * beat:.4g} ms" if at * beat < 1 else f"at {at * beat:.4g} s"
            said = self.said("cutoff", f"{named}, {strength} %")
            peak = float(lane[begin:end].max())
            self.assertAlmostEqual(12 * math.log2(number(said) / peak), 0.0, delta=0.02)
            # Whether the next one finds it closed: less than a twentieth of the rise, in semitones, is left.
            rise, left = (12 * math.log2(value / 200.0) for value in (peak, float(lane[end - 1])))
            self.assertIn("closed by the next" if left < 0.05 * rise else "left", said)

    def test_j11_vibrato_and_macros_under_an_arpeggio(self) -> None:
        self.add("lfo", "waver", rate=5.5, start="free", delay_s=0.2, fade_in_s=0.4)
        self.say("waver raises pitch 0.15 st")
        self.add("macro", "warm")
        self.say("warm raises cutoff 24 st")
        keys = (48, 51, 55, 51)
        played = [{"key": key, "at": at, "length": 0.8} for at, key in enumerate(keys)]
        head = {"format": "jorvik-phrase", "version": 1, "tempo_bpm": 96, "bars": 1}
        self.under(check_phrase({**head, "played": played}))
        # A quarter at 96 less its gate: held 0.5 s, so that the third note hears a part of the fade alone.
        swing = self.traced(2).lanes["pitch"].contributions[self.patch.routes[0].id]
        heard = int(np.argmax(np.abs(swing[: round(0.5 * RATE)]) >= 0.05)) / RATE
        self.near("pitch", "rate", 5.5, 0.05, voice=2)
        self.near("pitch", "heard after", heard, 0.002, voice=2)
        base = self.patch.base(VOICE["cutoff"])
        [row] = macro_table(self.patch, "warm")
        for place, value in zip((0.0, 0.5, 1.0), row.values, strict=True):
            self.assertAlmostEqual(value / (base * 2 ** (24 * place / 12)), 1.0, delta=1e-9)

    def test_j16_loops_of_unlike_length_and_when_they_meet_against_the_phrase(self) -> None:
        self.add("noise", "hiss")
        for name, steps, rate in (("five", 5, "1/8t"), ("three", 3, "1/2")):
            self.add("clock", f"{name} beat", rate=rate)
            self.add("sample_hold", name, input="hiss", clock=f"{name} beat", loop=steps)
        self.add("quantise", "kept", input="five")
        self.say("kept raises pitch 12 st", "three raises cutoff 12 st")
        head = {"format": "jorvik-phrase", "version": 1, "tempo_bpm": 96, "bars": 4}
        self.under(check_phrase({**head, "played": [{"key": 48, "at": 0, "length": 14.0}]}))
        # Five triplet eighths are 5/3 beats, three halves 6: both at their start again after 30 beats.
        self.near("signal.five", "repeats after", 5 / 3, 1e-3)
        self.near("signal.five", "all loops meet after", 30.0, 1e-9)
        self.assertIn(f"{30 * 60 / 96:.4g} s", self.said("signal.five", "all loops meet after"))
        of = self.traced()
        met = np.unique(np.round(of.held(of.lanes["pitch"].value), 6))
        self.assertIn(f"{met.max() - met.min():g} st", self.said("pitch", "range"))

    def test_j17_a_ramp_at_each_bar(self) -> None:
        self.under(demo_phrase("watch-slow"))
        self.add("curve", "ramp", time="4bar")
        self.say("ramp raises fold 80%")
        values = self.lane("fold")
        for bar in range(4):
            self.near("fold", f"bar {bar + 1}", float(values[bar * 4 * RATE]), 0.002)

    def test_j18_dips_against_two_hits_a_bar(self) -> None:
        self.voice(mode="mono")
        self.under(demo_phrase("sledge-dips"))
        self.add("lfo", "lull", rate="1/2", phase=0.7)
        self.base(amplitude=0.5)
        self.say("lull raises amplitude 40%")
        lane = self.lane("amplitude")
        beat = 60 / 96
        at = round(2 * beat * RATE)
        near = 20 * np.log10(lane[at - round(beat * RATE) : at + round(beat * RATE)])
        lowest = int(near.argmin())
        depth = float(near[: lowest + 1].max() - near[lowest])
        # The floor, within 1 dB of the lowest level, is long here: it is timed where it begins.
        begins = int(np.flatnonzero(near[: lowest + 1] > near[lowest] + 1.0)[-1]) + 1
        self.assertGreater(np.count_nonzero(near <= near[lowest] + 1.0), 0.02 * RATE)
        late = (begins - round(beat * RATE)) / RATE
        said = self.said("amplitude", f"at {2 * beat:g} s, 60 %")
        self.assertIn(f"dips {depth:.3g} dB, {1000 * late:.4g} ms late", said)
        self.is_found(f"lies {1000 * late:.4g} ms after its stroke")


class Played(FromEmpty):
    def test_j07_a_macro_takes_over_and_the_bend_reaches_an_octave(self) -> None:
        self.add("macro", "hand")
        self.voice(bend_range_st=12.0)
        self.say("hand raises wavetable position 30%", "hand raises cutoff 20 st", "hand lowers pan 40%")
        lanes: Json = {"macro:hand": [[0.0, 0.0], [1.0, 1.0]], "pitch_bend": [[0.0, 0.0], [1.0, 1.0]]}
        head = {"format": "jorvik-phrase", "version": 1, "tempo_bpm": 60, "bars": 1}
        played = [{"key": 48, "at": 0, "length": 2}]
        self.patch = self.patch.under(check_phrase({**head, "played": played, "controls": lanes}))
        found = self.traced().lanes
        self.assertAlmostEqual(float(found["pitch"].value.max()), 12.0, places=6)
        for name, total in (("cutoff", 20 / 12), ("wavetable_position", 0.3), ("pan", -0.4)):
            values = found[name].value
            values = np.log2(values) if name == "cutoff" else values
            self.assertAlmostEqual(float(values[RATE + 10] - values[0]), total, places=3)


if __name__ == "__main__":
    unittest.main()
