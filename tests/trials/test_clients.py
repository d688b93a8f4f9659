"""Slow clients, many clients, heavy work: light requests are answered while all of that goes on."""

import http.client
import json
import socket
import threading
import unittest

from tests.support import Json, Served, document, note
from tests.trials.served import LONG, ask_json

MANY = 200 if LONG else 40
HEAVY = 20 if LONG else 6


def heavy() -> Json:
    """A patch that is heavy to run: a ring of slews over most of a minute."""
    modules: list[Json] = [{"id": f"m{i}", "kind": "slew", "input": f"m{(i + 1) % 40}"} for i in range(40)]
    return document(modules, performance=note(58.0, 0.5))


class Crowded(unittest.TestCase):
    def setUp(self) -> None:
        self.served = Served()
        self.addCleanup(self.served.stop)

    def post(self, path: str, body: Json) -> http.client.HTTPConnection:
        """Send a request whose answer nobody reads yet."""
        connection = http.client.HTTPConnection("127.0.0.1", self.served.port, timeout=300)
        self.addCleanup(connection.close)
        connection.request("POST", f"/api/{path}", json.dumps(body), {"Content-Type": "application/json"})
        return connection

    def light_requests_are_answered(self) -> None:
        """A sheet, a sound, a value and the list of patches."""
        light = document([{"id": "l", "kind": "lfo"}], [{"source": "l", "destination": "pitch", "amount": 1}])
        for method, path, body in (
            ("GET", "patches", None),
            ("POST", "sheet", {"document": light, "columns": 200}),
            ("POST", "value", {"text": "180ms", "unit": "s"}),
            ("POST", "prepare", {"document": light}),
        ):
            status, _ = ask_json(self.served.port, method, f"/api/{path}", body)
            self.assertIn(status, (200, 204), path)

    def test_behind_heavy_sounds_tables_and_judgements(self) -> None:
        done = []
        for i in range(HEAVY):
            # Each unlike the others, or they would be done once.
            doc = {**heavy(), "name": f"{i}"}
            doc["performance"]["seed"] = i
            for path, fields in (("sound", {}), ("trace.csv", {}), ("judge", {}), ("sheet", {"columns": 900})):
                connection = self.post(path, {"document": doc, **fields})
                threading.Thread(target=lambda c=connection: done.append(c.getresponse()), daemon=True).start()
        self.light_requests_are_answered()
        self.assertLess(len(done), 4 * HEAVY, "all of the heavy work was over before the light was answered")

    def test_behind_readers_that_never_read(self) -> None:
        for i in range(4):
            doc = document([{"id": "n", "kind": "noise"}], performance={**note(50.0, 1.0), "seed": i})
            self.post("trace.csv", {"document": doc})
        self.light_requests_are_answered()

    def test_beside_senders_that_never_end(self) -> None:
        for _ in range(MANY):
            slow = socket.create_connection(("127.0.0.1", self.served.port))
            self.addCleanup(slow.close)
            slow.sendall(b"POST /api/sheet HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 100000\r\n\r\n{")
        self.light_requests_are_answered()

    def test_runs_that_nobody_waits_for_make_room(self) -> None:
        for i in range(8):
            self.post("sheet", {"document": {**heavy(), "name": f"{i}"}}).close()
        self.light_requests_are_answered()
        status, _ = ask_json(self.served.port, "POST", "/api/sheet", {"document": document(), "columns": 10})
        self.assertEqual(status, 200)


if __name__ == "__main__":
    unittest.main()
