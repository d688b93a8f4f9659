"""Dips of a level under the strokes of a hit track, added to a patch."""

from typing import Any, Final

from jorvik.core.document.patch import Patch, edited, fresh_id
from jorvik.core.signals import hit_signal

ATTACK_S: Final = 0.0022
"""Time constant of the fall.

A dip of 20 dB is within 1 dB of its floor after 9.5 ms, and does not click.
"""
RELEASE_S: Final = 0.06


def with_dips(
    patch: Patch,
    track: str,
    destination: str,
    depth_db: float,
    base: dict[str, float] | None = None,
    without_routes: tuple[str, ...] = (),
) -> Patch:
    """Return a patch whose destination dips at each stroke of a track.

    A follower listens to the track, a mix inverts it, and a scaling route multiplies the destination by it, so
    that the depth is exact whatever else moves the level, and nothing is clamped.

    Parameters
    ----------
    patch
        The patch under a phrase with the track.
    track, destination
        The id of the track, and a destination of the voice with a linear level.
    depth_db
        The depth of the dip under a stroke of full strength, in dB.
    base, without_routes
        Set values changed and routes left out at the same time, see :func:`jorvik.core.document.patch.edited`.

    Raises
    ------
    Problem
        Where the patch has as many sources or routes as a patch may have.
    """
    taken = [*patch.modules_by_id]
    follower = fresh_id(f"under {track}", taken)
    room = fresh_id(f"room for {track}", [*taken, follower])
    modules: tuple[dict[str, Any], ...] = (
        {
            "id": follower,
            "kind": "follower",
            "input": hit_signal(track),
            "attack_s": ATTACK_S,
            "release_s": RELEASE_S,
        },
        {"id": room, "kind": "mix", "inputs": [{"source": follower, "gain": -1.0, "offset": 1.0}]},
    )
    route = {
        "id": fresh_id(f"{room} to {destination}", patch.routes_by_id),
        "source": room,
        "destination": destination,
        "amount": 1.0 - float(f"{10.0 ** (-depth_db / 20.0):.4g}"),
        "mode": "scale",
    }
    return edited(patch, base=base, without_routes=without_routes, more_modules=modules, more_routes=(route,))
