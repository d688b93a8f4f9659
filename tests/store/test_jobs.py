"""Jobs in the store: what was asked for is neither done twice, nor lost, nor begun for ever."""

import unittest
import uuid
from typing import ClassVar
from unittest import mock

from sqlalchemy import Engine

from jorvik.core.problems import Problem
from jorvik.store import jobs as module
from jorvik.store.documents import Missing
from jorvik.store.jobs import MOST_BEGUN, JobStore, Made
from tests.support import fresh_engine

FILE = Made(b"twelve bytes", "audio/wav", "one.wav", {"loudness_lufs": -14.0})


class Jobs(unittest.TestCase):
    engine: ClassVar[Engine]

    @classmethod
    def setUpClass(cls) -> None:
        cls.engine = fresh_engine()
        cls.addClassCleanup(cls.engine.dispose)

    def setUp(self) -> None:
        self.store = JobStore(self.engine)
        for job in self.store.jobs():
            self.store.forget(job.id)

    def add(self, title: str = "one") -> uuid.UUID:
        return self.store.add(uuid.uuid4(), "sound", title, {"rate": 48_000}).id

    def state(self, job_id: uuid.UUID) -> str:
        return self.store.get(job_id).state

    def test_the_one_that_waited_longest_is_begun_first_and_only_once(self) -> None:
        first, second = self.add("first"), self.add("second")
        begun = [self.store.begin_next() for _ in range(3)]
        self.assertEqual([found and found[0].id for found in begun], [first, second, None])
        assert begun[0] is not None
        self.assertEqual(begun[0][1], {"rate": 48_000})
        self.assertEqual(self.state(first), "running")

    def test_a_result_is_kept_with_what_is_said_of_it(self) -> None:
        job = self.add()
        with self.assertRaises(Missing):
            self.store.result(job)
        self.store.begin_next()
        self.store.finish(job, FILE)
        self.assertEqual(self.store.result(job), FILE)
        kept = self.store.get(job)
        self.assertEqual((kept.state, kept.progress, kept.result_bytes, kept.file_name), ("done", 1.0, 12, "one.wav"))

    def test_a_cancelled_job_makes_nothing_and_a_done_one_is_not_cancelled(self) -> None:
        job = self.add()
        self.store.begin_next()
        self.store.end(job, "cancelled")
        self.store.finish(job, FILE)
        self.assertEqual(self.state(job), "cancelled")
        done = self.add()
        self.store.begin_next()
        self.store.finish(done, FILE)
        self.store.end(done, "cancelled")
        self.assertEqual(self.state(done), "done")

    def test_what_ran_waits_again_and_what_stopped_the_server_each_time_fails(self) -> None:
        job = self.add()
        for _ in range(MOST_BEGUN):
            self.assertEqual(self.state(job), "waiting")
            self.store.begin_next()
            self.store.tell_progress(job, 0.4)
            self.assertEqual(self.store.get(job).progress, 0.4)
            self.store.go_on()
        self.assertEqual(self.state(job), "failed")
        self.assertIsNone(self.store.begin_next())

    def test_being_stopped_as_it_should_be_does_not_count(self) -> None:
        job = self.add()
        for _ in range(2 * MOST_BEGUN):
            self.store.begin_next()
            self.store.hand_back()
            self.store.go_on()
            self.assertEqual(self.state(job), "waiting")

    def test_asked_for_again_it_is_the_same_job(self) -> None:
        job = self.add("once")
        self.assertEqual(self.store.add(job, "sound", "twice", {}).title, "once")
        self.assertEqual(len(self.store.jobs()), 1)

    def test_what_ended_longest_ago_goes_first_by_number_and_by_bytes(self) -> None:
        with mock.patch.object(module, "MOST_ENDED", 3), mock.patch.object(module, "MOST_RESULT_BYTES", 30):
            made = []
            for _ in range(4):
                made.append(self.add())
                self.store.begin_next()
                self.store.finish(made[-1], FILE)
            self.assertEqual({job.id for job in self.store.jobs()}, set(made[2:]))
            large = self.add()
            self.store.begin_next()
            self.store.finish(large, Made(bytes(50), "audio/wav", "large.wav"))
            self.assertEqual([job.id for job in self.store.jobs()], [large])

    def test_more_than_can_wait_are_refused(self) -> None:
        with mock.patch.object(module, "MOST_WAITING", 2):
            self.add()
            self.add()
            with self.assertRaisesRegex(Problem, "2 under way; it must be fewer than 2"):
                self.add()
