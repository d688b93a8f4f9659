"""Banks as files: out and in again, and every way in which a zip can be wrong."""

import io
import json
import stat
import tempfile
import unittest
import zipfile
from contextlib import suppress
from pathlib import Path

import numpy as np
import soundfile

from jorvik.core.document.phrase import check_phrase
from jorvik.core.problems import Problem
from jorvik.formats import archive
from jorvik.formats.archive import Entry, from_path, packed, unpacked
from jorvik.formats.midi import midi_bytes
from tests.support import Json, document


def zipped(files: dict[str, bytes], links: tuple[str, ...] = ()) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for name, data in files.items():
            info = zipfile.ZipInfo(name)
            info.external_attr = (stat.S_IFLNK if name in links else stat.S_IFREG) << 16
            info.compress_type = zipfile.ZIP_DEFLATED
            made.writestr(info, data)
    return out.getvalue()


class Archive(unittest.TestCase):
    def test_what_goes_out_comes_in(self) -> None:
        phrase: Json = {"format": "jorvik-phrase", "version": 1, "name": "Tide"}
        out = [
            ("patches", document(name="Bell")),
            ("patches", document(name="Bell", notes="another")),
            ("phrases", phrase),
        ]
        name, entries = unpacked(packed(out, "Of the Barge"), "bank.zip")
        self.assertEqual(name, "Of the Barge")
        self.assertEqual([entry.document for entry in entries], [document for _, document in out])
        self.assertEqual([e.file for e in entries], ["patches/bell.json", "patches/bell-2.json", "phrases/tide.json"])

    def test_one_document_alone(self) -> None:
        text = json.dumps(document(name="Bell")).encode()
        self.assertEqual(unpacked(text, "bell.json"), ("", [Entry("bell.json", document(name="Bell"))]))

    def test_a_bank_is_called_by_text_alone(self) -> None:
        for name, wanted in (("Of the Barge", "Of the Barge"), (None, ""), (7, ""), (["x"], "")):
            out = io.BytesIO()
            with zipfile.ZipFile(out, "w") as archive:
                archive.writestr("manifest.json", json.dumps({"format": "jorvik-bank", "name": name}))
                archive.writestr("bell.json", json.dumps(document(name="Bell")))
            self.assertEqual(unpacked(out.getvalue(), "bank.zip")[0], wanted)

    def test_a_folder_says_the_same_as_its_zip(self) -> None:
        data = packed([("patches", document(name="Bell")), ("patches", document(name="Horn"))], "Of the Barge")
        with tempfile.TemporaryDirectory() as made:
            folder = Path(made)
            zipfile.ZipFile(io.BytesIO(data)).extractall(folder)
            self.assertEqual(from_path(folder), unpacked(data, "bank.zip"))
            (folder / "patches" / "broken.json").write_text("{")
            (folder / ".hidden.json").write_text("{}")
            (folder / "notes.txt").write_text("not a document")
            (folder / "out.json").symlink_to("/etc/hostname")
            (folder / "manifest.json").unlink()
            name, entries = from_path(folder)
            self.assertEqual(name, folder.name)
            wrong = [entry.file for entry in entries if entry.trouble]
            self.assertEqual((wrong, len(entries)), (["patches/broken.json"], 3))

    def test_sounds_come_in_as_recordings_and_midi_as_phrases(self) -> None:
        sound = io.BytesIO()
        soundfile.write(sound, 0.3 * np.sin(np.arange(24_000) * 0.05), 48_000, format="WAV")
        phrase = check_phrase({"format": "jorvik-phrase", "version": 1, "played": [{"key": 50.0, "at": 1.0}]})
        files = {"struck.wav": sound.getvalue(), "tide.mid": midi_bytes(phrase), "loud.wav": b"RIFF"}
        entries = {entry.file: entry for entry in unpacked(zipped(files), "all.zip")[1]}
        recording = entries["struck.wav"].document or {}
        self.assertEqual((recording["format"], recording["name"]), ("jorvik-recording", "struck"))
        read = entries["tide.mid"].document or {}
        self.assertEqual((read["format"], [note["key"] for note in read["played"]]), ("jorvik-phrase", [50.0]))
        self.assertIn("loud.wav", entries["loud.wav"].file)
        self.assertTrue(entries["loud.wav"].trouble)

    def test_what_is_broken_is_named_and_the_rest_stands(self) -> None:
        good = json.dumps(document()).encode()
        files = {
            "a.json": good,
            "../out.json": good,
            "/root.json": good,
            "sub/../../out.json": good,
            "link.json": b"/etc/passwd",
            "broken.json": b"{",
            "twice.json": b'{"a": 1, "a": 2}',
            "__other/x.json": good,
            ".hidden.json": good,
            "readme.txt": b"hello",
            "z.json": good,
        }
        _, entries = unpacked(zipped(files, links=("link.json",)), "bank.zip")
        troubles = {entry.file: entry.trouble for entry in entries}
        self.assertEqual([file for file, trouble in troubles.items() if not trouble], ["a.json", "z.json"])
        for file in ("../out.json", "/root.json", "sub/../../out.json"):
            self.assertIn("leads out of its folder", troubles[file])
        self.assertIn("a link", troubles["link.json"])
        self.assertIn("no JSON at line 1", troubles["broken.json"])
        self.assertEqual(set(files) - set(troubles), {"__other/x.json", ".hidden.json", "readme.txt"})

    def test_what_unpacks_to_more_than_there_may_be_is_refused_unread(self) -> None:
        bomb = zipped({f"{n}.json": bytes(8_000_000) for n in range(60)})
        self.assertLess(len(bomb), 1_000_000)
        with self.assertRaisesRegex(Problem, "480 MB when it is unpacked"):
            unpacked(bomb, "bank.zip")
        many = zipped({f"{n}.json": b"{}" for n in range(archive.MOST_FILES + 1)})
        with self.assertRaisesRegex(Problem, "5001 files"):
            unpacked(many, "bank.zip")

    def test_a_size_that_a_zip_only_claims_is_not_believed(self) -> None:
        large = b'{"notes": "' + b"x" * 9_000_000 + b'"}'
        _, [entry] = unpacked(zipped({"large.json": large}), "bank.zip")
        self.assertIn("MB", entry.trouble)

    def test_whatever_is_damaged_is_a_sentence(self) -> None:
        """Each byte of a zip set to another, one after the other: nothing but sentences comes of it."""
        good = zipped({"a.json": json.dumps(document(name="A" * 300)).encode(), "b.json": b'{"format": "x"}'})
        for place in range(len(good)):
            broken = bytearray(good)
            broken[place] ^= 0xFF
            with suppress(Problem):
                for entry in unpacked(bytes(broken), "x.zip")[1]:
                    self.assertEqual(entry.document is None, bool(entry.trouble))

    def test_no_zip_and_no_document(self) -> None:
        for data in (b"PK\x03\x04 not really", b"\x00\x01", b"[]"):
            with self.subTest(data), self.assertRaises(Problem):
                unpacked(data, "x.zip")
        broken = bytearray(zipped({"a.json": json.dumps(document()).encode() * 20}))
        broken[60:90] = bytes(30)
        _, [entry] = unpacked(bytes(broken), "x.zip")
        self.assertIsNone(entry.document)
