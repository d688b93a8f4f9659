"""Requests about sound: to hear it, to look inside it, to write it to a file, and to read cycles from one."""

import base64

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import ValidationError

from jorvik.core.document.patch import check_patch
from jorvik.core.document.voice_settings import OwnTable, Recording, frame_of, packed_cycles, packed_samples
from jorvik.core.dsp.kernels import Floats
from jorvik.core.dsp.wavetables import leveled
from jorvik.core.measure.sound import (
    band_levels,
    fundamental,
    level_deviation,
    levels,
    partials,
    spectral_centroid,
    spectrogram,
    spectrum_at,
    thinned,
    while_held,
)
from jorvik.core.problems import Problem, from_validation, shown
from jorvik.core.units.levels import decibels
from jorvik.core.units.pitch import key_at, key_hz
from jorvik.core.voice.render import Sound
from jorvik.formats.wav import RATES, read_cycles, read_recording, table_bytes, wav_bytes
from jorvik.web.forms.common import (
    CyclesRead,
    CyclesRequest,
    HarmonicRow,
    HarmonicsRequest,
    HarmonicsSeen,
    LookRequest,
    Play,
    RecordingRead,
    RecordingRequest,
    SoundRequest,
    SoundView,
    TableRequest,
)
from jorvik.web.services.packing import packed
from jorvik.web.services.rendered import heard, with_test_note
from jorvik.web.services.scheduler import TheScheduler, WorkKind, as_json
from jorvik.web.services.weight import is_heavy_sound
from jorvik.web.services.workers import Cancel, Tell

router = APIRouter()
_ROWS = 108
_FLOOR_DB = -100.0
"""What is shown as nothing in the spectrogram, and what its legend says."""
_CURVE = 400


@router.post("/sound", response_class=Response)
async def post_sound(request: Request, form: SoundRequest, scheduler: TheScheduler) -> Response:
    """Return the sound of a patch as WAV; headers say what the limiter took, how loud it is, and how bright."""
    if form.rate not in RATES:
        raise Problem("rate", f"{form.rate} Hz", f"one of {', '.join(str(rate) for rate in RATES)} Hz")
    data, headers = await scheduler.make(request, _kind_of_work(form), _sound, form)
    return Response(data, media_type="audio/wav", headers=headers)


def _kind_of_work(form: Play) -> WorkKind:
    return "heavy" if is_heavy_sound(form.document, form.phrase) else "sound"


def _sound(form: SoundRequest, cancelled: Cancel, _: Tell) -> tuple[bytes, dict[str, str]]:
    found = heard(form, cancelled)
    headers = {
        "X-Limited-dB": f"{found.sound.limited_db:.2f}",
        "X-Loudness-LUFS": f"{found.loudness_lufs:.2f}",
        "X-Centroid-Hz": f"{found.centroid_hz:.0f}",
    }
    return wav_bytes(found.sound, form.depth, form.mono), headers


@router.post("/prepare", status_code=204)
async def post_prepare(request: Request, form: Play, scheduler: TheScheduler) -> None:
    """Make the sound of a patch ready, so that it starts at once when it is asked for."""
    await scheduler.make(request, _kind_of_work(form), _prepare, form)


def _prepare(form: Play, cancelled: Cancel, _: Tell) -> None:
    heard(form, cancelled)


@router.post("/look", response_model=SoundView)
async def post_look(request: Request, form: LookRequest, scheduler: TheScheduler) -> Response:
    """Return a look inside the sound of a patch: levels, spectrogram, bands, and the harmonics at a moment."""
    return await as_json(scheduler.make(request, _kind_of_work(form), _look, form))


def _look(form: LookRequest, cancelled: Cancel, _: Tell) -> bytes:
    return look(heard(form, cancelled).sound, form).model_dump_json().encode()


@router.post("/harmonics")
def post_harmonics(form: HarmonicsRequest) -> HarmonicsSeen:
    """Return a frame of harmonics 1 to 32, as they are at the test key, and the wave they make."""
    patch = check_patch(form.document)
    given = form.harmonics
    if given is None:
        if not patch.voice.oscillators.has_table(form.table):
            raise Problem("table", shown(form.table), "a table of the bank or the patch")
        given = frame_of(patch.voice.oscillators.table(form.table), form.position)
    try:
        checked = OwnTable(name="seen", frames=[given])
    except ValidationError as error:
        raise from_validation(error, ()) from None
    note_hz = key_hz(patch.performance.notes[0].key)
    rows = [
        HarmonicRow(number=n, hz=n * note_hz, key=key_at(n * note_hz), db=decibels(level))
        for n, (level, _) in enumerate(given, 1)
    ]
    return HarmonicsSeen(harmonics=given, rows=rows, wave=packed(leveled(checked.spectra())[0, 0][::16]))


@router.post("/table.wav", response_class=Response)
def post_table(form: TableRequest) -> Response:
    """Return a wavetable of the bank or the patch as a WAV of its cycles."""
    oscillators = check_patch(form.document).voice.oscillators
    if not oscillators.has_table(form.table):
        raise Problem("table", shown(form.table), "a table of the bank or the patch")
    return Response(table_bytes(oscillators.table(form.table)), media_type="audio/wav")


@router.post("/cycles")
def post_cycles(form: CyclesRequest) -> CyclesRead:
    """Return the cycles in a WAV file, ready to be a table of the patch's own."""
    read = read_cycles(form.data, form.frame_length)
    return CyclesRead(
        cycles=packed_cycles(read.cycles),
        frames=read.cycles.shape[0],
        frame_length=read.frame_length,
        frames_in_file=read.frames_in_file,
        remark=read.remark,
    )


@router.post("/recording")
def post_recording(form: RecordingRequest) -> RecordingRead:
    """Return the sound of a file as a recording that a patch can have as a tone."""
    read = read_recording(form.data)
    found = Recording(name=form.name, rate=read.rate, samples=packed_samples(read.samples), key=form.key)
    document = found.model_dump(mode="json", exclude_defaults=True)
    return RecordingRead(recording=document, seconds=read.samples.size / read.rate, remark=read.remark)


def look(sound: Sound, form: LookRequest) -> SoundView:
    """Return everything that the sound view shows."""
    samples, rate = sound.samples, sound.rate
    columns = max(1, min(form.columns, samples.shape[0]))
    edges = (np.arange(columns) * (samples.shape[0] / columns)).astype(np.int64)
    mono = samples.mean(axis=1) if samples.size else np.zeros(1)
    picture = spectrogram(samples, rate, columns, _ROWS)
    bands = band_levels(samples, rate, columns)
    hz, amplitudes = spectrum_at(samples, rate, form.at_s)
    curve_hz, curve = thinned(hz, amplitudes, _CURVE)
    notes = with_test_note(form).performance.notes
    note_hz = fundamental(hz, amplitudes, key_hz(notes[0].key))
    off_s = max(note.start_s + note.length_s for note in notes)
    held = while_held(bands, samples.shape[0] / rate, rate, notes[0].start_s, off_s)
    return SoundView(
        seconds=samples.shape[0] / rate,
        levels=levels(samples, rate),
        limited_db=sound.limited_db,
        least=packed(np.minimum.reduceat(mono, edges)),
        greatest=packed(np.maximum.reduceat(mono, edges)),
        spectrogram=base64.b64encode(_shades(picture.db).tobytes()).decode(),
        rows=_ROWS,
        columns=columns,
        low_hz=picture.low_hz,
        high_hz=picture.high_hz,
        floor_db=_FLOOR_DB,
        bands=[packed(band) for band in bands],
        level_deviation_db=[level_deviation(band) for band in held],
        spectrum_hz=packed(curve_hz),
        spectrum_db=packed(curve),
        partials=partials(hz, amplitudes, note_hz, rate),
        centroid_hz=spectral_centroid(samples, rate),
    )


def _shades(db: Floats) -> "np.ndarray[tuple[int, ...], np.dtype[np.uint8]]":
    """Return levels as bytes: 0 at the floor, 255 at 0 dB."""
    return np.clip((db - _FLOOR_DB) * (255.0 / -_FLOOR_DB), 0.0, 255.0).astype(np.uint8)
