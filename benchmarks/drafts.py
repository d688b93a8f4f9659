"""An edit of a draft as operations, against the whole document, over HTTP in one run."""

import base64
import json
import uuid
from itertools import count

import numpy as np

from benchmarks.timing import compared
from benchmarks.workloads import demo
from jorvik.core.document.voice_settings import OWN_FRAMES, OWN_SAMPLES, OWN_TABLES
from tests.support import Served, stop_everything
from tests.trials.served import ask


def drafts() -> None:
    """Print the bytes and the time of an edit of a patch with as many wavetables of its own as it may have."""
    rng = np.random.default_rng(5)
    patch = demo("ferry-horn")
    oscillators = patch["voice"].setdefault("oscillators", {})
    oscillators["tables"] = [
        {"name": f"table{number}", "cycles": base64.b64encode(rng.bytes(2 * OWN_FRAMES * OWN_SAMPLES)).decode()}
        for number in range(OWN_TABLES)
    ]
    served = Served()
    paths, sizes = [], {}
    for _ in range(2):
        made = json.loads(ask(served.port, "POST", "/api/patches", json.dumps({"document": patch}).encode()).body)
        paths.append(f"/api/patches/{made['id']}")
    sequences, amounts = [count(1), count(1)], count(1)

    def send(method: str, path: str, body: object) -> None:
        text = json.dumps(body).encode()
        sizes[method] = len(text)
        answer = ask(served.port, method, path, text)
        assert answer.status == 200, answer.body[:300]

    def operations() -> None:
        change = {"op": "set", "at": ["routes", "0", "amount"], "value": next(amounts) / 1000}
        body = {"operations": [change], "sequence": next(sequences[0]), "write": uuid.uuid4().hex}
        send("POST", f"{paths[0]}/edits", body)

    def whole() -> None:
        patch["routes"][0]["amount"] = next(amounts) / 1000
        body = {"document": patch, "sequence": next(sequences[1]), "write": uuid.uuid4().hex}
        send("PUT", f"{paths[1]}/draft", body)

    ours, theirs, ratio = compared(operations, whole)
    print(
        f"an edit kept as operations: {sizes['POST']} bytes (aim: under 2000) against {sizes['PUT']}, "
        f"{1000 * ours:.1f} ms against {1000 * theirs:.1f} ms with the whole document, ratio {ratio:.2f}"
    )
    served.stop()
    stop_everything()
