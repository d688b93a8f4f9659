"""What the command line does: each command imports what it needs, so that the others begin at once."""

import argparse
import json
import sys
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

from jorvik.core.limits import MAX_DOCUMENT_BYTES
from jorvik.core.problems import Problem

if TYPE_CHECKING:
    from jorvik.core.document.patch import Patch
    from jorvik.core.document.phrase import Phrase
    from jorvik.core.measure.lane import Measures


def _patch(args: argparse.Namespace) -> "Patch":
    """Return the patch that a command was given, with the note that its options ask for."""
    from jorvik.core.document.patch import parse_patch
    from jorvik.core.units.values import parse_value

    if str(args.patch) == "-":
        text = sys.stdin.buffer.read(MAX_DOCUMENT_BYTES + 1)
    else:
        with args.patch.open("rb") as file:
            text = file.read(MAX_DOCUMENT_BYTES + 1)
    patch = parse_patch(text)
    if args.phrase is not None:
        patch = patch.under(_phrase(args.phrase))
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


def _phrase(path: Path) -> "Phrase":
    """Return the phrase in a file."""
    from jorvik.core.document.patch import parsed_json
    from jorvik.core.document.phrase import check_phrase

    with path.open("rb") as file:
        return check_phrase(parsed_json(file.read(MAX_DOCUMENT_BYTES + 1)))


def _rate(args: argparse.Namespace) -> int:
    from jorvik.core.units.values import parse_value

    return round(float(parse_value(args.rate, "Hz", "--rate", note_values=False).value))


def trace(args: argparse.Namespace) -> None:
    """Write every signal and lane at every sample."""
    import numpy as np

    from jorvik.core.engine.run import Run
    from jorvik.formats.table import arrays, csv_lines

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


def render(args: argparse.Namespace) -> None:
    """Write the sound."""
    from jorvik.core.voice.render import render
    from jorvik.formats.wav import SUBTYPES, wav_bytes

    if args.depth not in SUBTYPES:
        raise Problem("--depth", f'"{args.depth}"', f"one of {', '.join(SUBTYPES)}")
    if args.out.suffix.lower() != ".wav":
        raise Problem("--out", f'"{args.out}"', "a file that ends in .wav")
    sound = render(_patch(args), _rate(args), with_hits=args.with_hits)
    args.out.write_bytes(wav_bytes(sound, args.depth, args.mono))
    if sound.limited_db > 0.0:
        print(f"The limiter took {sound.limited_db:.1f} dB.", file=sys.stderr)


def measure(args: argparse.Namespace) -> None:
    """Print the figures of every lane and signal."""
    from jorvik.core.figures import figures
    from jorvik.core.measure.beat import against_beat
    from jorvik.core.measure.context import Context

    of = Context(_patch(args), _rate(args), voice=args.note - 1)
    found, read = of.measures, figures(of)
    if args.json:
        print(
            json.dumps(
                {**asdict(found), **asdict(against_beat(of)), "readings": [figure.facts() for figure in read]}, indent=2
            )
        )
        return
    print(f"{'':28}{'start':>10}{'peak':>10}{'at s':>9}{'settle':>12}{'least':>10}  distance")
    for name, lane in found.lanes.items():
        distance = f"{lane.distance:.4g} {lane.distance_unit}"
        print(f"{name:28}{_figures(lane.measures)}  {distance}")
    for name, signal in found.signals.items():
        print(f"{'signal ' + name:28}{_figures(signal)}")
    for figure in read:
        group = f"{figure.group}: " if figure.group else ""
        print(f"{figure.about or 'the patch':28}{group}{figure.name}  {figure.said}")


def _figures(of: "Measures") -> str:
    settle = "moving" if of.settle is None else f"{of.settle:.4g}"
    return f"{of.start:10.4g}{of.peak:10.4g}{of.peak_s:9.4g}{settle:>12}{of.least:10.4g}"


def check(args: argparse.Namespace) -> int:
    """Print what is worth knowing, and return 1 where one of it is a fault that nobody set aside."""
    from jorvik.core.findings import check

    patch = _patch(args)
    aside = {meant.finding: meant.reason for meant in patch.set_aside}
    found = check(patch, voice=args.note - 1)
    if args.json:
        rows = [
            {
                **{k: v for k, v in asdict(f).items() if k != "fix"},
                "mend": f.fix.label if f.fix else None,
                "set_aside": aside.get(f.key),
            }
            for f in found
        ]
        print(json.dumps(rows, indent=2))
    else:
        for finding in found:
            if finding.key not in aside:
                print(f"{finding.severity}: {finding.sentence} {finding.why}")
                if finding.fix:
                    print(f"    fix: {finding.fix.label}")
    return int(any(f.severity == "fault" and f.key not in aside for f in found))


def schema(args: argparse.Namespace) -> None:
    """Print the schema of a document."""
    # Written by scripts/types, and kept current by a test: to make it takes everything that computes.
    print((Path(__file__).parent / f"{args.what}.schema.json").read_text(), end="")


def phrase_make(args: argparse.Namespace) -> None:
    """Write a phrase made to a pattern, or of a typed row."""
    from jorvik.core.phrases.maker import Making, made
    from jorvik.core.phrases.typed import phrase_of, typed_notes
    from jorvik.core.units.values import parse_value

    about = {"name": args.name} if args.name else {}
    if args.typed is not None:
        _write(args.out, phrase_of(typed_notes(args.typed), tempo_bpm=args.tempo, **about))
        return
    keys = [float(parse_value(key, "key", "--chord", note_values=False).value) for key in args.chord.split(",")]
    hard = [
        float(parse_value(v, "velocity", "--velocities", note_values=False).value) for v in args.velocities.split(",")
    ]
    making = Making(
        args.pattern.replace("-", " "),
        keys,
        args.rate,
        args.bars,
        args.octaves,
        args.gate,
        args.swing,
        hard,
        args.strokes,
        args.steps,
        args.seed,
        args.tempo,
        more=about,
    )
    _write(args.out, made(making))


def _write(path: Path, phrase: "Phrase") -> None:
    path.write_text(json.dumps(phrase.document(), indent=2, ensure_ascii=False) + "\n", encoding="utf-8")


def phrase_from_midi(args: argparse.Namespace) -> None:
    """Write the phrase in a MIDI file."""
    from jorvik.formats.midi import MAX_FILE_BYTES, read_midi

    with args.file.open("rb") as file:
        read = read_midi(file.read(MAX_FILE_BYTES + 1), args.file.stem)
    _write(args.out, read.phrase)
    print(*read.remarks, sep="\n", end="\n" if read.remarks else "", file=sys.stderr)


def phrase_from_beat(args: argparse.Namespace) -> None:
    """Write the strokes in the recording of a beat."""
    from jorvik.formats.beat import MAX_FILE_BYTES, read_beat

    with args.file.open("rb") as file:
        read = read_beat(file.read(MAX_FILE_BYTES + 1), args.file.stem)
    _write(args.out, read.phrase)
    print(*read.remarks, sep="\n", file=sys.stderr)


def phrase_to_midi(args: argparse.Namespace) -> None:
    """Write a phrase as MIDI, and lanes of a patch under it as controllers."""
    from jorvik.core.document.patch import parse_patch
    from jorvik.formats.midi import controlled, midi_bytes

    phrase = _phrase(args.phrase)
    wanted: dict[int, str] = {}
    for said in args.lane:
        name, _, number = said.rpartition("=")
        if not name or not number.isdecimal():
            raise Problem("--lane", f'"{said}"', "a lane and a controller as cutoff=74")
        wanted[int(number)] = name
    if wanted and args.patch is None:
        raise Problem("--lane", "no patch", "used with --patch PATCH, whose lane it is")
    lanes = controlled(parse_patch(args.patch.read_bytes()).under(phrase), wanted) if wanted else None
    args.out.write_bytes(midi_bytes(phrase, lanes, args.fine))
