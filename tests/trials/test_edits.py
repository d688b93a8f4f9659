"""A patch edited again and again: what is kept is what was last written, and memory does not grow with the edits."""

import unittest
from typing import Any

from tests.support import Json, Served, demos
from tests.trials.served import LONG, ask_json, resident

EDITS = 2000 if LONG else 120
SETTLED = 100 if LONG else 60
MOST_GROWTH = 1.25


class Edited(unittest.TestCase):
    def setUp(self) -> None:
        self.served = Served()
        self.addCleanup(self.served.stop)

    def held(self) -> int:
        """Return what the processes that compute hold."""
        lanes: tuple[Any, ...] = ("sheet", "sound", "heavy", "judgement", "jobs")
        return sum(resident(pid) for lane in lanes for pid in self.served.scheduler.pids(lane))

    def test_it_is_kept_and_memory_stays(self) -> None:
        doc: Json = demos()["ferry-horn"]
        _, kept = ask_json(self.served.port, "POST", "/api/patches", {"document": doc})
        sequence, before, sizes = kept["sequence"], 0, []
        for number in range(1, EDITS + 1):
            doc["routes"][0]["amount"] = 5.0 + 0.001 * number
            status, answer = ask_json(self.served.port, "POST", "/api/sheet", {"document": doc, "columns": 600})
            self.assertEqual(status, 200)
            body = {"document": doc, "sequence": sequence}
            status, answer = ask_json(self.served.port, "PUT", f"/api/patches/{kept['id']}/draft", body)
            self.assertEqual((status, answer["sequence"]), (200, sequence + 1))
            sequence = answer["sequence"]
            if number % 20 == 0:
                for path in ("judge", "prepare"):
                    self.assertIn(ask_json(self.served.port, "POST", f"/api/{path}", {"document": doc})[0], (200, 204))
            if number == SETTLED:
                before = self.held()
            if number % (EDITS // 10) == 0:
                sizes.append(f"{self.held() / 1e6:.0f}")
        after = self.held()
        print(f"\n{EDITS} edits: {before / 1e6:.0f} MB after {SETTLED}; each tenth: {', '.join(sizes)} MB")
        self.assertLess(after, MOST_GROWTH * before)
        _, found = ask_json(self.served.port, "GET", f"/api/patches/{kept['id']}")
        self.assertEqual(found["document"], doc)


if __name__ == "__main__":
    unittest.main()
