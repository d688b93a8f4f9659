"""A signal or a lane as control voltage."""

from typing import Any

from jorvik.core.engine.trace import trace
from jorvik.core.measure.volts import lane_volts
from jorvik.core.problems import Problem, shown
from jorvik.formats.wav import CAUTION, voltage_bytes
from jorvik.web.forms.common import VoltageRequest
from jorvik.web.services.rendered import voice_of, with_test_note
from jorvik.web.services.workers import Cancel


def voltage(form: VoltageRequest, cancelled: Cancel) -> tuple[bytes, dict[str, Any]]:
    """Return a WAV of the voltage and its range in volts, with the caution that it needs.

    Raises Problem where the patch has no such signal or lane.
    """
    patch = with_test_note(form)
    made = trace(patch, form.rate, voice_of(form, patch), cancelled)
    kind, _dot, name = form.name.partition(".")
    if kind == "signal" and name in made.signals:
        volts = made.signals[name] * form.volts
    elif kind == "lane" and name in made.lanes:
        volts = lane_volts(made.lanes[name].value, made.lanes[name].lane.destination, form.volts)
    else:
        known = [f"signal.{n}" for n in made.signals] + [f"lane.{n}" for n in made.lanes]
        raise Problem("name", shown(form.name), f"one of {', '.join(known)}"[:300])
    data, (least, greatest) = voltage_bytes(volts, form.rate, form.name, form.depth)
    return data, {"least_v": float(f"{least:.4g}"), "greatest_v": float(f"{greatest:.4g}"), "caution": CAUTION}
