"""What the command line does with everything that is kept."""

import argparse
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path

from sqlalchemy import Engine

from jorvik.core.problems import Problem, shown
from jorvik.formats.archive import from_path, packed
from jorvik.place import private_folder
from jorvik.store.backup import backup as write_backup
from jorvik.store.backup import check_backup
from jorvik.store.backup import restore as put_back
from jorvik.store.bringing_in import Incoming, in_a_bank
from jorvik.store.bringing_in import bring_in as bring_all_in
from jorvik.store.cluster import Cluster, ClusterProblem, data_folder, only_one
from jorvik.store.database import connect, migrate
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import KINDS
from jorvik.store.library import LibraryStore, Query

_Counts = dict[str, int]


@contextmanager
def _database() -> Iterator[Engine]:
    """Have the database up for as long as it takes, and leave it as it was found."""
    folder = data_folder()
    private_folder(folder)
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


def bring_in(args: argparse.Namespace) -> int:
    """Keep every document in some files and folders; 1 where one of them is broken."""
    with _database() as engine:
        stores = {kind.name: DocumentStore(engine, kind) for kind in KINDS}
        library = LibraryStore(engine)
        broken = 0
        for path in args.paths:
            named, entries = from_path(path)
            incoming = [Incoming(entry.file, entry.document, entry.trouble) for entry in entries]
            brought = bring_all_in(incoming, stores, library)
            in_a_bank(brought, args.bank or named, library)
            wrong = [one for one in brought if one.trouble]
            broken += len(wrong)
            for one in wrong:
                print(f"{path}, {one.file}: {one.trouble}", file=sys.stderr)
            kept, alike = (sum(getattr(one, what) is not None for one in brought) for what in ("id", "alike"))
            print(f"{path}: {kept} kept, {alike} there already, {len(wrong)} not.")
    return 1 if broken else 0


def write_out(args: argparse.Namespace) -> None:
    """Write the documents of a bank, or of the whole library, as one zip with a manifest."""
    with _database() as engine:
        library = LibraryStore(engine)
        banks = {bank.name: bank.id for bank in library.banks()}
        if args.bank is not None and args.bank not in banks:
            raise Problem(
                "--bank", shown(args.bank), f"one of {', '.join(banks)}" if banks else "a bank; there is none"
            )
        query = Query(bank=banks[args.bank]) if args.bank is not None else Query()
        plurals = {kind.name: kind.plural for kind in KINDS}
        found = [(plurals[kind], document) for _, kind, document in library.drafts(library.ids(query))]
        if not found:
            raise Problem("the library", "nothing", "one document at least")
        args.out.write_bytes(packed(found, args.bank or "Library"))
        print(f"Wrote {args.out}: {len(found)} documents.")


def _said(did: str, counts: _Counts, path: Path) -> str:
    parts = [f"{counts.get(name, 0)} {words}" for name, words in _WORDS.items()]
    return f"{did} {path}: {', '.join(parts)}."


_WORDS = {"documents": "documents", "revisions": "versions", "banks": "banks", "log_entries": "entries of the logbook"}


def backup(args: argparse.Namespace) -> int:
    """Write everything that is kept into one file; Jorvik may run meanwhile.

    Returns 1 where a row was left out.
    """
    with _database() as engine:
        written = write_backup(engine, args.file)
    for row in written.left_out:
        print(f"Left out, because it cannot be written: {row}", file=sys.stderr)
    print(_said("Wrote", written.rows, args.file))
    return 1 if written.left_out else 0


def restore(args: argparse.Namespace) -> None:
    """Put everything back from one file, after what is there now was written into another beside it."""
    check_backup(args.file)
    folder = data_folder()
    private_folder(folder)
    with only_one(folder) as alone:
        if not alone:
            raise Problem("Jorvik", "running", "stopped while everything is put back; what is open would write over it")
        with _database() as engine:
            before = args.file.with_name(f"before-restore-{datetime.now():%Y%m%d-%H%M%S}.zip")
            write_backup(engine, before)
            print(f"What was there is in {before}.", file=sys.stderr)
            print(_said("Put back", put_back(engine, args.file), args.file))
