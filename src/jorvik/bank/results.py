"""The results of a work as one table: a row a piece, as CSV and as Parquet, and read again."""

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, Final

from jorvik.bank.doing import ASIDE, FAILED, Row, write_whole
from jorvik.bank.pieces import Plan

TABLE: Final = "results"

_JSON_COLUMNS: Final = b"jorvik.json"
_TYPED: Final = ("patch", "file", "phrase", "said", "state", "id", "map", "map_said")
"""Columns with texts that a user wrote, or a sentence."""

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
    """Write records as CSV and as Parquet.

    Columns that hold lists anywhere hold JSON everywhere; the Parquet file names them. Texts that a spreadsheet would
    take for a formula begin with an apostrophe in the CSV file.
    """
    import io

    import pyarrow as arrow
    import pyarrow.csv
    import pyarrow.parquet

    flat, listed = _flat(found)
    table = arrow.Table.from_pylist(flat) if flat else arrow.table({"patch": []})
    plain = arrow.Table.from_pylist([{k: _no_formula(v) for k, v in row.items()} for row in flat]) if flat else table
    kept = table.replace_schema_metadata({_JSON_COLUMNS: json.dumps(listed)})
    for write, rows, ending in (
        (pyarrow.csv.write_csv, plain, "csv"),
        (pyarrow.parquet.write_table, kept, "parquet"),
    ):
        buffer = io.BytesIO()
        write(rows, buffer)
        write_whole(folder / f"{TABLE}.{ending}", buffer.getvalue())


def _no_formula(value: Any) -> Any:
    return f"'{value}" if isinstance(value, str) and value.startswith(("=", "+", "-", "@", "\t", "\r")) else value


def _flat(found: Sequence[Record]) -> tuple[list[Record], list[str]]:
    """Return records of the same columns each, and the columns that hold JSON.

    Numbers are floats where one of their column is.
    """
    names = list(dict.fromkeys(name for record in found for name in record))
    broken = {name for name in names if any(isinstance(record.get(name), float) for record in found)}
    listed = [name for name in names if any(isinstance(record.get(name), list | dict) for record in found)]

    def cell(name: str, value: Any) -> Any:
        if name in listed:
            return None if value is None else json.dumps(value, ensure_ascii=False)
        return float(value) if name in broken and isinstance(value, int) else value

    return [{name: cell(name, record.get(name)) for name in names} for record in found], listed


def read_table(folder: Path) -> list[Record]:
    """Return the records of a folder that a work was done in before; lists are lists again.

    Raises FileNotFoundError where there is no table.
    """
    import pyarrow.parquet

    table = pyarrow.parquet.read_table(folder / f"{TABLE}.parquet")
    found: list[Record] = table.to_pylist()
    named = (table.schema.metadata or {}).get(_JSON_COLUMNS)
    # Tables from before the columns were named: lists stand only where the user wrote nothing.
    listed = set(json.loads(named)) if named else {name for name in table.column_names if name not in _TYPED}
    return [{name: _listed(value) if name in listed else value for name, value in record.items()} for record in found]


def _listed(value: Any) -> Any:
    return json.loads(value) if isinstance(value, str) and value.startswith(("[", "{", '"')) else value
