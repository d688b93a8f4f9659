"""Lanes of a phrase with fewer points, and the record of what that changed."""

from collections.abc import Mapping
from typing import Any

from jorvik.core.document.phrase import Phrase, Simplified, check_phrase
from jorvik.core.limits import MAX_POINTS
from jorvik.core.phrases.gesture import Points, Thinned, thinned, thinned_to


def with_simplified_lane(phrase: Phrase, lane: str, within: float) -> Phrase:
    """Return the phrase with one lane simplified and the record of it.

    Turning points are kept.

    A lane that was simplified before keeps its first number of points; the errors add up, as no point that was
    recorded lies further off than both together.

    Parameters
    ----------
    phrase
        The phrase that plays the lane.
    lane
        The name of the lane, one of ``phrase.controls``.
    within
        How far the new lines may pass a point of the lane, in the lane's unit.
    """
    found = thinned(phrase.controls[lane], within, keep_turns=True)
    record = _record(found, phrase.simplified.get(lane))
    document = phrase.document()
    return check_phrase(
        {
            **document,
            "controls": {**document["controls"], lane: found.points},
            "simplified": {**document.get("simplified", {}), lane: record},
        }
    )


def scaled_records(phrase: Phrase, lane: str, by: float) -> dict[str, Any]:
    """Return the records of a phrase, the error of one lane scaled."""
    records = phrase.document().get("simplified", {})
    if lane in records:
        records[lane] = {**records[lane], "greatest_error": abs(by) * records[lane]["greatest_error"]}
    return records


def within_limit(lanes: Mapping[str, Points]) -> dict[str, Any]:
    """Return lanes as fields of a phrase, with as many points as it may keep.

    A lane that loses points by that gets the record of it.
    """
    found = {name: thinned_to(points, MAX_POINTS) for name, points in lanes.items()}
    records = {name: _record(one) for name, one in found.items() if one.greatest_error > 0.0}
    fields: dict[str, Any] = {"controls": {name: one.points for name, one in found.items()}, "simplified": records}
    return {name: field for name, field in fields.items() if field}


def _record(found: Thinned, earlier: Simplified | None = None) -> dict[str, Any]:
    return {
        "points_before": earlier.points_before if earlier else found.points_before,
        "points_after": found.points_after,
        "greatest_error": found.greatest_error + (earlier.greatest_error if earlier else 0.0),
    }
