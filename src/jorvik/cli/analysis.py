"""The commands that look at sound over many runs, or at a recording."""

import argparse
import json

from jorvik.cli.commands import read_document_file
from jorvik.core.problems import Problem


def sweep(args: argparse.Namespace) -> None:
    """Print what is heard over a sweep, and the marks in it."""
    from jorvik.core.analysis.swept import swept
    from jorvik.core.analysis.useful_range import useful_range
    from jorvik.core.document.patch import parse_patch
    from jorvik.core.units.values import parse_value
    from jorvik.core.units.words import in_words

    patch = parse_patch(read_document_file(args.patch))
    of, tempo = swept(patch, args.of), patch.performance.tempo

    def value(text: str | None, unit: str, place: str) -> float | None:
        if text is None:
            return None
        return float(parse_value(text, unit, place, note_values=False, tempo=tempo).value)

    if not args.steps.isdecimal():
        raise Problem("--steps", f'"{args.steps}"', "a whole number, as 48")
    found = useful_range(
        patch,
        args.of,
        value(args.low, of.unit, "--from"),
        value(args.high, of.unit, "--to"),
        int(args.steps),
        key=value(args.key, "key", "--key"),
        velocity=value(args.velocity, "velocity", "--velocity"),
        keep_routes=args.keep_routes,
    )
    if args.json:
        print(json.dumps(found.facts(), indent=2))
        return
    print(f"{of.title:>14}{'LUFS':>9}{'centroid':>11}{'acum':>7}{'low dB':>8}")
    for step in found.steps:
        print(
            f"{in_words(step.value, of.unit):>14}{step.loudness_lufs:9.1f}{step.centroid_hz:8.0f} Hz"
            f"{step.sharpness_acum or 0.0:7.2f}{step.low_db:8.1f}"
        )
    print(*found.sentences, sep="\n")


def match(args: argparse.Namespace) -> None:
    """Print what is found in a recording; write a patch that was brought near to it."""
    from jorvik.core.analysis.matching import matched
    from jorvik.core.analysis.recording import recorded
    from jorvik.core.document.patch import parse_patch
    from jorvik.core.units.values import parse_value
    from jorvik.formats.recordings import MAX_FILE_BYTES, read_recorded

    with args.recording.open("rb") as file:
        read = read_recorded(file.read(MAX_FILE_BYTES + 1))
    off = None
    if args.note_off is not None:
        off = float(parse_value(args.note_off, "s", "--note-off", note_values=False).value)
    found = recorded(read.samples, read.rate, off, read.remarks)
    facts = found.facts()
    if args.patch is not None or args.fit is not None:
        patch = parse_patch(read_document_file(args.patch)) if args.patch is not None else None
        near = matched(found, patch)
        facts["fit"] = near.facts()
        if args.fit is not None:
            args.fit.write_text(
                json.dumps(near.patch.document(), indent=2, ensure_ascii=False) + "\n", encoding="utf-8"
            )
    if args.json:
        print(json.dumps(facts, indent=2))
        return
    print(*found.sentences, sep="\n")
    for change in facts.get("fit", {}).get("changes", []):
        print(f"  {change}")
    if "fit" in facts:
        print(near.sentence)
