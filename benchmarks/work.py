"""The sheet while judgements are under way, beside the sheet alone; and the server's memory over many edits."""

import http.client
import itertools
import json
import threading
import time
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.workloads import demo
from jorvik.core.compiling import compile_engine
from jorvik.web.services.scheduler import WorkKind
from tests.support import Served, stop_everything

SHEETS = 120
EDITS = 2000


def work() -> None:
    """Print both."""
    compile_engine()
    served = Served()
    try:
        under_judgements(served)
        memory(served)
    finally:
        served.stop()
        stop_everything()


def under_judgements(served: Served) -> None:
    """Print the median time of a sheet under two judgements that never end, against alone, in turns."""
    stop = threading.Event()
    judging = threading.Event()
    number = itertools.count()

    def judge() -> None:
        patch = demo("ferry-horn")
        while not stop.is_set():
            if judging.wait(0.1):
                patch["performance"]["seed"] = next(number)
                post(served, "judge", {"document": patch, "rate": 48_000})

    threads = [threading.Thread(target=judge, daemon=True) for _ in range(2)]
    for thread in threads:
        thread.start()
    alone: list[float] = []
    beside: list[float] = []
    bell = demo("barge-bell")
    for turn in range(6):
        judging.set() if turn % 2 else judging.clear()
        time.sleep(1.5)
        for i in range(SHEETS // 6):
            bell["routes"][0]["amount"] = 10.0 + 0.01 * next(number) + i
            begin = time.perf_counter()
            post(served, "sheet", {"document": bell, "columns": 900})
            (beside if turn % 2 else alone).append(time.perf_counter() - begin)
            time.sleep(0.02)
    stop.set()
    judging.set()
    a, b = np.median(beside), np.median(alone)
    print(
        f"the sheet under two judgements: {a * 1000:.1f} ms against {b * 1000:.1f} ms alone, ratio {a / b:.2f} "
        f"(aim: at most 1.5); 95th percentiles {np.percentile(beside, 95) * 1000:.0f} and "
        f"{np.percentile(alone, 95) * 1000:.0f} ms"
    )


def memory(served: Served) -> None:
    """Print what every process of the server has grown to after a hundred edits of a heavy patch, half, and all.

    The one that makes sounds keeps some: the last 40 or so, which it has after some eight hundred edits here.
    """
    heavy = demo("ferry-horn")
    found = {}
    for i in range(1, EDITS + 1):
        heavy["routes"][0]["amount"] = 5.0 + 0.001 * i
        post(served, "sheet", {"document": heavy, "columns": 900})
        if i % 20 == 0:
            post(served, "judge", {"document": heavy, "rate": 48_000})
            post(served, "prepare", {"document": heavy})
        if i in (100, EDITS // 2, EDITS):
            found[i] = sum(resident(pid) for pid in pids(served))
    grown = ", ".join(f"{of / 1e6:.0f} MB after {edits} edits" for edits, of in found.items())
    more = 100 * (found[EDITS] / found[EDITS // 2] - 1)
    print(f"memory of the processes that compute: {grown}; the second half adds {more:+.1f} % (aim: flat)")


def pids(served: Served) -> list[int]:
    """Return the processes that compute."""
    kinds: tuple[WorkKind, ...] = ("sheet", "sound", "judgement", "jobs")
    return [pid for kind in kinds for pid in served.scheduler.pids(kind)]


def resident(pid: int) -> int:
    """Return the bytes of memory that a process has to itself."""
    lines = Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines()
    return 1024 * sum(int(line.split()[1]) for line in lines if line.startswith(("Private_Clean", "Private_Dirty")))


def post(served: Served, path: str, body: Any) -> bytes:
    """Send a request and return the answer's body."""
    connection = http.client.HTTPConnection("127.0.0.1", served.port, timeout=600)
    connection.request("POST", f"/api/{path}", json.dumps(body), {"Content-Type": "application/json"})
    answer = connection.getresponse()
    data = answer.read()
    connection.close()
    if answer.status >= 300:
        raise RuntimeError(data.decode()[:300])
    return data


if __name__ == "__main__":
    work()
