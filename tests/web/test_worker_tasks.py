"""The tasks that workers run, called in this process: their answers agree with the core."""

import base64
import json
import unittest

import numpy as np

from jorvik.core.document.patch import check_patch
from jorvik.core.engine.run import never
from jorvik.core.engine.trace import Trace, trace
from jorvik.core.units.noticed import Ear
from jorvik.web.forms.common import Play, SheetRequest
from jorvik.web.forms.judging import CompareRequest
from jorvik.web.routes.compute import _sheet
from jorvik.web.routes.judge import _compared, _judged
from tests.support import Json, document, note

RATE = 8000
DOCUMENT: Json = document(
    [{"id": "swell", "kind": "envelope", "attack_s": 0.1, "sustain": 0.5}],
    [{"source": "swell", "destination": "cutoff", "amount": 24}],
    performance=note(0.4, 0.1),
)


def nobody(_: object) -> None:
    """Take what a task says of its progress."""


def traced(**played: float) -> Trace:
    return trace(check_patch(DOCUMENT).with_note(**played) if played else check_patch(DOCUMENT), RATE)


class Tasks(unittest.TestCase):
    def test_a_judgement_has_the_peak_of_the_lane(self) -> None:
        answer = json.loads(_judged(Play(document=DOCUMENT, rate=RATE), Ear(), never, nobody))
        peak = float(traced().lanes["cutoff"].value.max())
        self.assertAlmostEqual(answer["measures"]["lanes"]["cutoff"]["measures"]["peak"], peak, places=6)

    def test_a_sheet_begins_each_column_with_its_first_sample(self) -> None:
        form = SheetRequest(document=DOCUMENT, rate=RATE, columns=50, velocities=[40.0])
        answer = json.loads(_sheet(form, never, nobody))
        starts = np.frombuffer(base64.b64decode(answer["starts_s"]), "<f8")
        first = np.frombuffer(base64.b64decode(answer["lanes"]["cutoff"]["value"]["first"]), "<f4")
        expected = traced().lanes["cutoff"].value[np.round(starts * RATE).astype(int)]
        np.testing.assert_allclose(first, expected, rtol=1e-6)
        self.assertEqual([overlay["velocity"] for overlay in answer["overlays"]], [40.0])

    def test_a_comparison_of_keys_has_a_step_for_each(self) -> None:
        form = CompareRequest(document=DOCUMENT, rate=RATE, by="key", steps=[48.0, 60.0])
        answer = json.loads(_compared(form, never, nobody))
        self.assertEqual([step["performance"]["notes"][0]["key"] for step in answer["steps"]], [48.0, 60.0])
        self.assertEqual(answer["units"]["cutoff"], "Hz")


if __name__ == "__main__":
    unittest.main()
