"""What a sample-and-hold does: when it takes a value, its rate, the images it makes of a tone, and when it repeats.

Values held at a rate r make images of a tone f at n r ± f, each weaker the higher it lies.
"""

from collections.abc import Iterator
from fractions import Fraction
from typing import Any

import numpy as np

from jorvik.core.figures.base import Figure
from jorvik.core.measure.closed_forms import images, meeting
from jorvik.core.measure.context import Context
from jorvik.core.units.levels import decibels
from jorvik.core.units.noticed import AUDIO_HZ
from jorvik.core.units.words import rate_text, time_text

MOMENTS = 64
LONGEST_S = 600.0


def find(context: Context) -> Iterator[Figure]:
    """Yield the moments, the rate, the images and the repeat of each sample-and-hold."""
    for module in context.having("is_sampled"):
        if module.track:
            continue
        about = f"signal.{module.id}"
        high = context.row(module.clock) > module.threshold
        rising = np.concatenate([[0], np.flatnonzero(high[1:] & ~high[:-1]) + 1])
        note = context.trace.run.note
        taken = rising[(rising >= note.on) & (rising < note.off)] - note.on
        if taken.size == 0:
            continue
        times = "once" if taken.size == 1 else f"{taken.size} times"
        moments = ", ".join(time_text(float(f"{t / context.rate:.6g}")) for t in taken[:MOMENTS])
        yield Figure(
            about,
            "takes a value",
            float(taken.size),
            "times",
            "At each rising edge of its clock while the note is held, from note-on; a falling edge does nothing.",
            words=f"{times}: {moments}{' …' if taken.size > MOMENTS else ''}",
        )
        if taken.size < 4:
            continue
        # The first sample is taken whether the clock rises there or not.
        ticks = taken if high[note.on] else taken[1:]
        rate = (ticks.size - 1) * context.rate / float(ticks[-1] - ticks[0])
        yield Figure(about, "effective rate", rate, "Hz", "Values a second, from the first taken to the last.")
        yield from _images(context, module, rate)
        yield from _repeat(context, module, rate)


def _images(context: Context, module: Any, rate: float) -> Iterator[Figure]:
    tone = context.rate_of(str(module.input))
    if tone is None or rate < AUDIO_HZ:
        return
    group = f"{module.input}, {rate_text(tone)}, sampled at {rate_text(rate)}"
    for order, side, hz, level in images(tone, rate, context.rate, most=3):
        if hz < 1.0 or level < 1e-3:
            continue
        name = f"{order} × rate {side.replace('-', '−')} tone" if order else "the tone itself"
        words = f"{rate_text(hz)}, {decibels(level):.3g} dB".replace("-", "−")
        help_ = "An image at n × rate ± tone; a value held weighs it by |sin(π f / r) / ((fs / r) sin(π f / fs))|."
        yield Figure(f"signal.{module.id}", name, hz, "Hz", help_, group, words)


def _repeat(context: Context, module: Any, rate: float) -> Iterator[Figure]:
    """Yield after how long what is sampled comes again: a loop's own length, or where tone and clock meet."""
    about, beat = f"signal.{module.id}", 60.0 / context.patch.performance.tempo.bpm
    tone = context.rate_of(str(module.input))
    if module.loop:
        after, why = module.loop / rate, f"Its {module.loop} values, at its rate."
    elif tone is not None and rate < AUDIO_HZ:
        rates = (tone, context.rate_of(str(module.clock)) or rate)
        periods = [Fraction(1.0 / hz / beat).limit_denominator(960) for hz in rates]
        after = float(meeting(periods)) * beat
        why = f"The least common multiple of the periods of {module.input} and the clock."
    else:
        return
    if after > LONGEST_S:
        return
    words = f"{after / beat:.5g} beats, {time_text(after)}"
    yield Figure(about, "pattern repeats after", after, "s", why, words=words)
