"""The command that works over a whole bank: a plan, then the work with its progress, then one table."""

import argparse
import json
import os
import signal
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, Final

from jorvik.bank.doing import Limits, write_whole
from jorvik.bank.pieces import Plan, plan
from jorvik.bank.settings import BankSettings, typed_notes
from jorvik.cli.bank_options import TLS_FILES
from jorvik.core.document.patch import read_document
from jorvik.core.problems import Problem, from_validation, shown
from jorvik.core.units.values import parse_value
from jorvik.core.units.words import counted, time_text

STOPPED: Final = 130
"""The exit code of a command that was stopped, as a shell has it."""

_LINE_S: Final = 10.0
_MOST_TOLD: Final = 200
_HANDED_OVER_S: Final = 60.0


def bank(args: argparse.Namespace) -> int:
    """Work over a bank: 1 where a finding is a fault, a piece failed or something moved; 130 where it was stopped."""
    from jorvik.bank import journal
    from jorvik.bank.against import moved
    from jorvik.bank.finishing import exit_code, finish, levelled
    from jorvik.bank.results import read_table
    from jorvik.formats.archive import from_path

    made = plan(from_path(args.bank)[1], settings_from(args))
    before = read_table(args.against) if args.against is not None else None
    if not made.pieces and not made.unfit:
        raise Problem(str(args.bank), "no document", "a bank with a patch in it")
    as_json = args.progress == "json"
    if not as_json:
        print(plan_text(made, args.workers), file=sys.stderr)
    if args.plan:
        return 0
    limits = Limits(args.seconds, round(args.memory * 1e6))
    # One that is ended by the end of its server may take a moment to let go of the folder.
    with journal.opened(args.out, _HANDED_OVER_S if as_json else 0.0) as rows:
        write_whole(args.out / "settings.json", made.settings.model_dump_json(indent=2).encode())
        whole = True
        if any(not rows.has(piece.id) for piece in made.pieces):
            whole = _worked(args, made, rows, limits, as_json)
        found = finish(made, rows.rows, args.out, before)
    far = moved(before, found, args.tolerance) if before is not None else []
    if args.write_gains is not None:
        data, trouble = levelled(made, found)
        args.write_gains.write_bytes(data)
        print(*trouble, sep="\n", end="\n" if trouble else "", file=sys.stderr)
    for one in far[:_MOST_TOLD]:
        print(f"moved: {one.sentence}", file=sys.stderr if as_json else sys.stdout)
    if not as_json:
        print(_said(found, args.out), file=sys.stderr)
    return exit_code(found, len(far)) if whole else STOPPED


def _worked(args: argparse.Namespace, made: Plan, rows: Any, limits: Limits, as_json: bool) -> bool:
    """Do what is left; return whether all is done."""
    from jorvik.bank.running import SchedulerGone, cluster, run

    with (
        _stopped() as cancelled,
        cluster(args.workers, args.scheduler, limits, _security(args)) as client,
        _progress(as_json) as told,
    ):
        try:
            from_workers = args.scheduler is None or args.from_workers
            return run(
                client, made.pieces, rows, limits, args.out, from_workers=from_workers, cancelled=cancelled, told=told
            )
        except SchedulerGone:
            print("jv: the scheduler is gone; what is done is kept. Run it again to go on.", file=sys.stderr)
            return False


def _security(args: argparse.Namespace) -> Any:
    """Return the certificates for the scheduler that was named, or None.

    Raises Problem for one without certificates, unless ``--insecure`` says that this is meant.
    """
    from distributed.security import Security

    address = args.scheduler or ""
    if not address.startswith("tls://"):
        if address and not args.insecure:
            options = ", ".join(f"--tls-{name} FILE.pem" for name in TLS_FILES)
            wanted = f"tls://… with {options}, or --insecure: whoever reaches a tcp:// address can run code as you"
            raise Problem("--scheduler", address, wanted)
        return None
    files = {name: getattr(args, f"tls_{name}") for name in TLS_FILES}
    for name, path in files.items():
        if path is None or not path.is_file():
            raise Problem(f"--tls-{name}", str(path or "nothing"), f"a PEM file, {TLS_FILES[name]}")
    return Security(
        tls_ca_file=str(files["ca"]),
        tls_client_cert=str(files["cert"]),
        tls_client_key=str(files["key"]),
        require_encryption=True,
    )


def settings_from(args: argparse.Namespace) -> BankSettings:
    """Return the settings that were typed. Raises Problem with the option, what was found and what would do."""
    from pydantic import ValidationError

    def document(path: Path | None) -> dict[str, Any] | None:
        return None if path is None else read_document(path.read_bytes())

    samples = {
        "silence_db": args.silence,
        "loops": not args.no_loops,
        "round_robin": args.round_robin,
        "matched": args.matched,
        **({"name": args.name} if args.name else {}),
    }
    try:
        if args.settings is not None:
            return BankSettings.model_validate_json(args.settings.read_bytes())
        return BankSettings(
            work=args.work,
            **typed_notes(vars(args), "--"),  # type: ignore[arg-type]
            phrases=[found for path in args.phrase if (found := document(path)) is not None],
            rate=round(float(parse_value(args.rate, "Hz", "--rate", note_values=False).value)),
            depth=args.depth,
            of=args.of,
            steps=args.steps,
            card=document(args.card),
            ending=args.ending,
            paper=args.paper,
            samples=samples,  # type: ignore[arg-type]
            lufs=args.lufs,
        )
    except ValidationError as error:
        raise from_validation(error, ()) from None


def plan_text(made: Plan, workers: int) -> str:
    """Return what is going to be done, in a sentence or two."""
    patches = len({piece.file for piece in made.pieces})
    said = f"{made.settings.work}: {counted(patches, 'patch')}, {counted(len(made.pieces), 'piece')}"
    said += f", {time_text(float(f'{made.seconds:.3g}'))} of sound"
    said += f"; about {time_text(float(f'{made.work_s / max(workers, 1):.2g}'))} on {workers} processes"
    if made.file_bytes:
        said += f", about {made.file_bytes / 1e6:.3g} MB of files"
    for entry in made.unfit:
        said += f"\n  {entry.trouble}"
    return said + "."


def _said(found: list[dict[str, Any]], out: Path) -> str:
    count = {state: sum(record["state"] == state for record in found) for state in ("done", "failed", "set aside")}
    said = ", ".join(f"{number} {state}" for state, number in count.items())
    failed = [f"  {r['patch'] or r['file']}: {r['said']}" for r in found if r["state"] == "failed"]
    return "\n".join([*failed[:20], f"{said}. Table and summary are in {shown(str(out))}."])


@contextmanager
def _stopped() -> Iterator[Callable[[], bool]]:
    """Have what tells whether somebody wants it to stop; a second time it stops at once."""
    asked = False
    parent = os.getppid()

    def stop(number: int, _: object) -> None:
        nonlocal asked
        asked = True
        signal.signal(number, signal.SIG_DFL)

    before = {number: signal.signal(number, stop) for number in (signal.SIGINT, signal.SIGTERM)}
    try:
        # Whoever began it and is gone wants nothing of it any more.
        yield lambda: asked or os.getppid() != parent
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)


@contextmanager
def _progress(as_json: bool) -> Iterator[Callable[[Any], None]]:
    """Have what is told of progress: a bar on a terminal, a line now and then elsewhere, JSON for a program."""
    if as_json:
        yield lambda told: print(json.dumps(vars(told)), flush=True)
        return
    if sys.stderr.isatty():
        from rich.console import Console
        from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn

        columns = (
            TextColumn("{task.description}"),
            BarColumn(),
            MofNCompleteColumn(),
            TextColumn("{task.fields[left]}"),
        )
        with Progress(*columns, console=Console(stderr=True)) as progress:
            task = progress.add_task("", total=None, left="")

            def shown_bar(told: Any) -> None:
                progress.update(task, total=told.of, completed=told.done, left=_left(told))

            yield shown_bar
        return
    last = 0.0

    def line(told: Any) -> None:
        nonlocal last
        if time.monotonic() - last >= _LINE_S:
            last = time.monotonic()
            print(f"{told.done} of {told.of}{_left(told)}", file=sys.stderr, flush=True)

    yield line


def _left(told: Any) -> str:
    failed = f", {told.failed} failed" if told.failed else ""
    return failed + ("" if told.left_s is None else f", about {time_text(float(f'{told.left_s:.2g}'))} left")
