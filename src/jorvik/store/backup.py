"""Everything that is kept, in one file, and back: a zip with the rows of each table as lines of JSON."""

import base64
import json
import os
import struct
import uuid
import zipfile
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, Any, Final

from alembic import command
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, DateTime, Engine, LargeBinary, MetaData, Table, Uuid, insert, inspect, select, text

from jorvik.core.problems import Problem, shown
from jorvik.store.database import migration_config

MANIFEST: Final = "backup.json"
_FORMAT: Final = "jorvik-backup"
_VERSIONS: Final = "alembic_version"
_AT_ONCE: Final = 200
_DAMAGED: Final = (zipfile.BadZipFile, zlib.error, struct.error, EOFError, RuntimeError, KeyError, ValueError)
_WANTED: Final = "a backup that jv backup wrote, undamaged"


@dataclass(frozen=True)
class Written:
    """A backup that was written."""

    rows: dict[str, int]
    """The number of rows in the file, by table."""
    left_out: list[str]
    """For each row that cannot be written, its table, its identity and the reason."""


def backup(engine: Engine, path: Path) -> Written:
    """Write everything that is kept into a file, as it stands at one moment.

    The file is there in full or not at all, for its owner alone to read. A row that cannot be written is left out.
    """
    part = path.with_name(f"{path.name}.part")
    counts: dict[str, int] = {}
    left_out: list[str] = []
    with engine.connect().execution_options(isolation_level="REPEATABLE READ") as connection:
        connection.execute(text("SET LOCAL statement_timeout = 0"))
        revision = connection.scalar(text(f"SELECT version_num FROM {_VERSIONS}"))  # noqa: S608 (a name of our own)
        with _own_file(part) as own, zipfile.ZipFile(own, "w", zipfile.ZIP_DEFLATED) as archive:
            for table in _tables(connection):
                with archive.open(f"{table.name}.jsonl", "w", force_zip64=True) as file:
                    counts[table.name] = 0
                    for row in _rows(connection, table):
                        try:
                            line = json.dumps(row, ensure_ascii=False, allow_nan=False).encode() + b"\n"
                        except ValueError as error:
                            left_out.append(f"{table.name} {row.get('id', '')}: {error}")
                            continue
                        file.write(line)
                        counts[table.name] += 1
            made = datetime.now(UTC).isoformat(timespec="seconds")
            manifest = {"format": _FORMAT, "version": 1, "revision": revision, "made_at": made, "rows": counts}
            archive.writestr(MANIFEST, json.dumps(manifest, indent=2))
    part.replace(path)
    return Written(counts, left_out)


def _own_file(path: Path) -> IO[bytes]:
    """Open a new file that its owner alone can read and write."""
    path.unlink(missing_ok=True)
    return os.fdopen(os.open(path, os.O_RDWR | os.O_CREAT | os.O_EXCL, 0o600), "w+b")


def check_backup(path: Path) -> dict[str, Any]:
    """Return the list of a backup. Raises Problem where it is none, or was made by a newer Jorvik."""
    try:
        with zipfile.ZipFile(path) as archive:
            return _manifest(archive, migration_config())
    except Problem:
        raise
    except _DAMAGED as error:
        raise Problem(shown(path.name), shown(str(error)), _WANTED) from None


def restore(engine: Engine, path: Path) -> dict[str, int]:
    """Put everything back as it was in a file: what is there now goes. All of it is done, or nothing.

    A file of an older Jorvik is brought up to date. Raises Problem for one that is no backup, is damaged, or was made
    by a newer one.
    """
    config = migration_config()
    manifest = check_backup(path)
    try:
        with zipfile.ZipFile(path) as archive, engine.begin() as connection:
            connection.execute(text("SET LOCAL statement_timeout = 0"))
            config.attributes["connection"] = connection
            command.downgrade(config, "base")
            command.upgrade(config, manifest["revision"])
            counts = {table.name: _fill(connection, table, archive) for table in _tables(connection)}
            if counts != manifest["rows"]:
                raise Problem(shown(path.name), "other rows than its list says", "a backup as it was written")
            command.upgrade(config, "head")
    except Problem:
        raise
    except _DAMAGED as error:
        raise Problem(shown(path.name), shown(str(error)), _WANTED) from None
    return counts


def _manifest(archive: zipfile.ZipFile, config: Any) -> dict[str, Any]:
    try:
        manifest = json.loads(archive.read(MANIFEST))
    except KeyError:
        raise Problem("the file", f"a zip without {MANIFEST}", "a backup that jv backup wrote") from None
    if not isinstance(manifest, dict) or manifest.get("format") != _FORMAT:
        raise Problem("the file", shown(manifest), "a backup that jv backup wrote")
    known = {script.revision for script in ScriptDirectory.from_config(config).walk_revisions()}
    if manifest.get("version") != 1 or manifest.get("revision") not in known:
        found = f"version {manifest.get('version')}, tables of {shown(manifest.get('revision'))}"
        raise Problem("the backup", found, "one of this Jorvik, or of an older one: this one was made by a newer")
    return manifest


def _tables(connection: Connection) -> list[Table]:
    """Return the tables as they are now, each after those that it points to."""
    metadata = MetaData()
    names = [name for name in inspect(connection).get_table_names() if name != _VERSIONS]
    metadata.reflect(connection, only=names)
    return list(metadata.sorted_tables)


def _rows(connection: Connection, table: Table) -> Iterator[dict[str, Any]]:
    columns = [column for column in table.columns if column.computed is None]
    rows = connection.execution_options(yield_per=_AT_ONCE).execute(select(*columns))
    for row in rows.mappings():
        yield {name: _written(value) for name, value in row.items()}


def _written(value: Any) -> Any:
    if isinstance(value, bytes):
        return base64.b64encode(value).decode()
    return value.isoformat() if isinstance(value, datetime) else str(value) if isinstance(value, uuid.UUID) else value


def _fill(connection: Connection, table: Table, archive: zipfile.ZipFile) -> int:
    readers = {column.name: _reader(column.type) for column in table.columns}
    count, waiting = 0, []
    # What points to its own table comes after what it points to, or the first could not be put back.
    late: list[dict[str, Any]] = []
    own = [key.parent.name for key in table.foreign_keys if key.column.table is table]
    with archive.open(f"{table.name}.jsonl") as file:
        for line in file:
            row = {name: None if value is None else readers[name](value) for name, value in json.loads(line).items()}
            if own:
                late.append({"of": row["id"], **{name: row[name] for name in own}})
                row.update(dict.fromkeys(own))
            waiting.append(row)
            count += 1
            if len(waiting) == _AT_ONCE:
                connection.execute(insert(table), waiting)
                waiting = []
    if waiting:
        connection.execute(insert(table), waiting)
    for one in late:
        pointing = {name: value for name, value in one.items() if name != "of" and value is not None}
        if pointing:
            connection.execute(table.update().where(table.c.id == one["of"]).values(**pointing))
    return count


def _reader(kind: Any) -> Callable[[Any], Any]:
    """Return what makes a column's value of what stands in the file."""
    if isinstance(kind, LargeBinary):
        return base64.b64decode
    if isinstance(kind, DateTime):
        return datetime.fromisoformat
    return uuid.UUID if isinstance(kind, Uuid) else lambda value: value
