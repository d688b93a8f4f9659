"""The sound of a patch at a note, as a WAV file."""

from collections.abc import Callable
from typing import Final

from jorvik.bank.pieces import Piece
from jorvik.bank.work import Made
from jorvik.bank.work.measure import sound_figures
from jorvik.bank.works import WorkFacts
from jorvik.core.voice.render import render
from jorvik.formats.wav import wav_bytes

FACTS: Final = WorkFacts(
    "Render",
    "a WAV file each",
    3,
    axes=("key", "velocity", "length_s", "seed", "phrase"),
    options=("rate", "depth"),
    row_s=0.004,
    has_gain=True,
)


def make(piece: Piece, cancelled: Callable[[], bool]) -> Made:
    """Return the sound as a file, and how loud and bright it is."""
    sound = render(piece.performed(), int(piece.options["rate"]), cancelled)
    return Made(sound_figures(sound), {f"{piece.stem}.wav": wav_bytes(sound, piece.options["depth"])})
