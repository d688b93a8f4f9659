"""The note sheet as the screen wants it: a run in columns, with what each row is."""

from collections.abc import Callable, Sequence

import numpy as np

from jorvik.core.document.destinations import ALWAYS_SHOWN, VOICE, Destination
from jorvik.core.document.patch import Patch
from jorvik.core.engine.notes import VoiceNote, run_length, windows
from jorvik.core.engine.reduce import Reduced, reduce_run
from jorvik.core.engine.run import Run, never
from jorvik.core.engine.shared_rows import shared_by_voices
from jorvik.web.forms.common import LaneView, NoteView, Overlay, Row, Sheet, SignalView, VoiceView
from jorvik.web.services.packing import Base64, Packer
from jorvik.web.services.row_caches import RowCaches

_AS_TEXT = Base64()


def sheet(
    patch: Patch,
    rate: int,
    columns: int,
    velocities: list[float],
    caches: RowCaches,
    cancelled: Callable[[], bool] = never,
    span_s: tuple[float, float | None] = (0.0, None),
    asked: Sequence[str] = (),
    voice: int = 0,
    pack: Packer = _AS_TEXT,
) -> Sheet:
    """Return the sheet of a patch's voice, with its lanes at further velocities; made in one of some caches.

    ``span_s`` is the stretch of the performance that is shown. Under a phrase a voice of a poly patch covers only its
    own window of it: what is asked for is divided into columns, and those that lie in the window are returned.
    """
    run = Run(patch, rate, voice)
    whole = run_length(patch, rate)
    begin = min(round(span_s[0] * rate), whole - 1)
    end = whole if span_s[1] is None else max(begin + 1, min(whole, round(span_s[1] * rate)))
    first = min(max(begin - run.origin, 0), run.length - 1)
    last = max(first + 1, min(run.length, end - run.origin))
    columns = max(1, round(columns * (last - first) / (end - begin)))
    with caches.acquired(run) as cache:
        reduced = reduce_run(run, columns, cancelled, (first, last), cache)
        overlays = []
        for velocity in velocities:
            other = Run(patch.with_note(velocity=velocity), rate, voice)
            rows = reduce_run(other, columns, cancelled, (first, last), cache)
            lanes = {name: row_of(rows, lane.row, pack) for name, lane in other.program.lanes.items()}
            overlays.append(Overlay(velocity=velocity, lanes=lanes))
    return Sheet(
        rate=rate,
        seconds=whole / rate,
        from_s=begin / rate,
        to_s=end / rate,
        begins_s=(run.origin + first) / rate,
        ends_s=(run.origin + last) / rate,
        columns=reduced.starts.size,
        starts_s=pack.doubles((run.origin + reduced.starts) / rate),
        notes=[_note(held, run) for held in run.notes],
        signals=_signals(run, reduced, pack),
        lanes=_lanes(run, reduced, asked, pack),
        overlays=overlays,
    )


def voices_beside(
    patch: Patch,
    rate: int,
    columns: int,
    voice: int,
    cancelled: Callable[[], bool] = never,
    span_s: tuple[float, float | None] = (0.0, None),
    pack: Packer = _AS_TEXT,
) -> list[VoiceView]:
    """Return the voice's lanes of every other note of a phrase that lies in a stretch of it."""
    if patch.phrase is None or patch.voice.mode != "poly":
        return []
    whole = run_length(patch, rate)
    begin = min(round(span_s[0] * rate), whole - 1)
    end = whole if span_s[1] is None else max(begin + 1, min(whole, round(span_s[1] * rate)))
    shared, found = shared_by_voices(patch, rate, cancelled), []
    for number, (origin, length) in enumerate(windows(patch, rate)):
        first, last = max(begin - origin, 0), min(length, end - origin)
        if number == voice or last <= first:
            continue
        run = Run(patch, rate, number, shared)
        count = max(1, round(columns * (last - first) / (end - begin)))
        reduced = reduce_run(run, count, cancelled, (first, last))
        found.append(
            VoiceView(
                number=number,
                begins_s=(origin + first) / rate,
                ends_s=(origin + last) / rate,
                columns=reduced.starts.size,
                lanes={n: row_of(reduced, lane.row, pack) for n, lane in run.program.lanes.items() if n in VOICE},
            )
        )
    return found


def row_of(reduced: Reduced, row: int, pack: Packer = _AS_TEXT) -> Row:
    """Return one row of a run in columns, packed."""
    first, least, greatest = reduced.first[row], reduced.least[row], reduced.greatest[row]
    if least.min() == greatest.max():
        return level_row(float(first[0]), pack)
    # What the last column leads to is not known: its own ends stand for it.
    following = np.append(first[1:], first[-1])
    if (least >= np.minimum(first, following)).all() and (greatest <= np.maximum(first, following)).all():
        return Row(first=pack.floats(first))
    return Row(first=pack.floats(first), least=pack.floats(least), greatest=pack.floats(greatest))


def level_row(value: float, pack: Packer = _AS_TEXT) -> Row:
    """Return a row that stays at a value."""
    return Row(first=pack.floats(np.array([value])))


def _note(held: VoiceNote, run: Run) -> NoteView:
    on, off = ((run.origin + at) / run.rate for at in (held.on, held.off))
    return NoteView(on_s=on, off_s=off, key=held.note.key, velocity=held.note.velocity, number=held.number)


def _signals(run: Run, reduced: Reduced, pack: Packer) -> dict[str, SignalView]:
    found = {}
    held = run.note
    for module in run.patch.modules:
        row = run.program.module_rows[module.id]
        low, high = module.span()
        on, off = ((run.origin + at) / run.rate for at in (held.on, held.off))
        handles = module.handles(run.patch.performance.tempo, on, off)
        found[module.id] = SignalView(
            row=row_of(reduced, row, pack),
            summary=module.summary(),
            low=min(low, float(reduced.least[row].min())),
            high=max(high, float(reduced.greatest[row].max())),
            swings=run.patch.swings(module.id),
            handles=handles,
        )
    return found


def _lanes(run: Run, reduced: Reduced, wanted: Sequence[str], pack: Packer) -> dict[str, LaneView]:
    # A muted route keeps its stave, so that it can be let sound again where it was muted.
    asked = {*ALWAYS_SHOWN, *wanted, *run.program.lanes, *(route.destination for route in run.patch.routes)}
    names = [name for name in VOICE if name in asked]
    names += [name for name in run.program.lanes if name not in VOICE]
    return {name: _lane(run, reduced, name, pack) for name in names}


def _lane(run: Run, reduced: Reduced, name: str, pack: Packer) -> LaneView:
    """Return one destination; where nothing moves it, every row is its set value."""
    lane = run.program.lanes.get(name)
    at = run.patch.destination(name)
    assert at is not None, name
    set_value = run.patch.base(at)
    still = level_row(set_value, pack)
    value, raw, base = (row_of(reduced, lane.row + i, pack) for i in range(3)) if lane else (still, still, still)
    return LaneView(
        title=at.title,
        unit=at.unit,
        amount_unit=at.amount_unit,
        law=at.law,
        reads_as=at.reads_as,
        low=at.low,
        high=at.high,
        set_value=set_value,
        value=value,
        raw=raw if raw != value else None,
        base=base,
        contributions={r.id: row_of(reduced, run.program.route_rows[r.id], pack) for r in lane.routes} if lane else {},
        least=float(reduced.least[lane.row].min()) if lane else set_value,
        greatest=float(reduced.greatest[lane.row].max()) if lane else set_value,
        clamped=_share_beyond(reduced, lane.row + 1, at) if lane else 0.0,
    )


def _share_beyond(reduced: Reduced, raw: int, at: Destination) -> float:
    """Return the share of the columns in which a lane goes past an end of its range."""
    return float(((reduced.greatest[raw] > at.high) | (reduced.least[raw] < at.low)).mean())
