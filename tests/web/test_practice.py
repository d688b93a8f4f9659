"""Requests about practice: what is kept, by whose ear judgements go, and what is refused."""

import unittest
from typing import Any

from fastapi.testclient import TestClient

from jorvik.core.practice.ears import MOST_TRIALS, Trial
from jorvik.core.practice.making import made
from jorvik.core.practice.progress import Practice
from jorvik.web.app import Settings, create_app
from tests.support import RATE, document, fresh_engine

LOCAL = "http://127.0.0.1"


class PracticeApi(unittest.TestCase):
    def setUp(self) -> None:
        self.engine = fresh_engine()
        self.addCleanup(self.engine.dispose)
        self.client = self.enterContext(TestClient(create_app(Settings(self.engine)), base_url=LOCAL))

    def ask(self, method: str, path: str, body: Any = None, status: int = 200) -> Any:
        answer = self.client.request(method, f"/api/practice{path}", json=body)
        self.assertEqual(answer.status_code, status, answer.text)
        return answer.json()

    def test_a_task_is_the_same_whoever_asks_and_carries_no_answer(self) -> None:
        asked = {"kind": "read", "level": 1, "seed": 7}
        view = self.ask("POST", "/next", asked)
        self.assertEqual(view["task"], made("read", 1, 7).task.model_dump(mode="json"))
        self.assertEqual([curve["name"] for curve in view["curves"]], ["cutoff"])
        self.assertNotIn("answer", view)
        wanted = made("read", 1, 7).answer.values["peak"]
        self.assertAlmostEqual(max(view["curves"][0]["values"]) / float(wanted), 1.0, delta=0.02)
        heard = self.ask("POST", "/next", {"kind": "hear", "level": 1, "seed": 2})
        self.assertEqual((heard["curves"], len(heard["options"])), ([], 4))

    def test_marks_are_kept_and_count_for_what_comes_next(self) -> None:
        first = self.ask("POST", "/next", {})["task"]
        whole = made(first["kind"], first["level"], first["seed"])
        body = {name: first[name] for name in ("kind", "level", "seed")}
        answer = whole.answer.model_dump(mode="json")
        marked = self.ask("POST", "/mark", {**body, "answer": answer})
        self.assertEqual((marked["marked"]["marks"], marked["marked"]["verdict"]), (1.0, "right"))
        second = self.ask("POST", "/next", {})["task"]
        self.assertNotEqual(second["kind"], first["kind"])
        standing = self.ask("GET", "")
        self.assertEqual(standing["latest"][0]["marks"], 1.0)
        again = create_app(Settings(self.engine))
        with TestClient(again, base_url=LOCAL) as client:
            self.assertEqual(len(client.get("/api/practice").json()["latest"]), 1)

    def test_findings_go_by_ones_own_ear_once_that_is_wanted(self) -> None:
        trials = [Trial(difference=12.0, right=n % 4 != 0) for n in range(MOST_TRIALS)]
        kept = Practice(trials={"pitch": trials}).document()
        self.ask("PUT", "/file", {"document": kept})
        sway = {"id": "sway", "kind": "lfo", "rate": 60.0, "polarity": "unipolar"}
        of = document([sway], [{"source": "sway", "destination": "pitch", "amount": 0.2}])

        def rules() -> list[str]:
            judged = self.client.post("/api/judge", json={"document": of, "rate": RATE}).json()
            return [finding["rule"] for finding in judged["findings"]]

        self.assertIn("shifted_pitch", rules())
        self.assertTrue(self.ask("PUT", "/own", {"on": True})["own_thresholds"])
        self.assertNotIn("shifted_pitch", rules())
        # Also after a restart.
        with TestClient(create_app(Settings(self.engine)), base_url=LOCAL) as client:
            judged = client.post("/api/judge", json={"document": of, "rate": RATE}).json()
            self.assertNotIn("shifted_pitch", [finding["rule"] for finding in judged["findings"]])

    def test_pairs_come_nearer_as_they_are_told_apart(self) -> None:
        before = self.ask("POST", "/pair", {"dimension": "level"})["difference"]
        for _ in range(6):
            pair = self.ask("POST", "/pair", {"dimension": "level"})
            trial = {"difference": pair["difference"], "right": True}
            known = self.ask("POST", "/trial", {"dimension": "level", "trial": trial})["thresholds"]["level"]
        self.assertEqual(known["trials"], 6)
        self.assertLess(self.ask("POST", "/pair", {"dimension": "level"})["difference"], before / 2)
        self.assertEqual(self.ask("DELETE", "/trials/level")["thresholds"]["level"]["trials"], 0)

    def test_what_there_is_not_is_refused_with_its_place(self) -> None:
        for path, body, said in (
            ("/next", {"about": "nonsense"}, "about"),
            ("/next", {"kind": "nonsense"}, "kind"),
            ("/mark", {"kind": "read", "level": 4, "seed": 1, "answer": {}}, "level"),
            ("/mark", {"kind": "make", "level": 1, "seed": 1, "answer": {"patch": {"format": "x"}}}, "format"),
            ("/mark", {"kind": "read", "level": 1, "seed": 1, "answer": {"values": {"attack": "soon"}}}, "attack"),
            ("/pair", {"dimension": "smell"}, "dimension"),
            ("/next", {"kind": "read", "level": True}, "level"),
            ("/next", {"kind": "read", "level": 1, "seed": False}, "seed"),
        ):
            with self.subTest(path=path, body=body):
                self.assertIn(said, self.ask("POST", path, body, 422)["sentence"])
        self.assertIn("on", self.ask("PUT", "/own", {"on": 0}, 422)["sentence"])
        self.assertIn("attempts", self.ask("PUT", "/file", {"document": {"attempts": 3}}, 422)["sentence"])
        self.assertEqual(self.ask("GET", "")["latest"], [])

    def test_a_finding_leads_to_a_task_about_it(self) -> None:
        abouts = self.ask("GET", "/abouts")
        self.assertIn("click", abouts)
        view = self.ask("POST", "/next", {"about": "click"})
        self.assertEqual((view["task"]["kind"], view["task"]["about"]), ("find", "click"))
        self.assertIn("click", view["more"].lower())


if __name__ == "__main__":
    unittest.main()
