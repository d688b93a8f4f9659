"""Cost against the number of modules and against length, drawn into ``docs/cost.png``."""

import time
from collections.abc import Callable, Sequence

import matplotlib as mpl
import matplotlib.pyplot as plt
import numpy as np
from matplotlib.axes import Axes

from benchmarks.workloads import Json, run_all, twenty
from jorvik.core.document.patch import check_patch
from jorvik.place import ROOT

COUNTS = (1, 4, 8, 16, 24, 32, 40, 48, 56, 64)
SECONDS = (1.0, 5.0, 10.0, 20.0, 30.0, 40.0, 50.0, 60.0)
TURNS = 7


def chain(count: int, seconds: float) -> Json:
    """Return ``count`` slews one after the other, a route from each."""
    modules = [{"id": f"m{i}", "kind": "slew", "input": f"m{i - 1}" if i else "gate"} for i in range(count)]
    routes = [{"id": f"r{i}", "source": f"m{i}", "destination": "cutoff", "amount": 0.1} for i in range(count)]
    performance = {"notes": [{"length_s": seconds - 0.5}], "tail_s": 0.5}
    return {"format": "jorvik-patch", "version": 1, "performance": performance, "modules": modules, "routes": routes}


def ring(count: int, seconds: float) -> Json:
    """Return the same with the first slew reading the last."""
    document = chain(count, seconds)
    document["modules"][0]["input"] = f"m{count - 1}"
    return document


def mixed(seconds: float) -> Json:
    """Return the benchmark's 20 modules and 20 routes at another length."""
    performance = {"notes": [{"length_s": seconds - 0.5}], "tail_s": 0.5}
    return {**twenty(), "performance": performance}


def least(document: Json) -> float:
    """Return the least milliseconds of several runs: what is above it is the machine's other work."""
    work = run_all(check_patch(document))
    work()
    taken = []
    for _ in range(TURNS):
        begin = time.perf_counter()
        work()
        taken.append(time.perf_counter() - begin)
    return min(taken) * 1000.0


def draw(
    axes: Axes, x: Sequence[float], documents: Callable[[float], Json], name: str, marker: str
) -> tuple[float, float]:
    """Draw a series with its straight line, and return the slope and the share of variance that the line explains."""
    y = np.array([least(documents(value)) for value in x])
    slope, offset = np.polyfit(x, y, 1)
    explained = float(np.corrcoef(x, y)[0, 1] ** 2)
    axes.plot(x, y, marker, label=f"{name}: {slope:.3g} ms each, r² {explained:.4f}")
    axes.plot(x, np.polyval([slope, offset], x), "-", color="0.6", linewidth=1)
    return float(slope), explained


def plots() -> None:
    """Measure, draw, and print the fits."""
    mpl.use("Agg")
    figure, (left, right) = plt.subplots(1, 2, figsize=(11, 4.2), layout="constrained")
    for documents, name, marker in ((chain, "one after the other", "o"), (ring, "in one loop", "s")):
        fit = draw(left, COUNTS, lambda n, of=documents: of(int(n), 2.0), name, marker)  # type: ignore[misc]
        print(f"cost against modules, {name}: {fit[0]:.3g} ms a module and route over 2 s, r2 {fit[1]:.4f}")
    left.set(xlabel="modules, each with a route", ylabel="ms", title="2 s at 48 kHz, against the number of modules")
    fit = draw(right, SECONDS, mixed, "20 modules, 20 routes", "o")
    print(f"cost against length: {fit[0]:.3g} ms a second, r2 {fit[1]:.4f}")
    right.set(xlabel="seconds", ylabel="ms", title="20 modules and 20 routes, against length")
    for axes in (left, right):
        axes.set(xlim=(0, None), ylim=(0, None))
        axes.legend(frameon=False)
    figure.savefig(ROOT / "docs" / "cost.png", dpi=100)
