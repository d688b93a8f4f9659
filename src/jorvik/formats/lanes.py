"""A played lane as CSV: a time in seconds and a value in each row."""

import csv
import io
import math
from collections.abc import Sequence
from typing import Final

from jorvik.core.limits import MAX_GESTURE_POINTS
from jorvik.core.problems import Problem, shown

COLUMNS: Final = ("time_s", "value")


def read_lane(data: bytes) -> list[list[float]]:
    r"""Return the points in a CSV file whose first row names its columns.

    Raises Problem with the row and what was found in it.

    >>> read_lane(b"time_s,value\n0,0.5\n1.5,1\n")
    [[0.0, 0.5], [1.5, 1.0]]
    """
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise Problem("the lane", "what is no text", "CSV in UTF-8") from error
    try:
        head, *rows = [*csv.reader(io.StringIO(text))] or [[]]
    except csv.Error as error:
        raise Problem("the lane", shown(str(error)), "CSV whose cells are numbers") from error
    if tuple(name.strip() for name in head) != COLUMNS:
        raise Problem("row 1 of the lane", shown(",".join(head)), f"the names of its columns, {','.join(COLUMNS)}")
    points: list[list[float]] = []
    for number, row in enumerate(rows, 2):
        if not row:
            continue
        if len(points) == MAX_GESTURE_POINTS:
            raise Problem("the lane", "more points", f"{MAX_GESTURE_POINTS} at most")
        try:
            time, value = (float(cell) for cell in row)
        except ValueError:
            time = value = math.nan
        if not (math.isfinite(time) and math.isfinite(value)):
            raise Problem(f"row {number} of the lane", shown(",".join(row)), "a time in seconds and a value")
        if points and time < points[-1][0]:
            raise Problem(f"row {number} of the lane", f"{time:g} s", f"not before {points[-1][0]:g} s, the row above")
        points.append([time, value])
    if not points:
        raise Problem("the lane", "no points", "one at least")
    return points


def write_lane(points: Sequence[Sequence[float]]) -> str:
    r"""Return points as CSV.

    >>> write_lane([[0.0, 0.5]])
    'time_s,value\n0.0,0.5\n'
    """
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(COLUMNS)
    rows.writerows(points)
    return out.getvalue()
