"""What is made of all pieces together: maps of sample sets, gains to one loudness, the table and its summary."""

from collections import defaultdict
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from jorvik.bank.doing import DONE, FAILED, Row, write_whole
from jorvik.bank.pieces import Piece, Plan
from jorvik.bank.results import Record, records, write_table
from jorvik.bank.summary import summary_html
from jorvik.bank.works import work_facts
from jorvik.core.document.patch import check_patch
from jorvik.core.helpers.gain import with_gain
from jorvik.core.measure.sound import level_gains
from jorvik.core.problems import Problem
from jorvik.formats.archive import packed
from jorvik.formats.sfz import Mapped, read_sfz, sfz_text, spans, unsounded

SUMMARY = "summary.html"


def finish(plan: Plan, rows: Mapping[str, Row], folder: Path, before: list[Record] | None = None) -> list[Record]:
    """Write what there is of a work, done or not: maps, table, summary; return the records."""
    found = records(plan, rows)
    if work_facts(plan.settings.work).is_sample_set:
        _write_maps(plan, rows, folder, found)
    if plan.settings.lufs is not None:
        add_gains(found, plan.settings.lufs)
    write_table(found, folder)
    write_whole(folder / SUMMARY, summary_html(plan, found, before).encode())
    return found


def add_gains(found: list[Record], lufs: float) -> None:
    """Add to each record the gain that brings its patch to a loudness, as loud as it is there."""
    for record in found:
        if record["state"] == DONE and "loudness_lufs" in record:
            record["gain_db"] = round(lufs - record["loudness_lufs"], 3)


def levelled(plan: Plan, found: list[Record]) -> tuple[bytes, list[str]]:
    """Return the patches with their gains written in, as a bank, and what could not be had.

    Of a patch that was measured at several notes the first counts.
    """
    gains: dict[str, float] = {}
    for record in found:
        if "gain_db" in record:
            gains.setdefault(record["file"], record["gain_db"])
    documents, trouble = [], []
    for file, document in {piece.file: piece.document for piece in plan.pieces}.items():
        if file not in gains:
            continue
        try:
            documents.append(("patches", with_gain(check_patch(document), gains[file]).document()))
        except Problem as problem:
            trouble.append(f"{document.get('name', file)}: {problem}")
    return packed(documents, "Levelled"), trouble


def _write_maps(plan: Plan, rows: Mapping[str, Row], folder: Path, found: list[Record]) -> None:
    """Write a map for each patch whose samples are there, and read it back: every key at every velocity sounds one."""
    of_patch: dict[str, list[tuple[Piece, Row]]] = defaultdict(list)
    for piece in plan.pieces:
        row = rows.get(piece.id)
        if row is not None and row.state == DONE:
            of_patch[piece.file].append((piece, row))
    for file, made in of_patch.items():
        stem = made[0][0].stem_of_patch
        wrong = _map(plan, made, folder / f"{stem}.sfz")
        for record in found:
            if record["file"] == file and record["state"] == DONE:
                record["map"] = f"{stem}.sfz"
                record["map_said"] = wrong[0] if wrong else "every key and velocity sounds one sample"


def _map(plan: Plan, made: list[tuple[Piece, Row]], path: Path) -> list[str]:
    """Write the map of one patch; return what is wrong with it once it is read back."""
    figures = [row.figures for _, row in made]
    try:
        keys = spans([round(f["sampled_key"]) for f in figures], 0, 127, True)
        velocities = spans([f["sampled_velocity"] for f in figures], 1, 127, False)
    except Problem as problem:
        return [str(problem)]
    gains = level_gains([f["loudness_lufs"] for f in figures]) if plan.settings.samples.matched else [0.0] * len(made)
    turns: dict[tuple[int, float], int] = defaultdict(int)
    samples = []
    for (_, row), gain in zip(made, gains, strict=True):
        of: dict[str, Any] = row.figures
        place = round(of["sampled_key"]), of["sampled_velocity"]
        turns[place] += 1
        loop = None if of["loop_start"] is None else (of["loop_start"], of["loop_end"])
        (low, high), (soft, hard) = keys[place[0]], velocities[place[1]]
        # As many of a key and velocity are played in turn as there are.
        length = sum((round(f["sampled_key"]), f["sampled_velocity"]) == place for f in figures)
        samples.append(Mapped(row.files[0], place[0], low, high, soft, hard, gain, loop, turns[place], length))
    text = sfz_text(made[0][0].patch, samples)
    write_whole(path, text.encode())
    back = read_sfz(path.read_text(encoding="utf-8"))
    missing = [one.file for one in back if not (path.parent / one.file).is_file()]
    return [f"{name} is not there" for name in missing] + unsounded(back)


def exit_code(found: list[Record], moved: int) -> int:
    """Return 1 where a finding is a fault, a piece failed, or something moved; else 0."""
    faults = any(record.get("faults") or record["state"] == FAILED for record in found)
    return int(faults or moved > 0)
