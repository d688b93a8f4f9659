"""A bank as one file: a zip of documents with a manifest; and what comes in from any zip, or from a file alone."""

import io
import json
import re
import stat
import struct
import zipfile
import zlib
from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any, Final

from jorvik.core.document.patch import read_document
from jorvik.core.problems import Problem, shown
from jorvik.formats.reading import document_in, most_bytes

MANIFEST: Final = "manifest.json"
UNREADABLE: Final = (zipfile.BadZipFile, zlib.error, struct.error, EOFError, RuntimeError, ValueError)
"""What the library raises for what is damaged, locked by a password, or packed in a way that it does not know."""

MOST_FILES: Final = 5000
MOST_BYTES: Final = 400_000_000
"""Of all that a zip unpacks to."""


@dataclass(frozen=True)
class Entry:
    """A file of an archive: its document, or why it is none."""

    file: str
    document: dict[str, Any] | None
    trouble: str = ""


def packed(documents: Sequence[tuple[str, dict[str, Any]]], name: str) -> bytes:
    """Return documents, each with the folder it goes into, as a zip with a manifest."""
    out, taken, listed = io.BytesIO(), {MANIFEST}, []
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for folder, document in documents:
            title = str(document.get("name", "Untitled"))
            stem = re.sub(r"[^\w-]+", "-", title.lower()).strip("-")[:60] or "untitled"
            file, count = f"{folder}/{stem}.json", 1
            while file in taken:
                count += 1
                file = f"{folder}/{stem}-{count}.json"
            taken.add(file)
            listed.append({"file": file, "name": title, "format": document.get("format")})
            archive.writestr(file, json.dumps(document, indent=2, ensure_ascii=False))
        manifest = {"format": "jorvik-bank", "version": 1, "name": name, "documents": listed}
        archive.writestr(MANIFEST, json.dumps(manifest, indent=2, ensure_ascii=False))
    return out.getvalue()


def unpacked(data: bytes, file_name: str) -> tuple[str, list[Entry]]:
    """Return the name of the bank in a file, empty where it has none, and every document in it.

    The file is a zip, or a document alone. One that is broken has its trouble in a sentence, and the others stand.
    Raises Problem where the file as a whole cannot be taken: too large unpacked, too many, or no file that is known.
    """
    if not zipfile.is_zipfile(io.BytesIO(data)):
        return "", [Entry(file_name, document_in(data, file_name))]
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            inside = [info for info in archive.infolist() if not info.is_dir()]
            _check_size("the file", len(inside), sum(info.file_size for info in inside))
            name = _bank_name(archive, inside)
            return name, [_entry(archive, info) for info in _wanted(inside)]
    except Problem:
        raise
    except UNREADABLE as error:
        raise Problem("the file", shown(str(error)), "a zip that can be read, without a password") from None


def from_path(path: Path) -> tuple[str, list[Entry]]:
    """Return the same of a folder, with what lies in it at any depth, or of a file; links are not followed.

    Raises Problem as :func:`unpacked` does, and OSError where it cannot be read.
    """
    if not path.is_dir():
        if path.stat().st_size > MOST_BYTES:
            raise Problem(str(path), "a larger file", f"{MOST_BYTES / 1e6:.0f} MB at most")
        return unpacked(path.read_bytes(), path.name)
    files = [file for file in sorted(path.rglob("*")) if file.is_file() and not file.is_symlink()]
    files = [file for file in files if _is_wanted(PurePosixPath(file.relative_to(path).as_posix()))]
    _check_size(str(path), len(files), sum(file.stat().st_size for file in files))
    manifest = path / MANIFEST
    name = _name_in(manifest.read_bytes()) if manifest.is_file() else ""
    return name or path.resolve().name, [_from_file(file, path) for file in files]


def _from_file(file: Path, folder: Path) -> Entry:
    name = file.relative_to(folder).as_posix()
    try:
        return Entry(name, document_in(file.read_bytes(), name))
    except Problem as problem:
        return Entry(name, None, str(problem))


def _check_size(place: str, files: int, size: int) -> None:
    if files > MOST_FILES:
        raise Problem(place, f"{files} files", f"{MOST_FILES} at most")
    if size > MOST_BYTES:
        raise Problem(place, f"{size / 1e6:.0f} MB when it is unpacked", f"{MOST_BYTES / 1e6:.0f} MB at most")


def _wanted(inside: Sequence[zipfile.ZipInfo]) -> Iterator[zipfile.ZipInfo]:
    """Yield the files that are documents, or should be; what other programs leave in zips is passed over."""
    for info in inside:
        if _is_wanted(PurePosixPath(info.filename)):
            yield info


def _is_wanted(path: PurePosixPath) -> bool:
    hidden = any(part.startswith((".", "__")) and part != ".." for part in path.parts)
    return path.name != MANIFEST and most_bytes(path.name) is not None and not hidden


def _entry(archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> Entry:
    file = info.filename
    try:
        if file.startswith("/") or ".." in PurePosixPath(file.replace("\\", "/")).parts:
            raise Problem(shown(file), "a name that leads out of its folder", "a name within the zip")
        if stat.S_ISLNK(info.external_attr >> 16):
            raise Problem(shown(file), "a link", "a file")
        return Entry(file, document_in(_read(archive, info, most_bytes(file) or 0), file))
    except Problem as problem:
        return Entry(file, None, str(problem))


def _read(archive: zipfile.ZipFile, info: zipfile.ZipInfo, most: int) -> bytes:
    """Return what is in a file, a byte over what it may have at most: what it says of its own size is not trusted."""
    try:
        with archive.open(info) as file:
            return file.read(most + 1)
    except UNREADABLE as error:
        raise Problem(
            shown(info.filename), shown(str(error)), "a file that can be unpacked, without a password"
        ) from None


def _bank_name(archive: zipfile.ZipFile, inside: Sequence[zipfile.ZipInfo]) -> str:
    for info in inside:
        if info.filename == MANIFEST:
            with suppress(Problem):
                return _name_in(_read(archive, info, most_bytes(MANIFEST) or 0))
    return ""


def _name_in(manifest: bytes) -> str:
    """Return what a manifest calls the bank; nothing where it is none."""
    try:
        name = read_document(manifest).get("name")
    except Problem:
        return ""
    return name if isinstance(name, str) else ""
