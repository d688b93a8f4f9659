"""WAV in and out: every kind is read properly or refused with a sentence."""

import io
import unittest

import numpy as np
import soundfile
from numpy.typing import NDArray

from jorvik.core.document.voice_settings import OWN_FRAMES, OWN_SAMPLES
from jorvik.core.dsp.wavetables import mip_levels
from jorvik.core.problems import Problem
from jorvik.core.voice.render import Sound
from jorvik.formats.wav import FULL_SCALE_V, read_cycles, read_recording, table_bytes, voltage_bytes, wav_bytes

Floats = NDArray[np.float64]


def cycle(length: int, harmonic: int = 1) -> Floats:
    return np.asarray(0.8 * np.sin(2 * np.pi * harmonic * np.arange(length) / length))


def wav(samples: Floats, rate: int = 48_000, subtype: str = "PCM_16") -> bytes:
    buffer = io.BytesIO()
    soundfile.write(buffer, samples, rate, subtype=subtype, format="WAV")
    return buffer.getvalue()


class Writing(unittest.TestCase):
    def test_depths_channels_and_rates(self) -> None:
        samples = np.stack([cycle(480), 0.5 * cycle(480)], axis=1)
        for rate in (44_100, 96_000):
            for depth, subtype, error in (("16", "PCM_16", 1e-4), ("24", "PCM_24", 1e-6), ("32f", "FLOAT", 1e-7)):
                with soundfile.SoundFile(io.BytesIO(wav_bytes(Sound(samples, rate, 0.0), depth))) as file:  # type: ignore[arg-type]
                    self.assertEqual((file.samplerate, file.channels, file.subtype), (rate, 2, subtype))
                    np.testing.assert_allclose(file.read(), samples, atol=error)
        mono, _ = soundfile.read(io.BytesIO(wav_bytes(Sound(samples, 48_000, 0.0), "24", mono=True)))
        np.testing.assert_allclose(mono, samples.mean(axis=1), atol=1e-6)

    def test_a_table_is_written_and_read_back(self) -> None:
        table = mip_levels("pleat")
        read = read_cycles(table_bytes(table))
        self.assertEqual((read.frames_in_file, read.frame_length, read.remark), (table.shape[1], 2048, ""))
        wanted = np.abs(np.fft.rfft(table[0], axis=1))[:, 1:200]
        got = np.abs(np.fft.rfft(read.cycles, axis=1))[:, 1:200]
        scale = float(wanted.max() / got.max())
        np.testing.assert_allclose(got * scale, wanted, atol=2e-3 * float(wanted.max()))

    def test_voltages_say_what_they_are(self) -> None:
        volts = np.linspace(-2.5, 5.0, 100)
        data, span = voltage_bytes(volts, 48_000, "lane.cutoff")
        self.assertEqual(span, (-2.5, 5.0))
        with soundfile.SoundFile(io.BytesIO(data)) as file:
            self.assertIn("-2.5 V to 5 V", file.comment)
            self.assertIn("never play it through loudspeakers or headphones", file.comment)
            np.testing.assert_allclose(file.read() * FULL_SCALE_V, volts, atol=1e-6)

    def test_voltages_beyond_the_file_are_refused_not_clipped(self) -> None:
        with self.assertRaisesRegex(Problem, "0 to 12 V.*32-bit float"):
            voltage_bytes(np.array([0.0, 12.0]), 48_000, "signal.big", "16")
        data, _ = voltage_bytes(np.array([0.0, 12.0]), 48_000, "signal.big", "32f")
        self.assertAlmostEqual(float(soundfile.read(io.BytesIO(data))[0][1]), 1.2, places=6)


class Figure(unittest.TestCase):
    def harmonics(self, cycles: Floats) -> Floats:
        return np.asarray(np.abs(np.fft.rfft(cycles, axis=1)))

    def test_every_depth_and_any_rate(self) -> None:
        for subtype in ("PCM_U8", "PCM_16", "PCM_24", "PCM_32", "FLOAT", "DOUBLE"):
            for rate in (8_000, 48_000, 192_000):
                read = read_cycles(wav(cycle(2048, 3), rate, subtype))
                self.assertEqual(read.cycles.shape, (1, OWN_SAMPLES))
                self.assertEqual(int(self.harmonics(read.cycles)[0].argmax()), 3, subtype)

    def test_frames_of_any_length_keep_their_harmonics(self) -> None:
        for length in (100, 600, 2048, 5000):
            frames = np.concatenate([cycle(length, h) for h in (1, 2, 5)])
            read = read_cycles(wav(frames), length)
            np.testing.assert_array_equal(self.harmonics(read.cycles).argmax(axis=1), [1, 2, 5])
            self.assertEqual(read.remark, "")

    def test_the_length_is_guessed_and_can_be_overruled(self) -> None:
        data = wav(np.tile(cycle(1024), 6))
        self.assertEqual(read_cycles(data).frame_length, 2048)
        self.assertEqual(read_cycles(data, 1024).frames_in_file, 6)

    def test_what_is_left_out_is_said(self) -> None:
        read = read_cycles(wav(np.tile(cycle(512), 40)[:-100]), 512)
        self.assertEqual(read.cycles.shape[0], OWN_FRAMES)
        self.assertIn("412 samples at the end", read.remark)
        self.assertIn("of 39 frames, 16", read.remark)
        read = read_cycles(wav(np.repeat(cycle(2048)[:, None], 10, axis=1)))
        self.assertIn("Of 10 channels the first", read.remark)
        self.assertIn("clipped", read_cycles(wav(np.clip(4 * cycle(2048), -1, 1))).remark)

    def test_what_cannot_be_used_is_refused_with_a_sentence(self) -> None:
        whole = wav(cycle(2048))
        nan = cycle(2048)
        nan[7] = np.nan
        for data, sentence in (
            (b"no sound at all, only text" * 9, "no sound that can be read"),
            (whole[:20], "no sound that can be read"),
            (b"", "no sound that can be read"),
            (wav(np.zeros(2048)), "silence"),
            (wav(np.zeros(0)), "no samples"),
            (wav(nan, subtype="FLOAT"), "no numbers"),
            (wav(np.zeros(4_000_000), 48_000, "PCM_U8"), "minutes of sound"),
            (wav(np.zeros(4_000_000)), "8 MB"),
        ):
            with self.assertRaisesRegex(Problem, sentence):
                read_cycles(data)
        for length in (8, 10_000):
            with self.assertRaisesRegex(Problem, "frame length"):
                read_cycles(whole, length)
        with self.assertRaisesRegex(Problem, "a frame of 4096"):
            read_cycles(whole, 4096)

    def test_a_file_cut_short_gives_the_frames_it_has(self) -> None:
        data = wav(np.tile(cycle(512), 4))
        read = read_cycles(data[: len(data) - 600], 512)
        self.assertEqual(read.frames_in_file, 3)
        self.assertIn("not a whole frame", read.remark)


class Recordings(unittest.TestCase):
    def test_channels_are_mixed_where_they_do_not_cancel_each_other(self) -> None:
        left, right = cycle(4800, 10), 0.5 * cycle(4800, 30)
        both = read_recording(wav(np.stack([left, right], axis=1), subtype="FLOAT"))
        np.testing.assert_allclose(both.samples, 0.5 * (left + right), atol=1e-6)
        self.assertIn("the mean was taken", both.remark)
        against = read_recording(wav(np.stack([left, -left], axis=1), subtype="FLOAT"))
        np.testing.assert_allclose(against.samples, left, atol=1e-6)
        self.assertIn("the first was taken", against.remark)

    def test_other_formats_rates_and_lengths(self) -> None:
        buffer = io.BytesIO()
        soundfile.write(buffer, cycle(9600, 20), 96_000, format="FLAC")
        found = read_recording(buffer.getvalue())
        self.assertEqual((found.rate, found.samples.size, found.remark), (96_000, 9600, ""))
        long = read_recording(wav(np.tile(cycle(8000, 40), 17), rate=8000))
        self.assertEqual(long.samples.size, 16 * 8000)
        self.assertIn("the first 16 were taken", long.remark)

    def test_what_is_no_sound_is_refused(self) -> None:
        for data, said in (
            (wav(np.zeros(4000)), "silence"),
            (b"RIFF", "no sound that can be read"),
            (wav(cycle(4000), rate=4000), "8000 to 192000"),
        ):
            with self.subTest(said=said), self.assertRaisesRegex(Problem, said):
                read_recording(data)


if __name__ == "__main__":
    unittest.main()
