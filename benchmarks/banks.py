"""Work over a bank: two processes against one, the engine around it against a plain loop, memory, two hosts.

Run alone: ``.venv/bin/python -m benchmarks.banks``; it takes some minutes, so ``-m benchmarks`` leaves it out.
"""

import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from contextlib import ExitStack, contextmanager
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from distributed import Client

from benchmarks.workloads import demo
from jorvik.bank import journal
from jorvik.bank.doing import Limits, do
from jorvik.bank.pieces import Piece, engine_version, plan
from jorvik.bank.running import Told, cluster, run
from jorvik.bank.settings import BankSettings
from jorvik.core.cores import use_cores
from jorvik.formats.archive import Entry

PATCHES = 200
PARTS = 8
MEMORY_PIECES = 2000
_DEMOS = ("ferry-horn", "barge-bell", "grit-fold", "night-watch", "four-winds", "ice-choir", "tide-organ", "net-haul")


def pieces(
    count: int, keys: Sequence[float], velocities: Sequence[float], length_s: float | None = None
) -> list[Piece]:
    """Return so many patches, made of the demos and each another, at keys and velocities."""
    rng = random.Random(11)
    entries = []
    for number in range(count):
        made: dict[str, Any] = {**demo(rng.choice(_DEMOS)), "name": f"P{number}"}
        voice = made["voice"]
        made["voice"] = {**voice, "base": {**voice.get("base", {}), "cutoff": rng.uniform(200.0, 4000.0)}}
        entries.append(Entry(f"{number}.json", made))
    lengths = [] if length_s is None else [length_s]
    settings = BankSettings(work="measure", keys=list(keys), velocities=list(velocities), lengths_s=lengths)
    return plan(entries, settings).pieces


def worked(client: Client, some: list[Piece]) -> float:
    """Return the seconds that a cluster takes for some pieces."""
    with tempfile.TemporaryDirectory() as folder, journal.opened(Path(folder)) as rows:
        began = time.perf_counter()
        whole = run(
            client, some, rows, Limits(), Path(folder), from_workers=True, cancelled=lambda: False, told=lambda _: None
        )
        taken = time.perf_counter() - began
        assert whole and len(rows.rows) == len(some)
        return taken


def looped(some: Sequence[Piece]) -> None:
    """Do some pieces in a plain loop in this process."""
    for piece in some:
        do(piece, Limits(), engine_version(), None)


def speed() -> None:
    """Print what one worker and two take for the same pieces, beside one plain loop and two: a part each in turn.

    In turn, since what this machine has to give changes from minute to minute.
    """
    some = pieces(PATCHES, (36.0, 48.0, 60.0), (40.0, 80.0, 118.0), 0.3)
    with ExitStack() as stack:
        loops = stack.enter_context(
            ProcessPoolExecutor(2, mp_context=get_context("spawn"), initializer=use_cores, initargs=(1,))
        )
        one, two = (stack.enter_context(cluster(workers, None, Limits())) for workers in (1, 2))

        def timed(in_each: list[list[Piece]]) -> float:
            began = time.perf_counter()
            list(loops.map(looped, in_each))
            return time.perf_counter() - began

        ways: dict[str, Callable[[list[Piece]], float]] = {
            "one worker": lambda some: worked(one, some),
            "one loop": lambda some: timed([some]),
            "two workers": lambda some: worked(two, some),
            "two loops": lambda some: timed([some[::2], some[1::2]]),
        }
        taken = dict.fromkeys(ways, 0.0)
        for way in (*ways.values(), ways["two loops"]):
            way(some[:16])
        for first in range(PARTS):
            for name, way in ways.items():
                taken[name] += way(some[first::PARTS])
    for name, seconds in taken.items():
        print(f"{len(some)} pieces by {name}: {seconds:.1f} s, {1000 * seconds / len(some):.0f} ms each", flush=True)
    print(f"two workers against one: {taken['one worker'] / taken['two workers']:.2f} times (aim: at least 1.8)")
    print(f"two loops against one: {taken['one loop'] / taken['two loops']:.2f} times: so much is in this machine")
    print(f"one worker against one loop: {_more(taken['one worker'], taken['one loop'])} (aim: at most +10 %)")
    print(f"two workers against two loops: {_more(taken['two workers'], taken['two loops'])}", flush=True)


def _more(one: float, other: float) -> str:
    return f"{100 * (one / other - 1):+.1f} %"


def memory() -> None:
    """Print what the workers hold over many pieces."""
    some = pieces(MEMORY_PIECES // 2, (48.0,), (60.0, 100.0), 0.2)
    with cluster(2, None, Limits()) as client, tempfile.TemporaryDirectory() as folder:
        seen: list[tuple[int, float]] = []

        def told(so_far: Told) -> None:
            if so_far.done % 200 == 0:
                workers = client.scheduler_info()["workers"].values()
                seen.append((so_far.done, sum(worker["metrics"]["memory"] for worker in workers) / 1e6))

        with journal.opened(Path(folder)) as rows:
            run(client, some, rows, Limits(), Path(folder), from_workers=True, cancelled=lambda: False, told=told)
    print("memory of two workers, MB:", ", ".join(f"{done}: {held:.0f}" for done, held in seen))
    early = next(held for done, held in seen if done >= 200)
    print(f"from 200 pieces on to {MEMORY_PIECES}: {seen[-1][1] / early:.2f} times (aim: flat)")


_HOSTS = ("jorvik-a", "jorvik-b")
_ENV = {"DASK_DISTRIBUTED__WORKER__PROFILE__ENABLED": "False"}
"""What a cluster of one's own is begun with."""


@contextmanager
def two_hosts() -> Iterator[str]:
    """Have a scheduler here and a worker in each of two network namespaces, which stand in for two hosts."""

    def ip(*words: str) -> None:
        subprocess.run(["ip", *words], check=True)

    with ExitStack() as stack:
        for number, host in enumerate(_HOSTS):
            ip("netns", "add", host)
            stack.callback(ip, "netns", "del", host)
            ip("link", "add", f"jv{number}", "type", "veth", "peer", "name", "eth0", "netns", host)
            ip("addr", "add", f"10.97.{number}.1/24", "dev", f"jv{number}")
            ip("link", "set", f"jv{number}", "up")
            for words in (f"addr add 10.97.{number}.2/24 dev eth0", "link set eth0 up", "link set lo up"):
                ip("-n", host, *words.split())
            ip("-n", host, *f"route add default via 10.97.{number}.1".split())
        command = [sys.executable, "-m", "distributed.cli.dask_scheduler", "--port", "8797", "--no-dashboard"]
        quiet: dict[str, Any] = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "env": os.environ | _ENV}
        stack.callback(subprocess.Popen([*command, "--host", "0.0.0.0"], **quiet).kill)
        for number, host in enumerate(_HOSTS):
            worker = [sys.executable, "-m", "distributed.cli.dask_worker", f"tcp://10.97.{number}.1:8797"]
            inside = ["ip", "netns", "exec", host, *worker, "--nthreads", "1", "--no-dashboard"]
            stack.callback(subprocess.Popen([*inside, "--host", f"10.97.{number}.2"], **quiet).kill)
        yield "tcp://10.97.0.1:8797"


def hosts() -> None:
    """Print what two workers on two hosts take, where namespaces can be made."""
    if shutil.which("ip") is None:
        print("two hosts: not read off, as there is no ip here")
        return
    some = pieces(40, (36.0, 48.0, 60.0), (40.0, 80.0, 118.0), 0.3)
    with two_hosts() as address, cluster(0, address, Limits()) as client:
        client.wait_for_workers(2, timeout=60)
        worked(client, some[:8])
        taken = worked(client, some)
        print(f"{len(some)} pieces on two hosts over a network of namespaces: {taken:.1f} s")
        sent = _bytes_of("jv0") + _bytes_of("jv1")
        print(f"over the network: {sent / len(some) / 1e3:.1f} kB a piece, start of the workers included")
    with cluster(2, None, Limits()) as client:
        worked(client, some[:8])
        here = worked(client, some)
    print(f"on two processes here: {here:.1f} s; two hosts take {taken / here:.2f} times that")


def _bytes_of(link: str) -> int:
    folder = Path(f"/sys/class/net/{link}/statistics")
    return sum(int((folder / name).read_text()) for name in ("rx_bytes", "tx_bytes"))


if __name__ == "__main__":
    speed()
    memory()
    hosts()
