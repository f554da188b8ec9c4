"""Signing in: sessions that really end, passwords, tries that others cannot use up, keys that rotate."""

import tempfile
import threading
import unittest
from contextlib import contextmanager
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from unittest import mock

from sqlalchemy import func, select, update

from bodkin.api import people, sign_in
from bodkin.api.app import build
from bodkin.api.context import now
from bodkin.commands import data
from bodkin.demo.district import PASSWORD
from bodkin.store import database
from bodkin.store.tables import Person, SignInSession, SignInTry
from bodkin.store.writes.sign_in import IDLE, LONGEST
from tests.api.client import TestClient
from tests.support import stage

NEW = "a tidy harbor of nine boats"


class WithStore(unittest.TestCase):
    """An application over a district of its own."""

    @classmethod
    def setUpClass(cls):
        cls.store = stage.small_copy()
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.settings = replace(stage.settings(), folder=Path(folder.name))
        cls.app = build(cls.settings, cls.store)

    def setUp(self):
        with self.store.noting() as session:
            session.execute(SignInTry.__table__.delete())

    def client(self, address="127.0.0.5"):
        return TestClient(self.app, raise_server_exceptions=False, client=(address, 1))

    def sign_in(self, client, login="teacher", password=PASSWORD):
        return client.post("/api/sign-in", json={"login": login, "password": password})

    def signed_in(self, login="teacher", address="127.0.0.5"):
        client = self.client(address)
        self.assertEqual(self.sign_in(client, login).status_code, 204)
        return client


class Sessions(WithStore):
    def as_before(self, client):
        """Another client that still has the cookies this one has now."""
        other = self.client()
        other.cookies.update(client.cookies)
        return other

    def test_a_cookie_is_worth_nothing_after_signing_out(self):
        """Whoever kept it is out too; another session of the same person goes on."""
        client, elsewhere = self.signed_in(), self.signed_in()
        kept = self.as_before(client)
        self.assertEqual(kept.get("/api/me").status_code, 200)
        out = client.post("/api/sign-out")
        self.assertEqual((out.status_code, out.headers["clear-site-data"]), (204, '"cache"'))
        self.assertEqual([one.get("/api/me").status_code for one in (kept, elsewhere)], [401, 200])

    def test_ended_one_by_one_and_all_at_once(self):
        """One's own only: another person's session is as one that is not there."""
        here, there, third = self.signed_in(), self.signed_in(), self.signed_in()
        listed = here.get("/api/me/sessions").json()
        mine = [one["id"] for one in listed if one["this"]]
        self.assertEqual((len(mine), listed[0]["id"] > listed[-1]["id"]), (1, True))
        other = there.get("/api/me/sessions").json()
        key = next(one["id"] for one in other if one["this"])
        lead = self.signed_in("lead")
        theirs = lead.delete(f"/api/me/sessions/{key}")
        self.assertEqual((theirs.status_code, theirs.content), (404, lead.delete("/api/me/sessions/999999").content))
        self.assertEqual(there.get("/api/me").status_code, 200)
        self.assertEqual(here.delete(f"/api/me/sessions/{key}").status_code, 204)
        self.assertEqual([one.get("/api/me").status_code for one in (there, third)], [401, 200])
        self.assertEqual(here.delete("/api/me/sessions").status_code, 204)
        self.assertEqual([one.get("/api/me").status_code for one in (here, third, lead)], [200, 401, 200])
        self.assertEqual([one["id"] for one in here.get("/api/me/sessions").json()], mine)

    def test_idle_and_absolute_limits(self):
        """Unused for too long, or signed in for too long: over. A minute before either, it goes on."""
        for column, limit in ((SignInSession.used_at, IDLE), (SignInSession.made_at, LONGEST)):
            for age, status in ((limit - timedelta(minutes=1), 200), (limit + timedelta(seconds=5), 401)):
                client = self.signed_in("lead")
                with self.store.noting() as session:
                    last = session.scalar(select(func.max(SignInSession.id)))
                    mine = update(SignInSession).where(SignInSession.id == last)
                    session.execute(mine.values({column.key: now() - age}))
                with self.subTest(column=column.key, age=age):
                    self.assertEqual(client.get("/api/me").status_code, status)

    def test_use_is_noted(self):
        """A session in use does not end for being idle."""
        client = self.signed_in("lead")
        with self.store.noting() as session:
            session.execute(update(SignInSession).values(used_at=now() - IDLE + timedelta(minutes=2)))
        self.assertEqual(client.get("/api/me").status_code, 200)
        with self.store.reading() as session:
            last = session.scalar(select(SignInSession.used_at).order_by(SignInSession.id.desc()).limit(1))
        self.assertLess(now() - last, timedelta(minutes=1))

    def test_a_new_key_signs_nobody_out(self):
        """The key before still reads; the one before that does not."""
        client = self.signed_in("lead")
        self.settings.new_secret()
        self.assertEqual(client.get("/api/me").status_code, 200)
        fresh = self.signed_in("lead")
        self.settings.new_secret()
        self.assertEqual([one.get("/api/me").status_code for one in (client, fresh)], [401, 200])

    def test_the_database_does_not_hold_what_a_cookie_holds(self):
        """A hash of it alone, so that a copy of the database signs nobody in."""
        client = self.signed_in("lead")
        token = sign_in.token_of(self.settings, client.cookies[sign_in.COOKIE])
        with self.store.reading() as session:
            kept = session.scalars(select(SignInSession.token_hash)).all()
        self.assertTrue(token)
        self.assertFalse(any(token in one or one in token for one in kept))


class Passwords(WithStore):
    def change(self, client, old, new):
        return client.post("/api/me/password", json={"now": old, "new": new})

    def test_changed_by_oneself(self):
        """The old one is over and so is every other session; this one goes on."""
        here, there = self.signed_in("aide"), self.signed_in("aide")
        self.assertEqual(self.change(here, PASSWORD, NEW).status_code, 204)
        self.assertEqual([one.get("/api/me").status_code for one in (here, there)], [200, 401])
        self.assertEqual(self.sign_in(self.client(), "aide").status_code, 401)
        self.assertEqual(self.sign_in(self.client(), "aide", NEW).status_code, 204)
        self.assertEqual(self.change(here, NEW, PASSWORD).status_code, 204)

    def test_refused(self):
        """Short, common, one letter again and again, the login within it, or without the one there is."""
        client = self.signed_in("specialist")
        for new in ("short", "password123", "Teacher1234", "aaaaaaaaaaaa", "my specialist login", "0123456789"):
            answer = self.change(client, PASSWORD, new)
            self.assertEqual((answer.status_code, answer.json()["message"][:4]), (422, "new:"), new)
        wrong = self.change(client, "not this one", NEW)
        self.assertEqual((wrong.status_code, wrong.json()["message"][:4]), (422, "now:"))
        self.assertEqual(self.sign_in(self.client(), "specialist").status_code, 204)

    def test_guessing_by_way_of_the_change_comes_to_an_end(self):
        """Whoever finds an open desk cannot try passwords there for ever."""
        client = self.signed_in("specialist")
        found = [self.change(client, f"guess number {n}", NEW).status_code for n in range(10)]
        self.assertEqual((found[0], found[-1]), (422, 429))


async def quickly(_, password, kept):
    """In place of the slow hash, where only the count of tries is looked at."""
    return password == PASSWORD and kept != sign_in.NOBODY


class Tries(WithStore):
    @mock.patch.object(sign_in.PasswordDesk, "fits", quickly)
    def test_others_wrong_tries_do_not_lock_out_a_known_browser(self):
        """From everywhere and with the same login: who has signed in from this browser still does."""
        mine = self.signed_in("lead", "127.0.0.7")
        mine.cookies.delete(sign_in.COOKIE)
        for n in range(40):
            self.sign_in(self.client(f"127.0.1.{n}"), "lead", "wrong")
        self.assertEqual(self.sign_in(self.client("127.0.0.8"), "lead").status_code, 429)
        self.assertEqual(self.sign_in(mine, "lead").status_code, 204)

    @mock.patch.object(sign_in.PasswordDesk, "fits", quickly)
    def test_a_stranger_waits_a_minute_and_no_longer(self):
        """What is refused unseen does not count, so going on does not make it longer."""
        for _ in range(60):
            last = self.sign_in(self.client("127.0.0.9"), "coach", "wrong")
        self.assertEqual((last.status_code, last.headers["retry-after"]), (429, "60"))
        with self.store.noting() as session:
            self.assertLess(session.scalar(select(func.count()).select_from(SignInTry)), 40)
            session.execute(update(SignInTry).values(at=now() - timedelta(seconds=61)))
        self.assertEqual(self.sign_in(self.client("127.0.0.9"), "coach").status_code, 204)

    def test_many_at_once_get_no_more_tries_than_one_after_the_other(self):
        """Forty wrong passwords at the same moment: no more are looked at than a login has tries."""
        looked = []

        async def look(_, password, kept):
            looked.append((password, kept))
            return False

        statuses = []
        with mock.patch.object(sign_in.PasswordDesk, "fits", look):
            threads = [
                threading.Thread(
                    target=lambda: statuses.append(self.sign_in(self.client(), "teacher", "wrong").status_code)
                )
                for _ in range(40)
            ]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
        self.assertLessEqual(len(looked), sign_in.TRIES_LOGIN_HERE)
        self.assertEqual((len(statuses), set(statuses)), (40, {401, 429}))

    def test_a_school_signs_in_at_one_moment(self):
        """Eight people again and again, from browsers that are known and others: nobody meets an error."""
        runtime, begin, done = self.app.state.runtime, threading.Barrier(8), []
        with self.store.reading() as session:
            coach = session.scalars(select(Person.id).where(Person.login == "coach")).one()

        def one(at):
            begin.wait()
            for time in range(30):
                known = "browser" if time % 2 else None
                keys = people._try(runtime, f"someone {time % 3}", f"127.0.2.{at}", known)
                people._open(runtime, coach, "a browser", keys)
            done.append(at)

        threads = [threading.Thread(target=one, args=(at,)) for at in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sorted(done), list(range(8)))

    def test_tries_wait_for_their_turn(self):
        """While another process notes one nobody else does; whose turn does not come is told so, and may try again."""
        with mock.patch.object(database, "TURN_SECONDS", 0), self.store.noting_in_turn("tries to sign in"):
            self.assertEqual(self.sign_in(self.client()).status_code, 503)
        self.assertEqual(self.sign_in(self.client()).status_code, 204)

    def test_a_full_queue_says_so_at_once(self):
        """Nobody waits for minutes, and the try does not count."""
        desk = self.app.state.runtime.passwords
        with mock.patch.object(desk, "_waiting", sign_in.AT_ONCE + sign_in.QUEUE):
            answer = self.sign_in(self.client())
        self.assertEqual((answer.status_code, answer.json()["code"]), (503, "busy"))
        self.assertIn("retry-after", answer.headers)
        with self.store.reading() as session:
            self.assertEqual(session.scalar(select(func.count()).select_from(SignInTry)), 0)

    def test_a_login_that_is_not_there_takes_as_long(self):
        """What is checked in its place was made as a new password is."""
        self.assertEqual(sign_in.NOBODY.split("$")[1:4], sign_in.hash_password(PASSWORD).split("$")[1:4])
        self.assertFalse(sign_in._hasher.verify(PASSWORD, sign_in.NOBODY))

    def test_passwords_are_hashed_one_after_the_other(self):
        """However many come: each takes 64 MB of memory."""
        at_once, most = 0, 0
        lock = threading.Lock()
        real = sign_in._hasher.verify

        def counted(*given):
            nonlocal at_once, most
            with lock:
                at_once += 1
                most = max(most, at_once)
            try:
                return real(*given)
            finally:
                with lock:
                    at_once -= 1

        with mock.patch.object(sign_in._hasher, "verify", counted):
            threads = [
                threading.Thread(target=lambda n=n: self.sign_in(self.client(f"127.0.2.{n}"), f"who {n}", "wrong"))
                for n in range(5)
            ]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
        # Each client of the test has a loop of its own; the thread that hashes is the application's.
        self.assertEqual(most, sign_in.AT_ONCE)

    def test_a_new_password_by_command_ends_the_sessions(self):
        """The command itself: signed out everywhere, the old password is none any more, the new one is."""
        client = self.signed_in("lead")

        @contextmanager
        def opened(*, demo):
            self.assertFalse(demo)
            yield self.store

        with mock.patch.object(data, "open_store", opened):
            said = data.new_password(login="lead", password="another long one", demo=False)
        self.assertIn("signed out everywhere", said)
        self.assertEqual(client.get("/api/me").status_code, 401)
        self.assertEqual(self.sign_in(self.client("127.0.3.1"), "lead", PASSWORD).status_code, 401)
        self.assertEqual(self.sign_in(self.client("127.0.3.2"), "lead", "another long one").status_code, 204)
        with mock.patch.object(data, "open_store", opened):
            data.new_password(login="lead", password=PASSWORD, demo=False)
