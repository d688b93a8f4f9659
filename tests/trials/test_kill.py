"""Server and database killed amid writes: what was acknowledged is there, and a repeated write is no conflict."""

import os
import random
import signal
import time
import unittest
import uuid
from functools import partial

from tests.support import Json, document, wait_until
from tests.trials.served import LONG, Launched, ask_json, going_on, seed_of

KILLS = 70 if LONG else 2


class Killed(unittest.TestCase):
    def setUp(self) -> None:
        self.app = Launched()
        self.addCleanup(self.app.stop)
        self.app.start()

    def test_no_acknowledged_write_is_lost(self) -> None:
        rng = random.Random(seed_of("kills amid writes"))
        _, kept = ask_json(self.app.port, "POST", "/api/patches", {"document": document(name="0"), "write": "w" * 12})
        path = f"/api/patches/{kept['id']}"
        written = {"acknowledged": 0, "sequence": kept["sequence"]}
        conflicts: list[object] = []

        def write(stop: object) -> None:
            """Count upward in the patch's name; what is not answered is sent again under the same identity."""
            number = 0
            while not stop.is_set():  # type: ignore[attr-defined]
                number += 1
                identity = uuid.uuid4().hex
                while not stop.is_set():  # type: ignore[attr-defined]
                    operations = [{"op": "set", "at": ["name"], "value": str(number)}]
                    body = {"operations": operations, "sequence": written["sequence"], "write": identity}
                    try:
                        status, answer = ask_json(self.app.port, "POST", f"{path}/edits", body)
                    except (OSError, ValueError):
                        status = 503
                    if status == 503:
                        time.sleep(0.05)
                        continue
                    if status != 200:
                        conflicts.append((status, answer))
                        return
                    written.update(acknowledged=number, sequence=answer["head"]["sequence"])
                    break

        def is_written(number: int) -> bool:
            return written["acknowledged"] >= number

        def named() -> int:
            """Return the number in the patch's name; a store that is just coming back is asked again."""
            answers: list[tuple[int, Json]] = []

            def is_answered() -> bool:
                answers.append(ask_json(self.app.port, "GET", path))
                return answers[-1][0] == 200

            wait_until(is_answered, "the patch could not be read")
            return int(answers[-1][1]["name"])

        with going_on(write):
            for kill in range(KILLS):
                before = written["acknowledged"]
                wait_until(partial(is_written, before + rng.randint(3, 12)), "nothing more was written")
                database = kill % 2 == 1
                pid = self.app.database_pid() if database else self.app.server_pid()
                os.kill(pid, signal.SIGKILL)
                self.app.until_up()
                self.assertGreaterEqual(named(), before, "an acknowledged write is gone")
        self.assertEqual(conflicts, [], "a write of this window was taken for another's")
        self.assertGreaterEqual(named(), written["acknowledged"])
        print(f"{KILLS} kills, {written['acknowledged']} acknowledged writes, 0 lost")


if __name__ == "__main__":
    unittest.main()
