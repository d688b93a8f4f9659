"""What the command line does: each command imports what it needs, so that the others begin at once."""

import argparse
import json
import sys
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

from jorvik.core.limits import MAX_DOCUMENT_BYTES
from jorvik.core.problems import Problem
from jorvik.place import PACKAGE

if TYPE_CHECKING:
    from jorvik.core.document.patch import Patch
    from jorvik.core.document.phrase import Phrase
    from jorvik.core.measure.lane import Measures
    from jorvik.core.voice.render import Sound


def _patch(args: argparse.Namespace) -> "Patch":
    """Return the patch that a command was given, with the note that its options ask for."""
    from jorvik.core.document.patch import parse_patch
    from jorvik.core.units.values import parse_value

    patch = parse_patch(read_document_file(args.patch))
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


def read_document_file(path: Path) -> bytes:
    """Return what is in a file, or comes in where ``-`` is given: one byte more than any document has, at most."""
    if str(path) == "-":
        return sys.stdin.buffer.read(MAX_DOCUMENT_BYTES + 1)
    with path.open("rb") as file:
        return file.read(MAX_DOCUMENT_BYTES + 1)


def _phrase(path: Path) -> "Phrase":
    """Return the phrase in a file."""
    from jorvik.core.document.patch import parsed_json
    from jorvik.core.document.phrase import check_phrase

    return check_phrase(parsed_json(read_document_file(path)))


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

    _check_wav(args)
    patch = _patch(args)
    _write_wav(args, render(patch, _rate(args), with_hits=args.with_hits, wet=not args.dry))


def take_render(args: argparse.Namespace) -> None:
    """Write a take as it was heard."""
    from jorvik.core.document.patch import parsed_json
    from jorvik.core.document.take import check_take
    from jorvik.core.phrases.takes import printed

    _check_wav(args)
    take = check_take(parsed_json(read_document_file(args.take)))
    _write_wav(args, printed(take, args.with_hits, wet=not args.dry))


def _check_wav(args: argparse.Namespace) -> None:
    from jorvik.formats.wav import SUBTYPES

    if args.depth not in SUBTYPES:
        raise Problem("--depth", f'"{args.depth}"', f"one of {', '.join(SUBTYPES)}")
    if args.out.suffix.lower() != ".wav":
        raise Problem("--out", f'"{args.out}"', "a file that ends in .wav")


def _write_wav(args: argparse.Namespace, sound: "Sound") -> None:
    from jorvik.formats.wav import wav_bytes

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
    print((PACKAGE / f"{args.what}.schema.json").read_text(), end="")


def thin(args: argparse.Namespace) -> None:
    """Write a lane with the fewest of its points, and print how many there were and how far it lies off."""
    from jorvik.core.phrases.gesture import thinned
    from jorvik.core.units.values import parse_value
    from jorvik.formats.lanes import read_lane, write_lane

    found = thinned(
        read_lane(read_document_file(args.lane)), float(parse_value(args.within, "ratio", "--within").value)
    )
    if args.out is not None:
        args.out.write_text(write_lane(found.points))
    facts = {"points_before": found.points_before, "points_after": found.points_after}
    print(json.dumps({**facts, "greatest_error": found.greatest_error, "at_s": found.at}, indent=2))


def turns(args: argparse.Namespace) -> None:
    """Print where a lane turns, and how far from the beat."""
    from jorvik.core.phrases.gesture import turns as turns_of
    from jorvik.core.units.tempo import Tempo
    from jorvik.core.units.values import parse_value
    from jorvik.formats.lanes import read_lane

    bpm = float(parse_value(args.tempo, "bpm", "--tempo", low=10.0, high=999.0).value)
    grid = float(parse_value(args.grid, "beats", "--grid", tempo=Tempo(bpm)).value) * 60.0 / bpm
    found = [
        {"at_s": t.at, "value": t.value, "is_top": t.is_top, "beat_s": t.beat, "off_ms": 1000.0 * t.off}
        for t in turns_of(read_lane(read_document_file(args.lane)), grid)
    ]
    if args.json:
        print(json.dumps({"turns": found}, indent=2))
        return
    for turn in found:
        kind = "top" if turn["is_top"] else "bottom"
        print(f"{turn['at_s']:10.4f} s  {kind:6} {turn['value']:10.4g}  {turn['off_ms']:+9.2f} ms")


def phrase_make(args: argparse.Namespace) -> None:
    """Write a phrase made to a pattern, or of a typed row."""
    from pydantic import ValidationError

    from jorvik.core.document.pattern import Pattern
    from jorvik.core.phrases.patterns import with_pattern
    from jorvik.core.phrases.typed import phrase_of, typed_notes
    from jorvik.core.problems import from_validation
    from jorvik.core.units.values import parse_value

    about = {"tempo_bpm": args.tempo, **({"name": args.name} if args.name else {})}
    if args.typed is not None:
        _write(args.out, phrase_of(typed_notes(args.typed), **about))
        return

    def values(text: str, unit: str, place: str) -> list[float]:
        return [float(parse_value(one, unit, place, note_values=False).value) for one in text.split(",")]

    given = {
        "kind": args.pattern.replace("-", " "),
        "chord": values(args.chord, "key", "--chord"),
        "velocities": values(args.velocities, "velocity", "--velocities"),
        **{name: getattr(args, name) for name in ("rate", "octaves", "gate", "swing", "strokes", "steps", "seed")},
    }
    try:
        pattern = Pattern.model_validate(given)
    except ValidationError as error:
        raise from_validation(error, ()) from None
    _write(args.out, with_pattern(phrase_of([], bars=args.bars, **about), pattern))


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
    from jorvik.core.document.card import check_card
    from jorvik.core.document.patch import parse_patch, parsed_json
    from jorvik.core.machine.controllers import LANE_RATE as CARD_RATE
    from jorvik.core.machine.controllers import controllers
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
    lanes = controlled(parse_patch(args.patch.read_bytes()).under(phrase), wanted) if wanted else {}
    if args.card is not None:
        if args.patch is None:
            raise Problem("--card", "no patch", "used with --patch PATCH, whose lanes are sent")
        card = check_card(parsed_json(read_document_file(args.card)))
        own = controllers(parse_patch(args.patch.read_bytes()).under(phrase), card)
        lanes |= {number: (values, CARD_RATE) for number, values in own.items()}
    args.out.write_bytes(midi_bytes(phrase, lanes or None, args.fine))
