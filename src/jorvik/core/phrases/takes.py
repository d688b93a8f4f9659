"""Takes: as phrases that can be edited, as they were heard, and joined from the best bars of several."""

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Any, Final

import numpy as np

from jorvik.core.document.patch import Patch
from jorvik.core.document.phrase import Phrase, check_phrase
from jorvik.core.document.take import Take
from jorvik.core.engine.run import never
from jorvik.core.limits import MAX_BARS, MAX_HITS, MAX_PHRASE_SECONDS, MAX_STRIKES
from jorvik.core.modules.macro import Macro
from jorvik.core.phrases.simplifying import within_limit
from jorvik.core.problems import Problem
from jorvik.core.voice.render import Sound, render

_ON_S: Final = 0.05
"""What is held at a take's end is held for so much longer where it is rendered: sound looks a little ahead."""

_WHOLE: Final = 1e-3
"""Of a bar: what is left over by less than that, as samples are whole, is none."""


def phrase_of(take: Take) -> Phrase:
    """Return a take as a phrase: its own notes, its lanes with as many points as are kept, the hits beside it.

    A note that is held at its end ends there.
    """
    start, beat = take.start, take.beat
    played = [
        {
            "key": note.key,
            "velocity": note.velocity,
            "at": (note.on - start) / beat,
            "length": max(min(note.off, take.ends) - note.on, 1) / beat,
        }
        for note in take.inside
    ]
    if take.begins is None:
        beats = max(note["at"] + note["length"] for note in played)
    else:
        beats = (take.ends - start) / beat
    return _phrase(take, start, beats, played, within_limit(_lanes(take, start, take.ends)))


def performed(take: Take) -> tuple[Patch, int]:
    """Return the patch under all that was played until a take's end, and the sample of it at which the take begins.

    Rendered, it is what was heard, sample for sample: a note before the take may still sound in it, and what runs
    free stands where it stood. Where more was played than can be rendered, it begins with the take.
    """
    until = take.ends + round(_ON_S * take.rate)
    since = 0 if take.ends <= MAX_PHRASE_SECONDS * take.rate else take.start
    notes = [note for note in take.played if since <= note.on < take.ends]
    played = [
        {
            "key": note.key,
            "velocity": note.velocity,
            "at": (note.on - since) / take.beat,
            "length": (min(note.off if note.off < take.ends else until, until) - note.on) / take.beat,
        }
        for note in notes
    ]
    heard = (until - since) / take.beat
    phrase = _phrase(take, since, (take.ends - since) / take.beat, played, {}, heard)
    # Every point of a lane counts here, also where a phrase that is kept has fewer.
    phrase = phrase.model_copy(update={"controls": _lanes(take, since, until)})
    patch = take.played_patch
    if not played:
        # Without a note a phrase would have the test note.
        silent = {"notes": [{"key": 60, "velocity": 0, "start_s": 0, "length_s": 1 / take.rate}]}
        performance = {**patch.document().get("performance", {}), **silent}
        patch = patch.model_copy(update={"performance": patch.performance.model_validate(performance)})
    return patch.under(phrase), take.start - since


def printed(
    take: Take,
    with_hits: bool = False,
    wet: bool = True,
    cancelled: Callable[[], bool] = never,
    progress: Callable[[float], None] | None = None,
) -> Sound:
    """Return a take as it was heard, from its first sample until its tail has ended; dry where ``wet`` is off.

    ``cancelled`` and ``progress`` are those of :func:`jorvik.core.voice.render.render`. Raises Problem where a voice
    comes to no finite number.
    """
    patch, first = performed(take)
    sound = render(patch, take.rate, cancelled, progress=progress, with_hits=with_hits, wet=wet)
    return replace(sound, samples=sound.samples[first:])


def joined(takes: Sequence[Take], bars: Sequence[int]) -> Phrase:
    """Return a phrase whose bars come each from one of several takes: ``bars`` says which, from 0 on.

    A note belongs to the bar in which it is struck; a lane jumps where two bars meet that were played apart. Tempo,
    hits and what else there is are those of the first take. Raises Problem where they do not go together.
    """
    phrases = [phrase_of(take) for take in takes]
    if not phrases:
        raise Problem("the takes", "none", "one or more")
    first = phrases[0]
    for take, phrase in zip(takes, phrases, strict=True):
        if (phrase.tempo_bpm, phrase.beats_per_bar) != (first.tempo_bpm, first.beats_per_bar):
            raise Problem(take.name, f"{phrase.tempo_bpm:g} bpm", f"of one tempo with {takes[0].name}")
    if not 1 <= len(bars) <= MAX_BARS or not all(0 <= which < len(takes) for which in bars):
        raise Problem("the bars", str(list(bars)), f"for each bar a take, by its number from 0 to {len(takes) - 1}")
    bar = float(first.beats_per_bar)
    played: list[dict[str, Any]] = []
    controls: dict[str, list[list[float]]] = {}
    names = sorted({name for phrase in phrases for name in phrase.controls})
    for number, which in enumerate(bars):
        begin, end = number * bar, (number + 1) * bar
        phrase = phrases[which]
        played += [note.model_dump() for note in phrase.played if begin <= note.at < end]
        for name in names:
            standing = phrase.controls.get(name) or [[0.0, _stands_at(takes[which], name)]]
            controls.setdefault(name, []).extend(_stretch(standing, begin, end))
    lanes = within_limit({name: _without_doubles(points) for name, points in controls.items()})
    document = {**first.document(), "simplified": {}, "name": "Joined", "bars": len(bars), "played": played, **lanes}
    return check_phrase(document)


def _phrase(
    take: Take,
    since: int,
    beats: float,
    played: list[dict[str, Any]],
    lanes: dict[str, Any],
    struck: float | None = None,
) -> Phrase:
    """Return a phrase of so many quarter notes, with the hits of so many, or of its bars."""
    bar = take.beats_per_bar
    bars = min(max(1, math.ceil(beats / bar - _WHOLE)), MAX_BARS)
    return check_phrase(
        {
            "format": "jorvik-phrase",
            "version": 1,
            "name": take.name,
            "tempo_bpm": take.tempo_bpm,
            "beats_per_bar": bar,
            "bars": bars,
            "played": played,
            "hits": _struck(take, since, bars * bar if struck is None else struck),
            **lanes,
        }
    )


def _struck(take: Take, since: int, beats: float) -> list[dict[str, Any]]:
    """Return the hits that were played over, for so many quarter notes from a sample on."""
    if take.over is None:
        return []
    turn = turn_samples(take.over, take.rate)
    hits = []
    for hit in take.over.document().get("hits", []):
        strikes = []
        for number in range(max(0, (since - take.bars_from) // turn), 2 + int((since + beats * take.beat) // turn)):
            for strike in hit.get("strikes", []):
                at = (take.bars_from + number * turn - since) / take.beat + strike.get("at", 0.0)
                if -_WHOLE <= at < beats - _WHOLE:
                    strikes.append({**strike, "at": max(at, 0.0)})
        hits.append({**hit, "strikes": strikes[: MAX_STRIKES // MAX_HITS]})
    return hits


def turn_samples(phrase: Phrase, rate: int) -> int:
    """Return the samples of one turn of a phrase whose bars are played in a loop."""
    return max(1, round(phrase.bars * phrase.beats_per_bar * phrase.beat_s * rate))


def _lanes(take: Take, since: int, until: int) -> dict[str, list[list[float]]]:
    """Return the lanes between two samples, in quarter notes, from where they stood; none that was never moved."""
    lanes = {}
    for name, recorded in take.lanes.items():
        samples, values = np.array(recorded).T
        points = [[0.0, float(np.interp(since, samples, values))]]
        points += [[(at - since) / take.beat, value] for at, value in recorded if since < at < until]
        if samples[-1] >= until:
            points.append([(until - since) / take.beat, float(np.interp(until, samples, values))])
        if any(value != _stands_at(take, name) for _, value in points):
            lanes[name] = points
    return lanes


def _stands_at(take: Take, name: str) -> float:
    """Return where a lane stands that nobody touches."""
    module = take.played_patch.modules_by_id.get(name.removeprefix("macro:"))
    return module.value if isinstance(module, Macro) else 0.0


def _stretch(points: Sequence[Sequence[float]], begin: float, end: float) -> list[list[float]]:
    """Return a lane between two times, with where it stands at both."""
    times, values = np.array(points, dtype=np.float64).T
    inside = [[float(at), float(value)] for at, value in points if begin < at < end]
    ends = [[begin, float(np.interp(begin, times, values))], [end, float(np.interp(end, times, values))]]
    return [ends[0], *inside, ends[1]]


def _without_doubles(points: list[list[float]]) -> list[list[float]]:
    return [points[0], *(after for before, after in pairwise(points) if after != before)]
