"""Work over a bank: two processes against one, the engine around it against a plain loop, memory, two hosts.

Run alone: ``.venv/bin/python -m benchmarks.banks``; it takes some minutes, so ``-m benchmarks`` leaves it out.
"""

import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
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
from jorvik.core.voice.warm import warm
from jorvik.formats.archive import Entry

PATCHES = 200
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


def looped(some: Sequence[Piece]) -> float:
    """Return the seconds that a plain loop in this process takes for some pieces."""
    began = time.perf_counter()
    for piece in some:
        do(piece, Limits(), engine_version(), None)
    return time.perf_counter() - began


def side_by_side(some: Sequence[Piece]) -> float:
    """Return the seconds that two plain processes take, each with a loop over every other piece: what is to be had."""
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        list(pool.map(looped, [some[:8], some[8:16]]))
        began = time.perf_counter()
        list(pool.map(looped, [some[::2], some[1::2]]))
        return time.perf_counter() - began


def speed() -> None:
    """Print how much faster two workers are than one, beside two plain loops; and one than one."""
    some = pieces(PATCHES, (36.0, 48.0, 60.0), (40.0, 80.0, 118.0), 0.3)
    taken = {}
    for workers in (1, 2):
        with cluster(workers, None, Limits()) as client:
            worked(client, some[:8])
            taken[workers] = worked(client, some)
            print(f"{len(some)} pieces on {workers} workers: {taken[workers]:.1f} s", flush=True)
    warm()
    looped(some[:8])
    loop, both = looped(some), side_by_side(some)
    print(f"in a loop in one process: {loop:.1f} s; in two such processes: {both:.1f} s", flush=True)
    print(f"two workers against one: {taken[1] / taken[2]:.2f} times (aim: at least 1.8)")
    print(f"two plain loops against one: {loop / both:.2f} times: so much is in this machine")
    print(f"one worker against the loop: {100 * (taken[1] / loop - 1):+.1f} % (aim: at most +10 %)")
    print(f"two workers against two loops: {100 * (taken[2] / both - 1):+.1f} %")
    print(f"a piece: {1000 * loop / len(some):.0f} ms", flush=True)


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
        quiet: dict[str, Any] = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
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
