"""Computing beside the event loop: others are served meanwhile, and what nobody waits for is dropped."""

import http.client
import json
import threading
import time
import unittest
import urllib.request

from tests.support import Json, Served, document, note


def heavy(seconds: float) -> Json:
    """A patch that takes long: a loop of many modules over many seconds."""
    modules: list[Json] = [{"id": f"m{i}", "kind": "slew", "input": f"m{(i + 1) % 40}"} for i in range(40)]
    return document(modules, performance=note(seconds, 0.5))


class Busy(unittest.TestCase):
    def setUp(self) -> None:
        self.served = Served()
        self.addCleanup(self.served.stop)

    def post(self, doc: Json) -> http.client.HTTPConnection:
        connection = http.client.HTTPConnection("127.0.0.1", self.served.port, timeout=60)
        body = json.dumps({"document": doc})
        connection.request("POST", "/api/sheet", body, {"Content-Type": "application/json"})
        return connection

    def test_others_are_served_while_a_long_run_goes_on(self) -> None:
        long = self.post(heavy(58.0))
        finished = threading.Event()

        def wait() -> None:
            long.getresponse().read()
            finished.set()

        threading.Thread(target=wait, daemon=True).start()
        with urllib.request.urlopen(f"{self.served.url}/api/patches", timeout=20) as answer:
            self.assertTrue(json.load(answer))
        short = self.post(document(performance=note(0.1, 0.0)))
        self.assertEqual(short.getresponse().status, 200)
        self.assertFalse(finished.is_set(), "the long run was over before the others were served")
        long.close()

    def test_runs_that_nobody_waits_for_make_room(self) -> None:
        for _ in range(8):
            self.post(heavy(58.0)).close()
        time.sleep(0.2)
        answer = self.post(document(performance=note(0.1, 0.0))).getresponse()
        self.assertEqual(answer.status, 200)


if __name__ == "__main__":
    unittest.main()
