"""Requests made up from a seed, half of them broken: no fault of the server's own, nothing that is no number."""

import base64
import copy
import io
import json
import re
import unittest
import uuid
from collections import Counter
from collections.abc import Callable
from typing import Any, ClassVar

import numpy as np
import soundfile

from jorvik.core.units.values import UNITS
from tests.support import Json, Served, document
from tests.trials.served import LONG, Answer, ask, resident, seed_of
from tests.trials.wild import ODD_TEXTS, ODD_VALUES, Wild

REQUESTS = 20_000 if LONG else 240
MOST_BYTES = 2_000_000_000

KILLER = document(
    [{"id": "c", "kind": "constant", "value": 100}],
    [{"source": "c", "destination": "fm_index", "amount": 0, "bend": -12}],
)
NAUGHTY: list[Json] = [
    KILLER,
    document(
        [{"id": "e", "kind": "envelope", "mode": "loop", "attack_s": 0, "decay_s": 0.1}, {"id": "l", "kind": "lfo"}],
        [
            {"source": "l", "destination": "e.decay_s", "amount": -0.2},
            {"source": "e", "destination": "cutoff", "amount": 24},
        ],
    ),
    document(
        [
            {"id": "a", "kind": "mix", "inputs": [{"source": "b", "gain": 3.0, "offset": 1.0}]},
            {"id": "b", "kind": "shape", "input": "a", "gain": 2.0},
        ]
    ),
    document(voice={"mode": "mono"}, performance={"notes": [{"key": 40}, {"key": 47}, {"key": 52}]}),
    document([{"id": "c", "kind": "clock", "rate": 0.0}, {"id": "f", "kind": "filter", "input": "c"}]),
    document([{"id": f"s{i}", "kind": "steps", "step": 1e-4, "loop": True} for i in range(2)]),
    document(
        [{"id": "r", "kind": "random"}, {"id": "c", "kind": "constant", "value": -1.0}],
        [
            {"source": "c", "destination": "r.rate", "amount": 1100},
            {"source": "r", "destination": "pitch", "amount": 1},
        ],
    ),
    document(
        [{"id": "c", "kind": "constant", "value": 1e6}, {"id": "q", "kind": "quantise", "input": "c"}],
        [{"source": "q", "destination": "pitch", "amount": 12}],
    ),
    document(performance={"notes": [{"length_s": 1e-5}], "tail_s": 0.0}, voice={"base": {"send_reverb": 1.0}}),
    # Its only note begins as the run ends.
    document(
        [{"id": "e", "kind": "envelope"}],
        [{"source": "e", "destination": "amplitude", "amount": -0.5}],
        performance={"notes": [{"start_s": 0.24851556162680416, "length_s": 1e-5}], "tail_s": 0.0},
    ),
]
"""Patches that once ended in a fault, or in the server's end."""

TYPED = ("1 / 1e-320", "1e308 + 1e308", "1 * 1e999", "C3 + 1e9st", "1 * 1e308 * 1e308", "*2", "180ms", "1/8d", "-6 dB")


class Fuzz(unittest.TestCase):
    served: ClassVar[Served]

    @classmethod
    def setUpClass(cls) -> None:
        cls.served = Served()
        cls.addClassCleanup(cls.served.stop)

    def post(self, path: str, body: Any) -> Answer:
        """Send a body as JSON, which may hold halves of letters and numbers past all."""
        text = json.dumps(body).encode("utf-8", "surrogatepass")
        method = "PUT" if path.startswith("jobs/") else "POST"
        return ask(self.served.port, method, f"/api/{path}", text)

    def check(self, path: str, body: Any, answer: Answer) -> None:
        """Look at one answer."""
        about = f"{path} {json.dumps(body)[:3000]}"
        self.assertNotIn(answer.status, (500, 502, 504), f"{answer.body[:600]!r} to {about}")
        self.assertNotIn(b"stopped the process", answer.body[:600], about)
        kind = answer.headers.get("content-type", "")
        if "json" in kind and "ndjson" not in kind:
            text = answer.body.decode()
            json.loads(text, parse_constant=lambda name: self.fail(f"{name} in the answer to {about}"))
            if answer.status in (400, 422):
                self.assertIn("must be", json.loads(text)["sentence"])
            if path == "judge" and answer.status == 200:
                said = " ".join(f["sentence"] + f["why"] for f in json.loads(text)["findings"])
                said += " ".join(r["said"] for r in json.loads(text)["figures"])
                self.assertIsNone(re.search(r"\b(nan|inf)\b", said), about)
            if path == "sheet" and answer.status == 200:
                for lane in json.loads(text)["lanes"].values():
                    row = np.frombuffer(base64.b64decode(lane["value"]["first"]), dtype="<f4")
                    self.assertTrue(np.isfinite(row).all(), about)
        if kind == "audio/wav" and answer.status == 200 and path == "sound":
            samples, _ = soundfile.read(io.BytesIO(answer.body))
            self.assertTrue(np.isfinite(samples).all(), about)
            self.assertLessEqual(float(np.abs(samples).max(initial=0.0)), 1.0, about)
            self.assertTrue(all(np.isfinite(float(answer.headers[h])) for h in ("x-limited-db", "x-loudness-lufs")))

    def test_what_once_ended_in_a_fault(self) -> None:
        for doc in NAUGHTY:
            asked: tuple[tuple[str, Json], ...] = (
                ("judge", {}),
                ("sheet", {"columns": 50}),
                ("sound", {}),
                ("look", {}),
            )
            for path, fields in asked:
                with self.subTest(path=path, patch=str(doc["modules"])[:60]):
                    self.check(path, doc, self.post(path, {"document": doc, **fields}))
        for text in TYPED:
            for present in (None, "zz", "1/8", 0.5):
                body = {"text": text, "unit": "Hz", "present": present, "note_values": True}
                with self.subTest(text=text, present=present):
                    self.check("value", body, self.post("value", body))
        doc = document()
        bad: tuple[tuple[str, Json], ...] = (
            ("stretch", {"lane": "pitch", "from_s": 0, "to_s": 1e308}),
            *((path, {"rate": rate}) for path in ("prepare", "look") for rate in (-1, 0, 10**12)),
            ("sheet", {"to_s": 1e308}),
        )
        for path, fields in bad:
            self.assertEqual(self.post(path, {"document": doc, **fields}).status, 422, path)
        self.assertEqual(ask(self.served.port, "GET", "/api/health").status, 200)

    def test_made_up_and_broken(self) -> None:
        seed = seed_of("requests made up")
        wild = Wild(seed)
        statuses: Counter[int] = Counter()
        for number in range(REQUESTS):
            path, body = self.made_up(wild)
            if wild.rng.random() < 0.5:
                body = wild.broken(body)
            with self.subTest(number=number, path=path):
                answer = self.post(path, body)
                statuses[answer.status] += 1
                self.check(path, body, answer)
            if number % 1000 == 999:
                print(f"{number + 1} requests", flush=True)
        lanes: tuple[Any, ...] = ("sheet", "sound", "heavy", "judgement", "jobs")
        sizes = [resident(pid) for lane in lanes for pid in self.served.scheduler.pids(lane)]
        print(f"{REQUESTS} requests: {dict(statuses)}; processes of {[f'{size / 1e6:.0f} MB' for size in sizes]}")
        self.assertLess(max(sizes, default=0), MOST_BYTES)
        self.assertGreater(statuses[200], REQUESTS // 10)
        self.assertGreater(statuses[422], REQUESTS // 10)
        self.assertEqual(ask(self.served.port, "GET", "/api/health").status, 200)

    def made_up(self, wild: Wild) -> tuple[str, Json]:
        """Return a path and a body that it takes, most of the time."""
        rng, doc = wild.rng, wild.document()
        lane = rng.choice(["pitch", "cutoff", "amplitude", "m0.rate", "nothing"])
        kinds: dict[str, Callable[[], Json]] = {
            "sheet": lambda: {"document": doc, "columns": rng.randint(1, 400), "velocities": [rng.uniform(0, 127)]},
            "judge": lambda: {"document": doc},
            "sound": lambda: {"document": doc, "depth": rng.choice(["16", "24", "32f"])},
            "look": lambda: {"document": doc, "at_s": rng.uniform(0, 1), "columns": 40},
            "compare": lambda: {"document": doc, "by": "velocity", "steps": [1, 127], "others": [wild.document(2)]},
            "levels": lambda: {"document": doc, "by": "key", "steps": [24, 60]},
            "reached": lambda: {"document": doc, "lane": lane, "keys": [40], "velocities": [1, 127]},
            "stretch": lambda: {"document": doc, "lane": lane, "from_s": 0.0, "to_s": rng.uniform(0, 0.5)},
            "jobs/": lambda: {"document": doc, "kind": "voltage", "name": f"lane.{lane}"},
            "value": lambda: {"text": rng.choice([*TYPED, *ODD_TEXTS]), "unit": rng.choice([*UNITS])},
            "read": lambda: {"text": json.dumps(rng.choice([doc, *ODD_VALUES]))},
            "patches": lambda: {"document": doc, "write": f"fuzz-{rng.randrange(10**9)}"},
            "harmonics": lambda: {"document": doc, "table": "ladder", "position": rng.random()},
            "cycles": lambda: {"data": base64.b64encode(self.wav(wild)).decode()},
            "assist/sentence": lambda: {"document": doc, "text": f"m0 raises {lane} 7 st, scaled by velocity"},
            "assist/changeable": lambda: {"document": doc, "lane": lane, "targets": [{"what": "peak", "value": 1.0}]},
            "assist/polarity": lambda: {"document": doc, "route": "r0", "polarity": "bipolar"},
            "assist/route": lambda: {"document": doc, "route": "r0", "to": "range"},
            "assist/figure": lambda: {
                "document": doc,
                "kind": "ringing",
                "about": {"what": "source", "id": "m0"},
                "name": "x",
                "value": 1e300,
            },
        }
        path = rng.choice(list(kinds))
        body = copy.deepcopy(kinds[path]())
        return path + (str(uuid.UUID(int=rng.getrandbits(128))) if path.endswith("/") else ""), body

    def wav(self, wild: Wild) -> bytes:
        """Return a WAV file of any packing, or one with some of its bytes made others."""
        rng = wild.rng
        samples = np.random.default_rng(rng.randrange(10**6)).uniform(-1, 1, (rng.choice([0, 1, 300, 4096]), 1))
        packing = rng.choice(["PCM_16", "PCM_24", "FLOAT", "DOUBLE", "ULAW", "GSM610", "G721_32", "IMA_ADPCM"])
        if packing in ("FLOAT", "DOUBLE") and rng.random() < 0.4 and samples.size:
            # Only these can hold them: the writer reads outside memory when it packs them otherwise.
            samples[0] = rng.choice([1e308, np.inf, np.nan, 1e30])
        buffer = io.BytesIO()
        try:
            soundfile.write(buffer, samples, 8000, subtype=packing, format="WAV")
        except (soundfile.SoundFileError, ValueError):
            return b"RIFF" + rng.randbytes(200)
        data = bytearray(buffer.getvalue())
        for _ in range(rng.choice([0, 0, 1, 5])):
            data[rng.randrange(len(data))] = rng.randrange(256)
        return bytes(data[: rng.choice([len(data), len(data) // 2])])


if __name__ == "__main__":
    unittest.main()
