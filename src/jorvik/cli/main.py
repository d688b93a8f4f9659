"""The command line: ``jv trace``, ``render``, ``measure`` and the rest. Only what is kept needs a database."""

import argparse
import os
import sys
from collections.abc import Sequence
from importlib import import_module
from pathlib import Path

from jorvik.cli.bank_options import add_options
from jorvik.core.limits import DEFAULT_RATE
from jorvik.core.problems import Problem
from jorvik.place import PACKAGE

BAD_INPUT = 2
_SCHEMA = ".schema.json"


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command and return its exit code: 0, 1 where a check finds a fault, or 2 where the input is bad."""
    args = _parser().parse_args(arguments)
    try:
        # Only what is run is imported: help comes at once.
        code = getattr(import_module(args.module), args.run)(args) or 0
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


def _documents() -> list[str]:
    """Return the kinds of document whose schemas come with the package."""
    return sorted(path.name.removesuffix(_SCHEMA) for path in PACKAGE.glob(f"*{_SCHEMA}"))


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="jv", description="Trace and render Jorvik patches.")
    parser.set_defaults(module="jorvik.cli.commands")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    trace = commands.add_parser("trace", help="every signal and lane at every sample, as CSV or NPZ")
    trace.set_defaults(run="trace")
    trace.add_argument("--out", type=Path, help="FILE.csv or FILE.npz; CSV on standard output when left out")
    trace.add_argument("--contributions", action="store_true", help="add a column for what each route gives")
    trace.add_argument("--note", type=int, default=1, help="which note of a poly patch, from 1")

    render = commands.add_parser("render", help="the sound, as a 24-bit stereo WAV")
    render.set_defaults(run="render")

    measure = commands.add_parser("measure", help="the figures of every lane and signal over the first note")
    measure.set_defaults(run="measure")
    measure.add_argument("--json", action="store_true", help="as JSON instead of a table")

    checking = commands.add_parser("check", help="what is worth knowing of a patch; exit code 1 where one is a fault")
    checking.set_defaults(run="check")
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

        command.add_argument("--phrase", type=Path, metavar="PHRASE", help="play it under this phrase file")
    for command in (measure, checking):
        command.add_argument("--note", type=int, default=1, help="which note of a poly patch, from 1")

    _add_sweep(commands.add_parser("sweep", help="where a control starts to do something, stops, turns thin or harsh"))
    _add_match(
        commands.add_parser("match", help="what is found in the recording of a note, and a patch brought near to it")
    )
    _add_phrase(commands.add_parser("phrase", help="make a phrase, or read and write it as MIDI"))
    takes = commands.add_parser("take", help="render what a hand played").add_subparsers(required=True, metavar="ACT")
    take = takes.add_parser("render", help="as it was heard, as a stereo WAV")
    take.set_defaults(run="take_render")
    take.add_argument("take", type=Path, metavar="TAKE.json", help="a take file; - for standard input")
    for command in (render, take):
        command.add_argument("--out", type=Path, required=True, help="FILE.wav")
        command.add_argument("--depth", default="24", help="bits: 16, 24 or 32f (float)")
        command.add_argument("--mono", action="store_true", help="one channel, the mean of both")
        command.add_argument("--with-hits", action="store_true", help="the phrase's own hits too, at their level")
        command.add_argument("--dry", action="store_true", help="without the effects")
    thin = commands.add_parser("thin", help="the fewest points of a lane that stay within a tolerance of all")
    thin.set_defaults(run="thin")
    thin.add_argument("--within", required=True, help="how far it may lie from a point, in the lane's own unit")
    thin.add_argument("--out", type=Path, help="FILE.csv")
    turning = commands.add_parser("turns", help="where a lane turns, and how far from the beat")
    turning.set_defaults(run="turns")
    turning.add_argument("--tempo", default="96", help="quarter notes a minute")
    turning.add_argument("--grid", default="1/8", help="a note value")
    turning.add_argument("--json", action="store_true", help="as JSON instead of a table")
    for command in (thin, turning):
        command.add_argument("lane", type=Path, metavar="LANE.csv", help="columns time_s,value; - for standard input")
    diff = commands.add_parser("diff", help="what changed from one document to another, in words and in figures")
    diff.set_defaults(module="jorvik.cli.documents", run="diff")
    diff.add_argument("before", type=Path, metavar="A.json", help="a patch, phrase, take or recording")
    diff.add_argument("after", type=Path, metavar="B.json", help="another of the same kind; - for standard input")
    diff.add_argument("--json", action="store_true", help="as JSON instead of sentences")
    printing = commands.add_parser("print", help="the sheet of a patch, a take or a phrase: PDF, SVG or HTML")
    printing.set_defaults(module="jorvik.cli.documents", run="print_sheet")
    printing.add_argument(
        "patch", type=Path, metavar="PATCH", help="a patch, take or phrase file; - for standard input"
    )
    printing.add_argument("--out", type=Path, required=True, help="FILE.pdf, FILE.svg (the staves) or FILE.html")
    printing.add_argument("--phrase", type=Path, metavar="PHRASE", help="play it under this phrase file")
    printing.add_argument("--card", type=Path, metavar="CARD.json", help="and where the controls of a machine stand")
    printing.add_argument("--paper", choices=("A4", "Letter"), default="A4")
    printing.add_argument("--units", choices=("jorvik", "volts"), default="jorvik")
    card = commands.add_parser("card", help="a patch in the figures of an instrument at hand, and what cannot be had")
    card.set_defaults(module="jorvik.cli.documents", run="card")
    card.add_argument("patch", type=Path, metavar="PATCH", help="a patch file; - for standard input")
    card.add_argument("--card", type=Path, required=True, metavar="CARD.json", help="the machine card")
    card.add_argument("--give", action="append", default=[], metavar="SOURCE=ITS", help="as swell='envelope 2'")
    card.add_argument("--json", action="store_true", help="as JSON instead of a table")
    coming = commands.add_parser("import", help="keep what is in files and folders: documents, zips, recordings, MIDI")
    coming.set_defaults(module="jorvik.cli.store", run="bring_in")
    coming.add_argument("paths", type=Path, nargs="+", metavar="PATH")
    coming.add_argument("--bank", default="", help="the bank that they stand in; left out, what the file calls it")
    going = commands.add_parser("export", help="write a bank, or the whole library, as one zip")
    going.set_defaults(module="jorvik.cli.store", run="write_out")
    going.add_argument("--bank", help="its name; left out, everything")
    going.add_argument("--out", type=Path, required=True, metavar="FILE.zip")
    add_options(commands.add_parser("bank", help="check, measure, render, sample or print a whole bank"))
    _add_practice(commands.add_parser("practice", help="a task made from a seed, and the marks of an answer"))
    for name, what in (("backup", "everything that is kept, into one file"), ("restore", "everything back from one")):
        whole = commands.add_parser(name, help=what)
        whole.set_defaults(module="jorvik.cli.store", run=name)
        whole.add_argument("file", type=Path, metavar="FILE.zip")
    schema = commands.add_parser("schema", help="the JSON Schema of a kind of document")
    schema.set_defaults(run="schema")
    schema.add_argument("what", nargs="?", choices=_documents(), default="patch")
    return parser


def _add_practice(parser: argparse.ArgumentParser) -> None:
    acts = parser.add_subparsers(required=True, metavar="ACT")
    making = acts.add_parser("make", help="a task")
    making.set_defaults(module="jorvik.cli.practice", run="practice_make")
    making.add_argument("--kind", required=True, help="read, hear, work_out, find, make or play")
    making.add_argument("--level", type=int, default=1, help="1 to 3")
    making.add_argument("--seed", type=int, default=1)
    making.add_argument("--answer", action="store_true", help="and its answer")
    marking = acts.add_parser("mark", help="what an answer is worth")
    marking.set_defaults(module="jorvik.cli.practice", run="practice_mark")
    marking.add_argument("task", type=Path, metavar="TASK.json", help="as make wrote it")
    marking.add_argument("given", type=Path, metavar="ANSWER.json", help="values, a patch or a lane; - from a pipe")
    for command in (making, marking):
        command.add_argument("--json", action="store_true", help="as JSON instead of text")


def _add_sweep(parser: argparse.ArgumentParser) -> None:
    parser.set_defaults(module="jorvik.cli.analysis", run="sweep")
    parser.add_argument("patch", type=Path, metavar="PATCH", help="a patch file; - for standard input")
    parser.add_argument("--of", required=True, help="what is swept: cutoff, swell.attack_s, macro:warm")
    parser.add_argument("--from", dest="low", help="the first value, as 60Hz; left out, the least there is")
    parser.add_argument("--to", dest="high", help="the last value, as 8kHz")
    parser.add_argument("--steps", default="48", help="how many values")
    parser.add_argument("--key", help="play the test note at this key: 48 or C3")
    parser.add_argument("--velocity", help="play it this hard, 0 to 127")
    parser.add_argument("--keep-routes", action="store_true", help="let what moves it go on moving it")
    parser.add_argument("--json", action="store_true", help="as JSON instead of a table")


def _add_match(parser: argparse.ArgumentParser) -> None:
    parser.set_defaults(module="jorvik.cli.analysis", run="match")
    parser.add_argument("recording", type=Path, metavar="FILE.wav", help="one note, 30 s at most: WAV, FLAC or OGG")
    parser.add_argument("--patch", type=Path, metavar="PATCH.json", help="the patch that is brought near to it")
    parser.add_argument("--fit", type=Path, metavar="OUT.json", help="write the patch; without --patch a new one")
    parser.add_argument("--note-off", help="when the key is let go, as 1.2s, in place of what is found")
    parser.add_argument("--json", action="store_true", help="as JSON instead of sentences")


def _add_phrase(parser: argparse.ArgumentParser) -> None:
    acts = parser.add_subparsers(required=True, metavar="ACT")
    make = acts.add_parser("make", help="to a pattern over a chord, or of a typed row")
    make.set_defaults(run="phrase_make")
    make.add_argument("--pattern", default="up", help="up, down, 'up and down', 'as played', random, strokes, …")
    make.add_argument("--chord", default="C3,Eb3,G3", help="keys with commas between them")
    make.add_argument("--typed", help="instead of a pattern, a row as: C3 1/8 E3 1/8d . G3 1/4 v112")
    make.add_argument("--rate", default="1/16", help="a note value from one to the next")
    for name, kind, usual in (("bars", int, 2), ("octaves", int, 1), ("gate", float, 0.8), ("swing", float, 0.5)):
        make.add_argument(f"--{name}", type=kind, default=usual)
    for name, kind, usual in (("strokes", int, 5), ("steps", int, 8), ("seed", int, 1), ("tempo", float, 96.0)):
        make.add_argument(f"--{name}", type=kind, default=usual)
    make.add_argument("--velocities", default="96", help="how hard, note by note, again from the first")
    make.add_argument("--name", default="", help="what it is called")
    for name, what in (("from-midi", "FILE.mid"), ("from-beat", "LOOP.wav")):
        reading = acts.add_parser(name, help=f"read {what}")
        reading.set_defaults(run=f"phrase_{name.replace('-', '_')}")
        reading.add_argument("file", type=Path, metavar=what)
        reading.add_argument("--out", type=Path, required=True, help="PHRASE.json")
    make.add_argument("--out", type=Path, required=True, help="PHRASE.json")
    writing = acts.add_parser("to-midi", help="write a phrase as MIDI, and lanes of a patch as controllers")
    writing.set_defaults(run="phrase_to_midi")
    writing.add_argument("phrase", type=Path, metavar="PHRASE.json")
    writing.add_argument("--out", type=Path, required=True, help="FILE.mid")
    writing.add_argument("--patch", type=Path, help="the patch whose lanes are written")
    writing.add_argument("--lane", action="append", default=[], metavar="NAME=CC", help="as cutoff=74 or macro:warm=20")
    writing.add_argument("--card", type=Path, help="a machine card: what moves goes out as its own controllers")
    writing.add_argument("--fine", action="store_true", help="in 14 bits")


if __name__ == "__main__":
    sys.exit(main())
