"""Every limit of the product, in one place, with the reason for each."""

from typing import Final

MAX_MODULES: Final = 64
MAX_ROUTES: Final = 256
MAX_NOTES: Final = 64
MAX_POINTS: Final = 512
MAX_SECONDS: Final = 60.0
"""Length of a run, tail included."""

MAX_PHRASE_NOTES: Final = 512
MAX_BARS: Final = 512
MAX_HITS: Final = 16
MAX_STRIKES: Final = 2_048
MAX_PATTERN_STEPS: Final = 32_768
"""Steps of a pattern: as many notes as a phrase may have, one in every 64 steps."""

MAX_GESTURE_POINTS: Final = 10_000
"""Points of a lane as it was recorded or read, before it is thinned."""

MAX_PHRASE_SECONDS: Final = 120.0
"""Length of a phrase, without the patch's tail."""

MIN_RATE: Final = 4_000
MAX_RATE: Final = 192_000
DEFAULT_RATE: Final = 48_000
DRAFT_RATE: Final = 12_000
"""For the sheet while something is dragged."""

COARSE_RATE: Final = MIN_RATE
"""For what is traced many times over to answer one question."""

MAX_TEXT: Final = 20_000
"""Characters of a patch's notes."""

MAX_SEARCH: Final = 1_000
"""Characters of a search: as part of an address each may take twelve bytes."""

MAX_NAME: Final = 120
"""Characters of a name or a tag."""

MAX_DOCUMENT_BYTES: Final = 4_000_000
"""A patch at every other limit stays well under this."""

MAX_TRACE_BYTES: Final = 160_000_000
"""A trace kept whole in memory: ten seconds of a patch of the usual size. Of a longer one rows are made on demand."""

MAX_SIDE_TRACE_BYTES: Final = 48_000_000
"""The like of a trace that is made to be compared with another: at another velocity, of the next note."""

MAX_DRAWN_TRACE_BYTES: Final = 12_000_000
"""The like of each of several traces with other random numbers."""

MAX_TABLE_BYTES: Final = 2_000_000_000
"""A trace written to a file that is made whole in memory; CSV is written as it is made, whatever its size."""

MAX_ROW_CACHES_BYTES: Final = 160_000_000
"""Runs kept from one request to the next, together: two windows at work, and a drag's coarser ones."""

MAX_ROW_CACHE_BYTES: Final = 64_000_000
"""One of them, over which a run is not kept: five seconds of a patch of the usual size."""

MAX_KEPT: Final = 600
"""Figures and columns of rows, kept with such a run: some fifteen edits of a patch of the usual size."""

MAX_LEVELED: Final = 8
"""Tables of a patch's own kept ready to be read, 0.6 MB a frame: those of two patches."""

GATE_RAMP_S: Final = 0.003
"""Rise and fall of an amplifier that nothing moves, so that the gate alone does not click."""

MAX_BEND: Final = 12.0

MAX_UPDATE: Final = 48_000
"""Samples between two updates of a route that arrives in steps."""

MAX_RECORDING_S: Final = 16.0
"""Of a recording that a patch carries as a tone: 16 bits at 48 kHz are half of the largest document."""
