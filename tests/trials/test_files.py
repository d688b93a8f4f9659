"""Files made up from a seed and then broken: every reader takes them or says in a sentence why not."""

import io
import json
import random
import unittest
import zipfile
from collections import Counter
from collections.abc import Callable
from typing import Any

import mido
import numpy as np
import soundfile

from jorvik.core.problems import Problem
from jorvik.formats.archive import unpacked
from jorvik.formats.beat import read_beat
from jorvik.formats.lanes import read_lane
from jorvik.formats.midi import read_midi
from jorvik.formats.recordings import packed_recording
from jorvik.formats.wav import read_cycles, read_recording
from jorvik.place import ROOT
from jorvik.store.kinds import check_kept
from tests.trials.served import LONG, seed_of

FILES = 5_000 if LONG else 100

Reader = Callable[[bytes, str], object]
WORDS = (b"\0", b"\xff", b"nan", b"1e999", b"-1", b"{", b"[", b'"', b"\\ud83d", b"\x7f\xff\xff\xff", b"RIFF", b"data")


def kept(data: bytes, name: str) -> object:
    """Return what the library would keep of a file."""
    return [check_kept(entry.document) for entry in unpacked(data, name)[1] if entry.document is not None]


def sound(ending: str, rng: random.Random) -> bytes:
    """Return a short recorded note, silence or nothing, of some rate, width and packing."""
    rate, channels = rng.choice([8_000, 44_100, 96_000]), rng.choice([1, 2, 6])
    time_s = np.arange(rng.choice([0, 1, 500, rate // 4])) / rate
    samples = np.repeat(0.5 * np.sin(2 * np.pi * 220 * time_s)[:, None], channels, axis=1)
    packing = {"wav": ["PCM_16", "PCM_24", "FLOAT", "ULAW"], "flac": ["PCM_16", "PCM_24"], "ogg": ["VORBIS"]}[ending]
    buffer = io.BytesIO()
    soundfile.write(buffer, samples, rate, format=ending.upper(), subtype=rng.choice(packing))
    return buffer.getvalue()


def midi(rng: random.Random) -> bytes:
    """Return a MIDI file with notes, controllers, tempo and time signature, one after the other."""
    track = mido.MidiTrack()
    for _ in range(rng.randint(0, 20)):
        key, later = rng.randrange(128), rng.choice([0, 1, 60, 480])
        track.append(
            rng.choice(
                [
                    mido.Message("note_on", note=key, velocity=rng.randrange(128), time=later),
                    mido.Message("note_off", note=key, time=later),
                    mido.Message("control_change", control=key, value=rng.randrange(128), time=later),
                    mido.Message("pitchwheel", pitch=rng.randint(-8192, 8191), time=later),
                    mido.MetaMessage("set_tempo", tempo=rng.choice([1, 500_000, 2**24 - 1]), time=later),
                    mido.MetaMessage("time_signature", numerator=rng.randint(1, 32), denominator=4, time=later),
                ]
            )
        )
    buffer = io.BytesIO()
    mido.MidiFile(type=0, ticks_per_beat=rng.choice([1, 96, 480]), tracks=[track]).save(file=buffer)
    return buffer.getvalue()


def zipped(files: dict[str, bytes]) -> bytes:
    """Return files as a zip."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return buffer.getvalue()


def corpus(pattern: str) -> list[bytes]:
    return [path.read_bytes() for path in sorted((ROOT / "tests/corpus").glob(pattern))]


def document(rng: random.Random) -> bytes:
    """Return a document of any kind that some version wrote."""
    return rng.choice(corpus("*/*.json"))


def lane(rng: random.Random) -> bytes:
    """Return the points of a lane as a table."""
    rows = [f"{n / 4},{rng.random():.3f}" for n in range(rng.randint(0, 30))]
    return "\n".join(["time_s,value", *rows]).encode()


KINDS: dict[str, tuple[Callable[[random.Random], bytes], str, Reader]] = {
    "document": (document, "one.json", kept),
    "zip": (lambda rng: zipped({f"one.{end}": make(rng) for end, make in MAKERS.items()}), "some.zip", kept),
    "bank": (lambda rng: rng.choice([*corpus("banks/*.zip"), *corpus("*.zip")]), "bank.zip", kept),
    "MIDI phrase": (midi, "one.mid", kept),
    "MIDI": (midi, "one.mid", lambda data, name: read_midi(data, name)),
    "WAV": (lambda rng: sound("wav", rng), "one.wav", kept),
    "FLAC": (lambda rng: sound("flac", rng), "one.flac", kept),
    "OGG": (lambda rng: sound("ogg", rng), "one.ogg", lambda data, name: packed_recording(data, name)),
    "WAV beat": (lambda rng: sound("wav", rng), "one.wav", lambda data, name: read_beat(data, name)),
    "cycles": (lambda rng: sound("wav", rng), "one.wav", lambda data, _: read_cycles(data)),
    "tone": (lambda rng: sound("wav", rng), "one.wav", lambda data, _: read_recording(data)),
    "lane": (lane, "lane.csv", lambda data, _: read_lane(data)),
}


def broken(data: bytes, rng: random.Random) -> bytes:
    """Return a file with one to five of its places cut, doubled, or made something else."""
    made = bytearray(data)
    for _ in range(rng.randint(1, 5)):
        at = rng.randrange(len(made) + 1)
        match rng.randrange(5):
            case 0:
                del made[at:]
            case 1:
                del made[at : at + rng.choice([1, 4, 100])]
            case 2:
                made[at:at] = made[at : at + 40]
            case 3:
                made[at : at + 4] = rng.choice(WORDS)
            case 4 if at < len(made):
                made[at] = rng.randrange(256)
    return bytes(made)


class EveryReader(unittest.TestCase):
    def test_a_broken_file_is_read_or_refused_in_a_sentence(self) -> None:
        rng = random.Random(seed_of("files made up"))
        ends: Counter[str] = Counter()
        for number in range(FILES):
            kind = [*KINDS][number % len(KINDS)]
            make, name, read = KINDS[kind]
            data = make(rng)
            data = broken(data, rng) if rng.random() < 0.85 else data
            with self.subTest(number=number, kind=kind):
                try:
                    read(data, name)
                    ends["read"] += 1
                except Problem as problem:
                    self.assertIn("must be", str(problem))
                    ends["refused"] += 1
        print(f"{FILES} files: {dict(ends)}")
        self.assertGreater(min(ends["read"], ends["refused"]), FILES // 20)

    def test_one_broken_file_leaves_the_others_of_a_zip(self) -> None:
        rng = random.Random(seed_of("zips made up"))
        whole = json.loads((ROOT / "tests/corpus/patches/ferry-horn.json").read_text())
        for number in range(max(4, FILES // 100)):
            bad = {f"bad-{n}.{ending}": broken(make(rng), rng) for n, (ending, make) in enumerate(MAKERS.items())}
            name, entries = unpacked(zipped({"good.json": json.dumps(whole).encode(), **bad}), "some.zip")
            self.assertEqual(name, "")
            found: dict[str, Any] = {entry.file: entry for entry in entries}
            with self.subTest(number=number):
                self.assertEqual(found["good.json"].document["name"], whole["name"])
                for file in bad:
                    self.assertTrue(found[file].document is not None or found[file].trouble, file)


MAKERS: dict[str, Callable[[random.Random], bytes]] = {
    "json": document,
    "mid": midi,
    "wav": lambda rng: sound("wav", rng),
    "flac": lambda rng: sound("flac", rng),
}


if __name__ == "__main__":
    unittest.main()
