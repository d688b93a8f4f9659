"""What the command line does with everything that is kept."""

import argparse
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path

from sqlalchemy import Engine

from jorvik.core.problems import Problem
from jorvik.store.backup import backup as write_backup
from jorvik.store.backup import check_backup
from jorvik.store.backup import restore as put_back
from jorvik.store.cluster import Cluster, ClusterProblem, data_folder, only_one
from jorvik.store.database import connect, migrate

_Counts = dict[str, int]


@contextmanager
def _database() -> Iterator[Engine]:
    """Have the database up for as long as it takes, and leave it as it was found."""
    folder = data_folder()
    folder.mkdir(parents=True, exist_ok=True)
    cluster = Cluster(folder)
    was_up = cluster.is_up()
    try:
        engine = connect(cluster.ensure_started())
    except ClusterProblem as problem:
        raise Problem("the database", "none that runs", str(problem)) from None
    try:
        migrate(engine)
        yield engine
    finally:
        engine.dispose()
        if not was_up:
            cluster.stop()


def _said(did: str, counts: _Counts, path: Path) -> str:
    parts = [f"{counts.get(name, 0)} {words}" for name, words in _WORDS.items()]
    return f"{did} {path}: {', '.join(parts)}."


_WORDS = {"documents": "documents", "revisions": "versions", "banks": "banks", "log_entries": "entries of the logbook"}


def backup(args: argparse.Namespace) -> None:
    """Write everything that is kept into one file; Jorvik may run meanwhile."""
    with _database() as engine:
        print(_said("Wrote", write_backup(engine, args.file), args.file))


def restore(args: argparse.Namespace) -> None:
    """Put everything back from one file, after what is there now was written into another beside it."""
    check_backup(args.file)
    folder = data_folder()
    folder.mkdir(parents=True, exist_ok=True)
    with only_one(folder) as alone:
        if not alone:
            raise Problem("Jorvik", "running", "stopped while everything is put back; what is open would write over it")
        with _database() as engine:
            before = args.file.with_name(f"before-restore-{datetime.now():%Y%m%d-%H%M%S}.zip")
            write_backup(engine, before)
            print(f"What was there is in {before}.", file=sys.stderr)
            print(_said("Put back", put_back(engine, args.file), args.file))
