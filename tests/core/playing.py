"""A hand for the tests: what it does, what is heard of it, and what was played as a take."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from jorvik.core.document.take import Take, check_take
from jorvik.core.live.player import LivePlayer

Floats = np.ndarray[Any, np.dtype[np.float64]]
Acts = Mapping[int, Callable[[LivePlayer], object]]


def on(key: float, velocity: float = 96.0) -> Callable[[LivePlayer], object]:
    return lambda player: player.note_on(key, velocity)


def off(key: float) -> Callable[[LivePlayer], object]:
    return lambda player: player.note_off(key)


def turn(name: str, value: float) -> Callable[[LivePlayer], object]:
    return lambda player: player.control(name, value)


def heard(player: LivePlayer, acts: Acts, blocks: int) -> Floats:
    """What leaves in so many blocks, while something is done before some of them."""
    out = []
    for number in range(blocks):
        if number in acts:
            acts[number](player)
        out.append(player.block().samples)
    return np.concatenate(out)


def taken(player: LivePlayer, **fields: Any) -> Take:
    """What was played since nobody looked, as a take; the keys that are held end with it."""
    log = player.log()
    ends = dict(log.off)
    played = [
        {"key": key, "velocity": velocity, "on": first, "off": max(ends.get(number, player.now), first + 1)}
        for number, key, velocity, first in log.on
    ]
    tempo = player.patch.performance.tempo
    head = {"format": "jorvik-take", "version": 1, "rate": player.rate, "ends": player.now}
    told = {"tempo_bpm": tempo.bpm, "beats_per_bar": tempo.beats_per_bar, "patch": player.own.document()}
    return check_take({**head, **told, "played": played, "lanes": log.lanes, **fields})
