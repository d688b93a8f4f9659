"""Play it: a macro is moved so that it turns on the strokes of a beat."""

from random import Random
from typing import Final

from jorvik.core.practice.patches import named, small_patch
from jorvik.core.practice.task import Made, Task, TaskAnswer
from jorvik.core.units.tempo import Tempo

TITLE: Final = "Play it"
_BARS: Final = 2


def make(level: int, seed: int, rng: Random) -> Made:
    """Return strokes over two bars: on every beat; on beats and off them; in a pattern of eighths."""
    bpm = float(rng.randrange(60, 110 if level < 3 else 130))
    beats = (_on_beats, _with_offbeats, _pattern)[level - 1](seed, rng)
    beat_s = Tempo(bpm).seconds("1/4")
    strokes = [beat * beat_s for beat in beats]
    macro = {"id": "swell", "kind": "macro", "value": 1.0}
    route = {"source": "swell", "destination": "cutoff", "amount": 36.0}
    patch = small_patch(
        named(rng), [macro], [route], {"cutoff": 300.0}, length_s=4 * _BARS * beat_s, tail_s=0.3, tempo_bpm=bpm
    )
    # It begins at its top, so that it is pressed on the first stroke.
    lane = [[0.0, 1.0], *([at, float(number % 2 == 1)] for number, at in enumerate(strokes))]
    lane.append([strokes[-1] + beat_s / 2, float(len(strokes) % 2 == 1)])
    return Made(
        task=Task(
            kind="play",
            level=level,
            seed=seed,
            title=TITLE,
            asks="Press and it rises, let go and it falls: press on the first stroke, let go on the next, and so on.",
            patch=patch,
            strokes=strokes,
            tempo_bpm=bpm,
            about="strikes",
        ),
        answer=TaskAnswer(lane=lane),
        worked=[
            f"The strokes fall at {', '.join(f'{at:.3f}' for at in strokes)} s: up from the first, down from the next."
        ],
    )


def _on_beats(seed: int, rng: Random) -> list[float]:
    # No two in a row begin on the same beat.
    step, first = rng.choice((1, 2)), 1 + seed % 2
    return [float(beat) for beat in range(first, 4 * _BARS, step)]


def _with_offbeats(_: int, rng: Random) -> list[float]:
    return sorted(
        rng.sample([float(b) for b in range(1, 4 * _BARS)], 4)
        + rng.sample([b + 0.5 for b in range(1, 4 * _BARS - 1)], 2)
    )


def _pattern(_: int, rng: Random) -> list[float]:
    return sorted(rng.sample([beat / 2 for beat in range(2, 8 * _BARS - 1)], 8))
