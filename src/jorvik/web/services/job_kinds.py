"""What can be a job: a line each, its form and what makes it. Progress, cancel and results are the same for all."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Any, Final, Literal, Union, get_args

from pydantic import Field

from jorvik.core.document.patch import check_patch
from jorvik.core.measure.sound import loudness
from jorvik.core.problems import Problem
from jorvik.core.voice.render import render
from jorvik.formats.wav import RATES, wav_bytes
from jorvik.store.jobs import Made
from jorvik.store.library import LibraryStore
from jorvik.web.forms.common import Form, Play, SoundRequest, VoltageRequest
from jorvik.web.services.banks import BankJob, bank_about, bank_title, keep_judgements, made_bank
from jorvik.web.services.files import file_stem
from jorvik.web.services.matching import MatchJob, made_match, match_about, match_title
from jorvik.web.services.printing import PrintJob, print_title, printed_files
from jorvik.web.services.rendered import with_test_note
from jorvik.web.services.scheduler import WorkKind
from jorvik.web.services.sweeps import MapJob, SweepJob, made_map, made_sweep, sweep_about, sweep_title
from jorvik.web.services.voltage import voltage
from jorvik.web.services.workers import Cancel, Tell


class SoundJob(SoundRequest):
    """The sound of a patch, to be written to a WAV file."""

    kind: Literal["sound"]


class VoltageJob(VoltageRequest):
    """A signal or a lane, to be written to a WAV file as control voltage."""

    kind: Literal["voltage"]


@dataclass(frozen=True)
class JobKind:
    """One kind of job."""

    form: type[Form]
    title: Callable[[Any], str]
    make: Callable[[Any, Cancel, Tell], Made]
    """Returns what comes of a form; may tell how far it is, from 0 to 1, and with that what is known so far, as JSON.
    Run in a process of its own."""
    about: Callable[[Any], dict[str, Any]] = lambda _: {}
    """Returns what is worth saying of it from the beginning on."""
    after: Callable[[Any, Made, LibraryStore], None] = lambda *_: None
    """Keeps what of a result belongs elsewhere in the library."""
    work: WorkKind = "jobs"
    """Among which others it waits: those of a kind of work are done one after the other."""


def _name(form: Play) -> str:
    return check_patch(form.document).name


def _sound(form: SoundJob, cancelled: Cancel, tell: Tell) -> Made:
    patch = with_test_note(form)
    if form.rate not in RATES:
        raise Problem("rate", f"{form.rate} Hz", f"one of {', '.join(str(rate) for rate in RATES)} Hz")
    sound = render(patch, form.rate, cancelled, progress=tell, with_hits=form.with_hits)
    facts = {"limited_db": round(sound.limited_db, 2), "loudness_lufs": round(loudness(sound.samples, sound.rate), 2)}
    return Made(wav_bytes(sound, form.depth, form.mono), "audio/wav", f"{file_stem(patch.name)}.wav", facts)


def _voltage(form: VoltageJob, cancelled: Cancel, _: Tell) -> Made:
    data, facts = voltage(form, cancelled)
    return Made(data, "audio/wav", f"{file_stem(_name(form))}-{file_stem(form.name)}.wav", facts)


_KINDS: Final = (
    JobKind(SoundJob, lambda form: f"Sound of {_name(form)}", _sound),
    JobKind(VoltageJob, lambda form: f"{form.name.partition('.')[2]} of {_name(form)} as voltage", _voltage),
    JobKind(PrintJob, print_title, printed_files),
    JobKind(SweepJob, sweep_title, made_sweep, sweep_about),
    JobKind(MatchJob, match_title, made_match, match_about),
    JobKind(MapJob, sweep_title, made_map, sweep_about),
    JobKind(BankJob, bank_title, made_bank, bank_about, keep_judgements, "banks"),
)
JOB_KINDS: Final[dict[str, JobKind]] = {get_args(kind.form.model_fields["kind"].annotation)[0]: kind for kind in _KINDS}
"""Every kind that there is, by the name that its form begins with."""

if TYPE_CHECKING:
    # A type checker cannot read a union that is made as the program runs: one of its members stands for all.
    JobRequest = SoundJob
else:
    JobRequest = Annotated[Union[tuple(kind.form for kind in _KINDS)], Field(discriminator="kind")]  # noqa: UP007
"""The form of any job."""
