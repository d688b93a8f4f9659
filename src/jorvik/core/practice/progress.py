"""What somebody has practised: every mark, what comes next by spaced repetition, and thresholds of their own ear.

One document, kept and taken out like any other.
"""

from datetime import UTC, datetime
from itertools import count
from typing import Annotated, Any, Final, Literal, cast

from pydantic import Field

from jorvik.core.limits import MAX_NAME, MAX_TEXT
from jorvik.core.modules.base import PlainText, Strict
from jorvik.core.practice.ears import MOST_TRIALS, TEXTBOOK, Dimension, Threshold, Trial, threshold
from jorvik.core.practice.making import KINDS
from jorvik.core.practice.task import LEVELS, KindName, Marked
from jorvik.core.problems import Problem, from_validation, shown
from jorvik.core.units.noticed import CUTOFF_ST, PITCH_ST, STEADY_PITCH_ST, TEXTBOOK_EAR, Ear

MOST_ATTEMPTS: Final = 2000
_AGAIN, _HARD, _GOOD, _EASY = 0.4, 0.75, 1.0, 1.0
_SURE_DAYS: Final = 7.0
"""What is remembered for a week is sure."""
_UP: Final = 2
"""So many right ones in a row open the next level."""


class Attempt(Strict):
    """A task that was answered."""

    kind: KindName
    level: Annotated[int, Field(ge=1, le=LEVELS)]
    seed: int
    marks: Annotated[float, Field(ge=0, le=1)]
    at: Annotated[datetime, Field(strict=False)]
    about: Annotated[PlainText, Field(max_length=MAX_NAME)] = ""


class Practice(Strict):
    """What is kept of practice."""

    format: Literal["jorvik-practice"] = "jorvik-practice"
    version: Literal[1] = 1
    name: str = Field("Practice", max_length=MAX_NAME)
    notes: str = Field("", max_length=MAX_TEXT)
    tags: list[Annotated[PlainText, Field(max_length=MAX_NAME)]] = Field(default_factory=list, max_length=64)
    attempts: list[Attempt] = Field(default_factory=list, max_length=MOST_ATTEMPTS)
    cards: dict[str, dict[str, Any]] = Field(default_factory=dict, max_length=64)
    """Of each kind and level, as ``read 1``: what spaced repetition knows of it."""
    trials: dict[Dimension, Annotated[list[Trial], Field(max_length=MOST_TRIALS)]] = Field(default_factory=dict)
    own_thresholds: bool = False
    """Whether findings go by one's own ear, where it is known."""

    def document(self) -> dict[str, Any]:
        """Return it as JSON."""
        return self.model_dump(mode="json")


class Skill(Strict):
    """One kind at one level: how sure it is, and when it is due."""

    kind: str
    level: int
    title: str
    done: int
    marks: float | None
    """Of the last five, their mean."""
    due: datetime | None
    stays_days: float | None
    """For how long it is remembered, by what is known."""
    state: Literal["new", "learning", "sure"]
    open: bool
    """Whether the level before it is far enough."""


def check_practice(document: object) -> Practice:
    """Return what was practised, read from JSON. Raises Problem with the place, what was found and what would do."""
    from pydantic import ValidationError

    if not isinstance(document, dict):
        raise Problem("the document", shown(document), "an object")
    try:
        return Practice.model_validate(document)
    except ValidationError as error:
        raise from_validation(error, ()) from None


def with_marks(practice: Practice, kind: KindName, level: int, seed: int, about: str, marked: Marked) -> Practice:
    """Return what was practised with one more task in it: its skill comes again the later, the better it was done."""
    from fsrs import Card, Rating, Scheduler

    now = datetime.now(UTC)
    name = f"{kind} {level}"
    known = practice.cards.get(name)
    card = Card.from_dict(cast(Any, known)) if known else Card(card_id=1)
    rating = (
        Rating.Again
        if marked.marks < _AGAIN
        else Rating.Hard
        if marked.marks < _HARD
        else (Rating.Good if marked.marks < _GOOD else Rating.Easy)
    )
    card, _ = Scheduler(enable_fuzzing=False).review_card(card, rating, now)
    attempt = Attempt(kind=kind, level=level, seed=seed, marks=marked.marks, at=now, about=about)
    cards = {**practice.cards, name: dict(card.to_dict())}
    return practice.model_copy(update={"attempts": [*practice.attempts, attempt][-MOST_ATTEMPTS:], "cards": cards})


def skills(practice: Practice) -> list[Skill]:
    """Return how every kind stands at every level."""
    found = []
    for kind, of in KINDS.items():
        is_open = True
        for level in range(1, LEVELS + 1):
            mine = [one.marks for one in practice.attempts if (one.kind, one.level) == (kind, level)]
            card = practice.cards.get(f"{kind} {level}")
            stays = None if card is None else card.get("stability")
            sure = stays is not None and float(stays) >= _SURE_DAYS and len(mine) >= _UP and mine[-1] == 1.0
            found.append(
                Skill(
                    kind=kind,
                    level=level,
                    title=str(of.TITLE),
                    done=len(mine),
                    marks=sum(mine[-5:]) / len(mine[-5:]) if mine else None,
                    due=None if card is None else datetime.fromisoformat(str(card["due"])),
                    stays_days=None if stays is None else round(float(stays), 2),
                    state="new" if not mine else "sure" if sure else "learning",
                    open=is_open,
                )
            )
            is_open = is_open and len(mine) >= _UP and min(mine[-_UP:]) >= _HARD
    return found


def next_task(practice: Practice, kind: str = "", at: datetime | None = None) -> tuple[str, int, int]:
    """Return the kind, level and seed of what comes next: what has been due the longest, then what was never done.

    Where nothing is due and all was done, the skill that is due soonest; of a kind where one is named. Never the kind
    of the last task twice in a row, where there is another.
    """
    now = at or datetime.now(UTC)
    there = [one for one in skills(practice) if one.open and kind in ("", one.kind)]
    if not there:
        raise Problem("kind", shown(kind), f"one of {', '.join(KINDS)}")
    last = practice.attempts[-1].kind if practice.attempts else ""

    def order(skill: Skill) -> tuple[bool, int, float, int]:
        if skill.due is None:
            return (skill.kind == last, 1, 0.0, skill.level)
        wait = (skill.due - now).total_seconds()
        return (skill.kind == last, 0 if wait <= 0.0 else 2, wait, skill.level)

    chosen = min(there, key=order)
    return chosen.kind, chosen.level, next_seed(practice, chosen.kind, chosen.level)


def next_seed(practice: Practice, kind: str, level: int) -> int:
    """Return the seed of the next task of a kind and level: they follow each other, and none comes twice."""
    done = [one.seed for one in practice.attempts if (one.kind, one.level) == (kind, level)]
    return next(seed for seed in count(1 + len(done)) if seed not in done)


def thresholds(practice: Practice) -> dict[str, Threshold]:
    """Return what is known of each threshold of one's own ear."""
    return {name: threshold(name, list(practice.trials.get(name, []))) for name in TEXTBOOK}  # type: ignore[call-overload]


def own_ear(practice: Practice) -> Ear:
    """Return what somebody's ear tells apart: their own thresholds where they want them and they are known.

    Of a pitch within a phrase, and of a cutoff, the textbook's is moved by as much as their own is from it: of a pitch,
    and of brightness.
    """
    if not practice.own_thresholds:
        return TEXTBOOK_EAR
    known = {name: found.value / TEXTBOOK[name] for name, found in thresholds(practice).items() if found.sure}
    pitch, bright = known.get("pitch", 1.0), known.get("brightness", 1.0)
    return Ear(pitch_st=PITCH_ST * pitch, steady_pitch_st=STEADY_PITCH_ST * pitch, cutoff_st=CUTOFF_ST * bright)
