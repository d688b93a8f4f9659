"""The pieces of a work: one patch at one setting each, told apart by content, settings and version."""

import hashlib
import itertools
import json
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import jorvik.core
from jorvik.bank.naming import distinct, sample_name
from jorvik.bank.settings import MOST_PIECES, BankSettings
from jorvik.bank.works import work_facts
from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.document.phrase import Phrase, check_phrase
from jorvik.core.problems import Problem
from jorvik.core.units.words import note_name
from jorvik.formats.archive import Entry


@dataclass(frozen=True)
class Piece:
    """One patch at one setting."""

    id: str
    """Of what it is made of: the same again where nothing of it changed."""
    work: str
    patch: str
    """The name of the patch."""
    file: str
    """Where it stands in the bank."""
    stem_of_patch: str
    """The name of the patch, as files have it; no two of a bank have the same."""
    file_name: str
    """The file of a sample; empty for other works, whose files are named by the stem."""
    stem: str
    """What files that are made of the piece are called, but for their ending."""
    document: dict[str, Any]
    at: dict[str, float | int]
    """Of key, velocity, length_s and seed what is not the patch's own."""
    phrase: dict[str, Any] | None
    options: dict[str, Any]
    seconds: float
    """How long what is rendered for it lasts."""
    rows: int
    """How many signals and lanes are run for it."""

    @property
    def place(self) -> dict[str, Any]:
        """What tells it from the other pieces of its work, whatever the patch's content is."""
        return {"patch": self.patch, "file": self.file, **self.at, "phrase": (self.phrase or {}).get("name", "")}

    def performed(self) -> Patch:
        """Return the patch at its setting. Raises Problem where it cannot be had."""
        at: dict[str, Any] = dict(self.at)
        document = self.document
        if (seed := at.pop("seed", None)) is not None:
            document = {**document, "performance": {**document.get("performance", {}), "seed": seed}}
        patch = check_patch(document)
        if self.phrase is not None:
            patch = patch.under(check_phrase(self.phrase))
        return patch.with_note(**at)


@dataclass(frozen=True)
class Plan:
    """What is going to be done."""

    settings: BankSettings
    pieces: list[Piece]
    unfit: list[Entry] = field(default_factory=list)
    """What is no patch, or a broken one: told, and left alone."""

    @property
    def seconds(self) -> float:
        """How long everything that is rendered lasts."""
        return sum(piece.seconds for piece in self.pieces)

    @property
    def work_s(self) -> float:
        """About how long one process works at it: measured on a machine of two cores, and rough."""
        facts = work_facts(self.settings.work)
        return sum(facts.piece_s + piece.seconds * facts.row_s * piece.rows for piece in self.pieces)

    @property
    def file_bytes(self) -> float:
        """About how large what it writes is."""
        facts = work_facts(self.settings.work)
        if "depth" in facts.options:
            wide = {"16": 2, "24": 3, "32f": 4}[self.settings.depth]
            return self.seconds * self.settings.rate * 2 * wide
        return len(self.pieces) * facts.piece_bytes


@lru_cache
def engine_version() -> str:
    """Return what tells whether the engine is the same: a hash of the sources of all that computes."""
    folder = Path(str(jorvik.core.__file__)).parent
    found = hashlib.sha256()
    for file in sorted(folder.rglob("*.py")):
        found.update(file.relative_to(folder).as_posix().encode())
        found.update(file.read_bytes())
    return found.hexdigest()[:16]


def plan(entries: Sequence[Entry], settings: BankSettings) -> Plan:
    """Return the pieces of a work over what stands in a bank.

    Raises Problem where there are too many, or a phrase or card among the settings is none.
    """
    phrases = [check_phrase(phrase) for phrase in settings.phrases]
    facts = work_facts(settings.work)
    for name, wanted in facts.requires.items():
        if not getattr(settings, name):
            raise Problem(name, "none", wanted)
    pieces: list[Piece] = []
    unfit: list[Entry] = []
    stems: set[str] = set()
    for entry in entries:
        if entry.document is not None and entry.document.get("format") != "jorvik-patch":
            kind = str(entry.document.get("format", "nothing")).removeprefix("jorvik-")
            unfit.append(Entry(entry.file, None, f"{entry.file}: a {kind}, which is left alone."))
            continue
        try:
            if entry.document is None:
                raise _Said(entry.trouble)
            patch = check_patch(entry.document)
        except (Problem, _Said) as problem:
            said = str(problem)
            unfit.append(Entry(entry.file, {}, said if said.startswith(entry.file) else f"{entry.file}: {said}"))
            continue
        stem = _stem(patch.name, stems)
        count = len(pieces) + math.prod(len(values) for values in _values(patch, settings, phrases).values())
        if count > MOST_PIECES:
            raise Problem("the work", f"{count} pieces or more", f"{MOST_PIECES} at most")
        pieces += _of_patch(patch, entry, stem, settings, phrases)
    if facts.is_sample_set:
        names = distinct([piece.file_name for piece in pieces], [piece.stem for piece in pieces])
        pieces = [replace(piece, file_name=name) for piece, name in zip(pieces, names, strict=True)]
    return Plan(settings, pieces, unfit)


class _Said(Exception):
    """What is wrong with a file, said already."""


def _of_patch(
    patch: Patch, entry: Entry, stem: str, settings: BankSettings, phrases: Sequence[Phrase]
) -> Iterator[Piece]:
    dumped = settings.model_dump(mode="json")
    facts = work_facts(settings.work)
    options = {name: dumped[name] for name in facts.options}
    times = int(options[facts.repeats]) if facts.repeats else 1
    values = _values(patch, settings, phrases)
    content = {name: value for name, value in (entry.document or {}).items() if name not in ("name", "notes", "tags")}
    rows = 10 + len(patch.modules) + 2 * len(patch.routes)
    for chosen in itertools.product(*values.values()):
        given = dict(zip(values, chosen, strict=True))
        phrase = given.pop("phrase", None)
        at = {name: value for name, value in given.items() if value is not None}
        made_of = [engine_version(), settings.work, content, at, phrase and phrase[0], options]
        text = json.dumps(made_of, sort_keys=True, separators=(",", ":"))
        # Two patches of one content have files of their own.
        identity = hashlib.sha256(f"{stem}\n{text}".encode()).hexdigest()[:24]
        yield Piece(
            id=identity,
            work=settings.work,
            patch=patch.name,
            file=entry.file,
            stem_of_patch=stem,
            file_name=_sample_name(patch, settings, at) if facts.is_sample_set else "",
            stem="-".join([stem, *_said_at(at), *([_plain(str(phrase[0].get("name", "")))] if phrase else [])]),
            document=entry.document or {},
            at=at,
            phrase=phrase and phrase[0],
            options=options,
            seconds=times * _seconds(patch, at, phrase and phrase[1]),
            rows=rows,
        )


def _values(patch: Patch, settings: BankSettings, phrases: Sequence[Phrase]) -> dict[str, Sequence[Any]]:
    """Return the values of each axis of a work; None stands for the patch's own."""
    seeds: list[int | None] = list(settings.seeds) or [None]
    if work_facts(settings.work).is_sample_set and settings.samples.round_robin > 1:
        first = patch.performance.seed
        seeds = [first + number for number in range(settings.samples.round_robin)]
    found: dict[str, Sequence[Any]] = {
        "key": settings.keys or [None],
        "velocity": settings.velocities or [None],
        "length_s": settings.lengths_s or [None],
        "seed": seeds,
        "phrase": list(zip(settings.phrases, phrases, strict=True)) or [None],
    }
    return {axis: found[axis] for axis in work_facts(settings.work).axes}


def _sample_name(patch: Patch, settings: BankSettings, at: Mapping[str, Any]) -> str:
    note = patch.performance.notes[0]
    key, velocity = at.get("key", note.key), at.get("velocity", note.velocity)
    return sample_name(settings.samples.name, patch.name, key, velocity, at)


def _said_at(at: dict[str, Any]) -> Iterator[str]:
    for name, value in at.items():
        if name == "key":
            yield _plain(note_name(value).replace("#", "s"))
        elif name == "velocity":
            yield f"v{value:g}"
        else:
            yield f"{value:g}s" if name == "length_s" else f"seed{value}"


def _seconds(patch: Patch, at: dict[str, Any], phrase: Phrase | None) -> float:
    tail = patch.performance.tail_s
    if phrase is not None:
        return phrase.seconds + tail
    notes = patch.performance.notes
    return max(note.start_s + float(at.get("length_s", note.length_s)) for note in notes) + tail


def _plain(text: str) -> str:
    return "".join(letter if letter.isalnum() else "-" for letter in text).strip("-")[:60] or "untitled"


def _stem(name: str, taken: set[str]) -> str:
    stem = plain = _plain(name.lower())
    number = 2
    while stem in taken:
        stem, number = f"{plain}-{number}", number + 1
    taken.add(stem)
    return stem
