"""The clock at rest: what no question needs any more is let go of, and only where nobody asks."""

import gc
import time
import unittest
import weakref
from unittest import mock

from bodkin.api.app import build
from bodkin.api.setup import schedule
from bodkin.api.setup.schedule import LONG, REST, Clock, give_back
from bodkin.store.reads import kept
from bodkin.store.reads.kept import Lately
from tests.api.application import PASSWORD, SCOPE, TestClient
from tests.support import stage


class Table:
    """Something large."""


class Rest(unittest.TestCase):
    def setUp(self):
        self.let_go, self.given = [], []
        self.clock = Clock(stage.small(), stage.settings(), lambda: self.let_go.append(1))
        patch = mock.patch.object(schedule, "give_back", lambda: self.given.append(1))
        patch.start()
        self.addCleanup(patch.stop)

    def rests(self, *used):
        """How often in turn it was at rest, after using the processor for so many seconds each time."""
        at, said = [self.clock._used], []
        with mock.patch.object(time, "process_time", lambda: at[0]):
            for seconds in used:
                at[0] += seconds
                said.append(self.clock.rest())
        return said

    def test_what_is_free_is_given_back_once_nobody_asks(self):
        """Not while there is work; once when it begins to rest and once when scopes are let go of, no more."""
        self.assertEqual(self.rests(REST, REST / 2), [0, 0])
        self.assertEqual((self.given, self.let_go), ([], []))
        self.assertEqual(self.rests(*[0.0] * (LONG - 1)), [*range(1, LONG)])
        self.assertEqual((len(self.given), len(self.let_go)), (1, 0))
        self.assertEqual(self.rests(*[0.001] * LONG), [*range(LONG, 2 * LONG)])
        self.assertEqual((len(self.given), len(self.let_go)), (2, 1))

    def test_work_in_between_begins_it_anew(self):
        """A minute of rest is a minute without a question."""
        self.assertEqual(self.rests(0.0, 0.0, REST, 0.0), [1, 2, 0, 1])
        self.assertEqual(self.let_go, [])

    def test_earlier_values_go_though_nobody_asks_again(self):
        """They were kept for questions that began before a change, which are over soon; the newest stays."""
        lately, tables = Lately(), [Table(), Table()]
        gone, stays = (weakref.ref(one) for one in tables)
        for version, table in enumerate(tables, start=1):
            lately.put(table, frozenset(), version, stage.TODAY)
        del table, tables
        self.rests(0.0)
        self.assertIsNotNone(gone())
        with mock.patch.object(kept, "EARLIER_SECONDS", 0.0):
            self.rests(0.0)
        gc.collect()
        self.assertIsNone(gone())
        self.assertIs(lately.newest.value, stays())
        self.assertNotIn(lately, kept._HOLDING)

    def test_the_allocator_is_asked(self):
        """To keep nothing that is free; where it knows no such thing, nothing happens."""
        with mock.patch.object(schedule.ctypes, "CDLL") as library:
            give_back()
            library.return_value.malloc_trim.assert_called_once_with(0)
        with mock.patch.object(schedule.ctypes, "CDLL", lambda _: object()):
            give_back()


class AfterRest(unittest.TestCase):
    def test_a_question_is_answered_as_before(self):
        """What was let go of is worked out again."""
        app = build(stage.settings(), stage.small())
        client = TestClient(app)
        client.post("/api/sign-in", json={"login": "coach", "password": PASSWORD})
        before = client.get("/api/growth", params=SCOPE).json()
        runtime = app.state.runtime
        self.assertTrue(len(runtime._comparisons._held))
        runtime.let_go()
        self.assertFalse(len(runtime._comparisons._held))
        self.assertEqual(client.get("/api/growth", params=SCOPE).json(), before)
