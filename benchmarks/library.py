"""The library at 5 000 patches: a page of it, and a search as one types, against reading what all of them say."""

import copy
import random
import uuid
from functools import partial
from typing import Any

from sqlalchemy import insert, text

from benchmarks.timing import compared, median
from benchmarks.workloads import demo
from jorvik.store.documents import columns_of
from jorvik.store.kinds import PATCHES
from jorvik.store.library import LibraryStore, Query
from jorvik.store.tables import DocumentRow
from tests.support import fresh_engine, stop_everything

COUNT = 5000
_FIRST = ("Harbour", "Wharf", "Ice", "Lantern", "Sledge", "Weir", "Barge", "Ferry", "Mill", "Tide", "Rope", "Fog")
_SECOND = ("Bell", "Horn", "Hum", "Creak", "Song", "Wheel", "Door", "Choir", "Gulls", "Drag", "Rain", "Steps")
_TAGS = ("soft", "hard", "low", "high", "swell", "pluck", "random", "bell", "two filters", "for the fair")


def library() -> None:
    """Print the figures of the library."""
    rng, engine = random.Random(7), fresh_engine()
    demos = [demo(name) for name in ("ferry-horn", "barge-bell", "grit-fold", "night-watch", "four-winds", "ice-choir")]
    rows = [_row(rng, copy.deepcopy(rng.choice(demos)), number) for number in range(COUNT)]
    with engine.begin() as connection:
        for at in range(0, COUNT, 250):
            connection.execute(insert(DocumentRow), rows[at : at + 250])
        connection.execute(text("ANALYZE documents"))
    store = LibraryStore(engine)
    page = median(lambda: store.page(Query(kinds=("patch",)), 100))
    print(f"a page of 100 heads of {COUNT} patches: {1000 * page:.1f} ms (aim: under 100 ms)")
    for search in ("ha", "harbour be", "source:lfo moves:cutoff", "fog song 12", "no such thing"):
        query = Query(search=search, kinds=("patch",))
        ours, _, ratio = compared(partial(store.page, query, 100), partial(_by_hand, rows, search))
        found = store.page(query, 100).total
        print(
            f'"{search}", {found} found: {1000 * ours:.1f} ms (aim: under 150 ms),'
            f" {ratio:.2f} times reading {COUNT} texts that are in memory already"
        )
    by_tag = median(lambda: store.page(Query(tag="bell", sort="changed"), 100))
    print(f"by tag, the last changed first: {1000 * by_tag:.1f} ms; all tags: {1000 * median(store.tags):.1f} ms")
    engine.dispose()
    stop_everything()


def _row(rng: random.Random, document: dict[str, Any], number: int) -> dict[str, Any]:
    document["name"] = f"{rng.choice(_FIRST)} {rng.choice(_SECOND)} {number}"
    document["tags"] = rng.sample(_TAGS, 3)
    document["voice"]["base"] = {**document["voice"].get("base", {}), "cutoff": rng.uniform(60, 9000)}
    labels = PATCHES.check(document)
    kept = {"id": uuid.uuid4(), "kind": "patch", "draft": document, "sequence": 1, "saved_number": 1}
    rest = {"saved_sequence": 1, "starred": False, "branch_reason": "", "found": "", "looked_at": 0, "demo": None}
    return {**kept, **rest, **columns_of(labels, document)}


def _by_hand(rows: list[dict[str, Any]], search: str) -> int:
    words = search.split()
    return sum(all(word in str(row["words"]) for word in words) for row in rows)


if __name__ == "__main__":
    library()
