"""The command line: ``jv trace``, ``render``, ``measure``, ``check``, ``schema``. None of them needs a database."""

import argparse
import json
import os
import sys
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path

import numpy as np

from jorvik.core.document.patch import Patch, parse_patch
from jorvik.core.document.schema import patch_schema
from jorvik.core.engine.run import Run
from jorvik.core.findings import check
from jorvik.core.limits import DEFAULT_RATE, MAX_DOCUMENT_BYTES
from jorvik.core.measure.context import Context
from jorvik.core.measure.lane import Measures
from jorvik.core.problems import Problem
from jorvik.core.readings import readings
from jorvik.core.units.values import parse_value
from jorvik.core.voice.render import render
from jorvik.formats.table import arrays, csv_lines
from jorvik.formats.wav import SUBTYPES, wav_bytes

BAD_INPUT = 2


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command and return its exit code: 0, 1 where a check finds a fault, or 2 where the input is bad."""
    args = _parser().parse_args(arguments)
    try:
        code = args.run(args) or 0
        sys.stdout.flush()
        return code
    except BrokenPipeError:
        # Whoever read has had enough, as `head` does. What is still to be written goes nowhere.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except Problem as error:
        print(f"jv: {error}", file=sys.stderr)
        return BAD_INPUT
    except OSError as error:
        print(f"jv: {error.filename}: {error.strerror}.", file=sys.stderr)
        return BAD_INPUT


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="jv", description="Trace and render Jorvik patches.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    trace = commands.add_parser("trace", help="every signal and lane at every sample, as CSV or NPZ")
    trace.set_defaults(run=_trace)
    trace.add_argument("--out", type=Path, help="FILE.csv or FILE.npz; CSV on standard output when left out")
    trace.add_argument("--contributions", action="store_true", help="add a column for what each route gives")
    trace.add_argument("--note", type=int, default=1, help="which note of a poly patch, from 1")

    render = commands.add_parser("render", help="the sound, as a 24-bit stereo WAV")
    render.set_defaults(run=_render)
    render.add_argument("--out", type=Path, required=True, help="FILE.wav")
    render.add_argument("--depth", choices=list(SUBTYPES), default="24", help="bits: 16, 24 or 32f (float)")
    render.add_argument("--mono", action="store_true", help="one channel, the mean of both")

    measure = commands.add_parser("measure", help="the figures of every lane and signal over the first note")
    measure.set_defaults(run=_measure)
    measure.add_argument("--json", action="store_true", help="as JSON instead of a table")

    checking = commands.add_parser("check", help="what is worth knowing of a patch; exit code 1 where one is a fault")
    checking.set_defaults(run=_check)
    checking.add_argument("--json", action="store_true", help="as JSON instead of sentences")

    for command in (trace, render, measure, checking):
        command.add_argument("patch", type=Path, metavar="PATCH", help="a patch file; - for standard input")
        command.add_argument("--rate", default=str(DEFAULT_RATE), help="samples a second")
        command.add_argument(
            "--key", help="play the first note at this key, and the others as far from it as they are: 48 or C3"
        )
        command.add_argument("--velocity", help="play every note this hard, 0 to 127")
        command.add_argument("--length", help="hold every note this long: 1.2, 800ms or 1/4")
        command.add_argument("--tail", help="trace this much after the last note-off")

    schema = commands.add_parser("schema", help="the JSON Schema of the patch document")
    schema.set_defaults(run=_schema)
    return parser


def _patch(args: argparse.Namespace) -> Patch:
    """Return the patch that a command was given, with the note that its options ask for."""
    if str(args.patch) == "-":
        text = sys.stdin.buffer.read(MAX_DOCUMENT_BYTES + 1)
    else:
        with args.patch.open("rb") as file:
            text = file.read(MAX_DOCUMENT_BYTES + 1)
    patch = parse_patch(text)
    tempo = patch.performance.tempo

    def value(name: str, unit: str) -> float | None:
        text = getattr(args, name)
        return (
            None if text is None else float(parse_value(text, unit, f"--{name}", note_values=False, tempo=tempo).value)
        )

    return patch.with_note(
        key=value("key", "key"),
        velocity=value("velocity", "velocity"),
        length_s=value("length", "s"),
        tail_s=value("tail", "s"),
    )


def _rate(args: argparse.Namespace) -> int:
    return round(float(parse_value(args.rate, "Hz", "--rate", note_values=False).value))


def _trace(args: argparse.Namespace) -> None:
    patch, rate, voice = _patch(args), _rate(args), args.note - 1
    ending = args.out.suffix.lower() if args.out else ".csv"
    if ending == ".npz":
        made = arrays(patch, rate, voice, args.contributions)
        # Into an open file: to a name of its own choice the library would add an ending.
        with args.out.open("wb") as file:
            np.savez(file, **made)  # type: ignore[arg-type]
    elif ending == ".csv":
        lines = csv_lines(Run(patch, rate, voice), args.contributions)
        if args.out is None:
            sys.stdout.writelines(lines)
        else:
            with args.out.open("w", encoding="utf-8") as file:
                file.writelines(lines)
    else:
        raise Problem("--out", f'"{args.out}"', "a file that ends in .csv or .npz")


def _render(args: argparse.Namespace) -> None:
    if args.out.suffix.lower() != ".wav":
        raise Problem("--out", f'"{args.out}"', "a file that ends in .wav")
    sound = render(_patch(args), _rate(args))
    args.out.write_bytes(wav_bytes(sound, args.depth, args.mono))
    if sound.limited_db > 0.0:
        print(f"The limiter took {sound.limited_db:.1f} dB.", file=sys.stderr)


def _measure(args: argparse.Namespace) -> None:
    of = Context(_patch(args), _rate(args))
    found, read = of.measures, readings(of)
    if args.json:
        print(json.dumps({**asdict(found), "readings": [reading.facts() for reading in read]}, indent=2))
        return
    print(f"{'':28}{'start':>10}{'peak':>10}{'at s':>9}{'settle':>12}{'least':>10}  distance")
    for name, lane in found.lanes.items():
        distance = f"{lane.distance:.4g} {lane.distance_unit}"
        print(f"{name:28}{_figures(lane.measures)}  {distance}")
    for name, signal in found.signals.items():
        print(f"{'signal ' + name:28}{_figures(signal)}")
    for reading in read:
        group = f"{reading.group}: " if reading.group else ""
        print(f"{reading.about or 'the patch':28}{group}{reading.name}  {reading.said}")


def _figures(of: Measures) -> str:
    settle = "moving" if of.settle is None else f"{of.settle:.4g}"
    return f"{of.start:10.4g}{of.peak:10.4g}{of.peak_s:9.4g}{settle:>12}{of.least:10.4g}"


def _check(args: argparse.Namespace) -> int:
    patch = _patch(args)
    aside = {meant.finding: meant.reason for meant in patch.set_aside}
    found = check(patch)
    if args.json:
        rows = [
            {
                **{k: v for k, v in asdict(f).items() if k != "mend"},
                "mend": f.mend.label if f.mend else None,
                "set_aside": aside.get(f.key),
            }
            for f in found
        ]
        print(json.dumps(rows, indent=2))
    else:
        for finding in found:
            if finding.key not in aside:
                print(f"{finding.severity}: {finding.sentence} {finding.why}")
                if finding.mend:
                    print(f"    mend: {finding.mend.label}")
    return int(any(f.severity == "fault" and f.key not in aside for f in found))


def _schema(_: argparse.Namespace) -> None:
    print(json.dumps(patch_schema(), indent=2))


if __name__ == "__main__":
    sys.exit(main())
