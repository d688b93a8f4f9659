"""The commands that look at sound over many runs, or at a recording."""

import argparse
import json
from dataclasses import asdict
from typing import TYPE_CHECKING, Any

from jorvik.commands import read_document_file
from jorvik.core.problems import Problem

if TYPE_CHECKING:
    from jorvik.core.analysis.useful_range import UsefulRange


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
        print(json.dumps(range_facts(found), indent=2))
        return
    print(f"{of.title:>14}{'LUFS':>9}{'centroid':>11}{'acum':>7}{'low dB':>8}")
    for step in found.steps:
        print(
            f"{in_words(step.value, of.unit):>14}{step.loudness_lufs:9.1f}{step.centroid_hz:8.0f} Hz"
            f"{step.sharpness_acum or 0.0:7.2f}{step.low_db:8.1f}"
        )
    print(*found.sentences, sep="\n")


def range_facts(found: "UsefulRange") -> dict[str, Any]:
    """Return a useful range as the object that is written in JSON."""
    from jorvik.core.analysis.useful_range import BAND_HZ

    changes = [None, *found.changes_db]
    steps = [
        {**asdict(step), "bands_db": [round(float(db), 2) for db in step.bands_db], "change_db": change}
        for step, change in zip(found.steps, changes, strict=True)
    ]
    marks = {name: getattr(found, name) for name in ("starts_at", "stops_at", "thin_from", "harsh_from", "useful")}
    return {
        "of": found.of.name,
        "title": found.of.title,
        "unit": found.of.unit,
        "key": found.key,
        "velocity": found.velocity,
        **marks,
        "jumps": [asdict(jump) for jump in found.jumps],
        "sentences": found.sentences,
        "band_hz": BAND_HZ,
        "steps": steps,
    }
