"""The results of a work as one table: a row a piece, as CSV and as Parquet, and read again."""

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, Final

from jorvik.bank.doing import ASIDE, FAILED, Row, write_whole
from jorvik.bank.pieces import Plan

TABLE: Final = "results"

Record = dict[str, Any]
"""A row of the table: what it is of, what became of it, its figures."""


def records(plan: Plan, rows: Mapping[str, Row]) -> list[Record]:
    """Return a record for each piece in the plan's order, and for what was left alone."""
    found = []
    for piece in plan.pieces:
        row = rows.get(piece.id) or Row(piece.id, ASIDE, "Stopped before it was reached.")
        taken = {"state": row.state, "said": row.said, "seconds_taken": round(row.seconds_taken, 4)}
        found.append({**piece.place, **taken, **row.figures, "files": row.files, "id": piece.id})
    for entry in plan.unfit:
        state = ASIDE if entry.document is None else FAILED
        found.append({"patch": "", "file": entry.file, "phrase": "", "state": state, "said": entry.trouble})
    return found


def write_table(found: Sequence[Record], folder: Path) -> None:
    """Write records as CSV and as Parquet; lists stand in them as JSON."""
    import io

    import pyarrow as arrow
    import pyarrow.csv
    import pyarrow.parquet

    table = arrow.Table.from_pylist(_flat(found)) if found else arrow.table({"patch": []})
    for write, ending in ((pyarrow.csv.write_csv, "csv"), (pyarrow.parquet.write_table, "parquet")):
        buffer = io.BytesIO()
        write(table, buffer)
        write_whole(folder / f"{TABLE}.{ending}", buffer.getvalue())


def _flat(found: Sequence[Record]) -> list[Record]:
    """Return records of the same columns each: numbers as floats where one of them is, lists as text."""
    names = list(dict.fromkeys(name for record in found for name in record))
    broken = {name for name in names if any(isinstance(record.get(name), float) for record in found)}

    def cell(name: str, value: Any) -> Any:
        if isinstance(value, list | dict):
            return json.dumps(value, ensure_ascii=False)
        return float(value) if name in broken and isinstance(value, int) else value

    return [{name: cell(name, record.get(name)) for name in names} for record in found]


def read_table(folder: Path) -> list[Record]:
    """Return the records of a folder that a work was done in before; lists are lists again.

    Raises FileNotFoundError where there is no table.
    """
    import pyarrow.parquet

    found: list[Record] = pyarrow.parquet.read_table(folder / f"{TABLE}.parquet").to_pylist()
    return [{name: _listed(value) for name, value in record.items()} for record in found]


def _listed(value: Any) -> Any:
    return json.loads(value) if isinstance(value, str) and value.startswith(("[", "{")) else value
