"""What a phrase's notes can be made to: a pattern over a held chord."""

from typing import Annotated, Final, Literal

from pydantic import Field, model_validator

from jorvik.core.modules.base import Strict, choice, param, refusal

PatternName = Literal["up", "down", "up and down", "as played", "random", "strokes", "long and short", "registers"]
"""In which order the keys of a chord come; strokes spread evenly; long notes beside short; a bar in three octaves."""

_IN_ORDER: Final = ("up", "down", "up and down", "as played", "random")
_STROKES: Final = {"kind": ("strokes",)}

Key = Annotated[float, Field(ge=0, le=127)]


class Pattern(Strict):
    """What the notes of a phrase are made to."""

    kind: PatternName = choice("up", "In which order the keys come.")
    chord: list[Key] = Field([48.0, 51.0, 55.0], min_length=1, max_length=12, description="The keys that are held.")
    rate: str = Field("1/16", max_length=16, description="A step, as a note value.")
    octaves: int = param(1, "count", 1, 4, "Over how many octaves the chord goes on.", only_for={"kind": _IN_ORDER})
    gate: float = param(0.8, "ratio", 0.01, 1.0, "Share of a step for which a note is held.")
    swing: float = param(
        0.5, "ratio", 0.5, 0.9, "Where in a pair of steps the second begins: 0.5 is straight, 2/3 in triplets."
    )
    velocities: list[Key] = Field(
        [96.0], min_length=1, max_length=64, description="How hard, step by step, again from the first: accents."
    )
    strokes: int = param(5, "count", 1, 64, "Of strokes, how many there are.", only_for=_STROKES)
    steps: int = param(8, "count", 1, 64, "In how many steps these are spread.", only_for=_STROKES)
    seed: int = param(1, "count", 0, 2**31, "What random keys come from.", only_for={"kind": ["random"]})

    @model_validator(mode="after")
    def _can_be_played(self) -> "Pattern":
        if self.strokes > self.steps:
            wanted = f"no more strokes than steps, not {self.strokes} in {self.steps}"
            raise refusal(wanted)
        return self
