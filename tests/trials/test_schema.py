"""Requests made from the API's own schema, over every route: no fault, and no answer that the schema leaves out."""

import unittest
from collections import Counter
from typing import Any, ClassVar

import psutil
import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings
from schemathesis.specs.openapi import checks

from tests.support import PATIENCE_S
from tests.trials.served import LONG, Launched, ask, ask_json, seed_of

EACH = 145 if LONG else 2
"""Requests of each operation; there are about 160 operations."""

MOST_BYTES = 2_000_000_000
"""Memory of the server and its processes, what they share counted once."""

CHECKED: list[Any] = [
    checks.status_code_conformance,
    checks.content_type_conformance,
    checks.response_schema_conformance,
]
FAULTS = (500, 502, 504, 507)
"""The store is there and has room: 503 is the one server error that may come."""


class Schema(unittest.TestCase):
    served: ClassVar[Launched]

    @classmethod
    def setUpClass(cls) -> None:
        cls.served = Launched(demo=True)
        cls.addClassCleanup(cls.served.stop)
        cls.served.start()

    def test_every_operation_answers_as_its_schema_says(self) -> None:
        schema = schemathesis.openapi.from_dict(ask_json(self.served.port, "GET", "/api/openapi.json")[1])
        url = f"http://127.0.0.1:{self.served.port}"
        first = seed_of("requests of the schema")
        statuses: Counter[int] = Counter()
        known: set[str] = set()
        for number, found in enumerate(schema.get_all_operations()):
            operation: Any = found.ok()  # type: ignore[union-attr]
            known.add(operation.label)

            @seed(first + number)
            @settings(
                max_examples=EACH,
                deadline=None,
                database=None,
                phases=[Phase.generate],
                suppress_health_check=list(HealthCheck),
            )
            @given(case=operation.as_strategy())
            def asked(case: Any) -> None:
                answer = case.call(base_url=url, timeout=PATIENCE_S)
                statuses[answer.status_code] += 1
                self.assertNotIn(answer.status_code, FAULTS, f"{answer.text[:600]} to {case.as_curl_command()[:3000]}")
                self.assertNotIn("stopped the process", answer.text[:600], case.as_curl_command()[:3000])
                case.validate_response(answer, checks=CHECKED)

            with self.subTest(operation=operation.label):
                asked()
        print(f"{statuses.total()} requests of {len(known)} operations: {dict(statuses)}")
        self.assertGreater(len(known), 80)
        server = psutil.Process(self.served.server_pid())
        sizes = [process.memory_full_info().pss for process in (server, *server.children(recursive=True))]
        print(f"{len(sizes)} processes with {sum(sizes) / 1e6:.0f} MB")
        self.assertLess(sum(sizes), MOST_BYTES)
        self.assertEqual(ask(self.served.port, "GET", "/api/health").status, 200)


if __name__ == "__main__":
    unittest.main()
