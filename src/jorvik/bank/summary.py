"""What a work comes to, on one page that stands alone: what stands out, what was found, what failed, what moved."""

from collections import Counter
from collections.abc import Iterator, Sequence
from html import escape
from statistics import median
from typing import Final

from jorvik.bank.against import moved
from jorvik.bank.doing import ASIDE, DONE, FAILED
from jorvik.bank.pieces import Plan
from jorvik.bank.results import Record
from jorvik.core.units.words import counted, in_words, note_name, time_text
from jorvik.formats.page import page, table

_MOST = 200
_SPREADS = 3.5
"""How many times the median distance from the median a figure stands out from."""

_OUTLIERS: Final[dict[str, tuple[str, str, float]]] = {
    "Loudness": ("loudness_lufs", "LUFS", 3.0),
    "Brightness": ("centroid_hz", "Hz", 200.0),
    "How long it is heard": ("inaudible_after_s", "s", 0.5),
}
"""Figures of which those that stand out are told, and how far apart two have to lie to differ at all."""


def summary_html(plan: Plan, found: Sequence[Record], before: Sequence[Record] | None) -> str:
    """Return the page."""
    count = Counter(record["state"] for record in found)
    settings = plan.settings
    what = (
        f"{settings.work} · {counted(len({piece.file for piece in plan.pieces}), 'patch')}, "
        f"{counted(len(plan.pieces), 'piece')}:"
        f" {count[DONE]} done, {count[FAILED]} failed, {count[ASIDE]} set aside"
    )
    parts = [("Failed", _failed(found)), ("What moved", "" if before is None else _moved(before, found))]
    parts += [(f"{title}: what stands out", _outliers(found, *of)) for title, of in _OUTLIERS.items()]
    parts += [
        ("Findings by rule", _rules(found)),
        ("Faults", _faults(found)),
        ("What clips", _clips(found)),
        ("On the machine", _cannot(found)),
        ("Gains", _gains(found)),
        ("Set aside", _aside(found)),
    ]
    return page(f"Bank: {settings.work}", escape(what), parts, "A4")


def outliers(found: Sequence[Record], name: str, least: float) -> list[tuple[Record, float]]:
    """Return records whose figure stands out, and how far from the median of all they lie, the farthest first.

    By the median absolute deviation, which a few outliers do not move (Leys et al. 2013), with 1.4826 for its likeness
    to a standard deviation; ``least`` is how far one lies at least.
    """
    values = [(record, float(record[name])) for record in found if isinstance(record.get(name), int | float)]
    if len(values) < 4:
        return []
    middle = median(value for _, value in values)
    spread = 1.4826 * median(abs(value - middle) for _, value in values)
    far = [(record, value - middle) for record, value in values if abs(value - middle) > max(_SPREADS * spread, least)]
    return sorted(far, key=lambda one: -abs(one[1]))


def _at(record: Record) -> str:
    said = []
    if record.get("key") is not None:
        said.append(note_name(record["key"]))
    if record.get("velocity") is not None:
        said.append(f"velocity {record['velocity']:g}")
    if record.get("length_s") is not None:
        said.append(time_text(record["length_s"]))
    if record.get("seed") is not None:
        said.append(f"seed {record['seed']:g}")
    return ", ".join([*said, *([record["phrase"]] if record.get("phrase") else [])])


def _named(record: Record) -> tuple[str, str]:
    return str(record.get("patch") or record["file"]), _at(record)


def _listed(heads: Sequence[str], rows: Sequence[Sequence[str]], figures: int = 0) -> str:
    """Return a table of what is where, as far as it goes; without where, if each is at its patch's own notes."""
    shown = rows[:_MOST]
    if not any(row[1] for row in shown):
        heads, shown = _without_second(heads), [_without_second(row) for row in shown]
    return table(heads, shown, figures)


def _without_second(row: Sequence[str]) -> Sequence[str]:
    return [row[0], *row[2:]]


def _signed(value: float, unit: str) -> str:
    return ("+" if value > 0.0 else "") + in_words(value, unit)


def _failed(found: Sequence[Record]) -> str:
    rows = [(*_named(record), record["said"]) for record in found if record["state"] == FAILED]
    return _listed(("patch", "at", "why"), rows)


def _aside(found: Sequence[Record]) -> str:
    rows = [(*_named(record), record["said"]) for record in found if record["state"] == ASIDE]
    more = f"<p>and {len(rows) - _MOST} more</p>" if len(rows) > _MOST else ""
    return _listed(("what", "at", "why"), rows) + more


def _moved(before: Sequence[Record], found: Sequence[Record]) -> str:
    told = moved(before, found)
    items = "".join(f"<li>{escape(one.sentence)}</li>" for one in told[:_MOST])
    return f"<ul>{items}</ul>" if told else "<p>Nothing moved further than its tolerance.</p>"


def _outliers(found: Sequence[Record], name: str, unit: str, least: float) -> str:
    rows = [
        (*_named(record), in_words(record[name], unit), _signed(off, "LU" if unit == "LUFS" else unit))
        for record, off in outliers(found, name, least)
    ]
    # The unit, with which its name ends, stands beside each.
    what = name.rpartition("_")[0].replace("_", " ")
    return _listed(("patch", "at", what, "from the median"), rows, 2)


def _rules(found: Sequence[Record]) -> str:
    count = Counter(rule for record in found for rule in record.get("rules") or ())
    patches = {rule: {r["file"] for r in found if rule in (r.get("rules") or ())} for rule in count}
    rows = [(rule.replace("_", " "), str(len(patches[rule])), str(number)) for rule, number in count.most_common()]
    return table(("rule", "patches", "notes"), rows, 2)


def _faults(found: Sequence[Record]) -> str:
    rows = [
        (*_named(record), finding["sentence"])
        for record in found
        for finding in record.get("findings") or ()
        if finding["severity"] == "fault"
    ]
    return _listed(("patch", "at", "what"), rows)


def _clips(found: Sequence[Record]) -> str:
    rows = [
        (
            *_named(record),
            in_words(record.get("true_peak_db") or 0.0, "dBTP"),
            in_words(record.get("limited_db") or 0.0, "dB"),
        )
        for record in found
        if (record.get("true_peak_db") or -1.0) > 0.0 or (record.get("limited_db") or 0.0) > 0.0
    ]
    return _listed(("patch", "at", "true peak", "the limiter took"), rows, 2)


def _cannot(found: Sequence[Record]) -> str:
    rows = [(*_named(record), said) for record in found if "cannot" in record for said in record["cannot_said"] or ()]
    return _listed(("patch", "at", "what cannot be had"), rows)


def _gains(found: Sequence[Record]) -> str:
    rows = list(_gain_rows(found))
    return _listed(("patch", "at", "is", "gain"), rows, 2)


def _gain_rows(found: Sequence[Record]) -> Iterator[tuple[str, ...]]:
    for record in found:
        if "gain_db" in record:
            yield (*_named(record), in_words(record["loudness_lufs"], "LUFS"), _signed(record["gain_db"], "dB"))
