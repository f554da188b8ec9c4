"""What every request passes first: host, sign-in before the body, size, time, headers."""

import asyncio
import logging
import socket
import threading
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from unittest import mock

import uvicorn
from sqlalchemy import text

from bodkin.api.access import guard, server
from bodkin.api.app import build
from bodkin.store.server import port_free
from tests.api.application import application, nobody, signed_in
from tests.api.client import TestClient
from tests.support import stage

MB = 1024 * 1024
JSON = {"content-type": "application/json"}


def asked(path, headers, parts, method="POST"):
    """A request put to the application part by part: its status, headers, and how many parts were read."""
    read = 0
    answer = {}

    async def receive():
        nonlocal read
        if read == len(parts):
            await asyncio.sleep(5)
        part, read = parts[read], read + 1
        if isinstance(part, float):
            await asyncio.sleep(part)
            part = b""
        return {"type": "http.request", "body": part, "more_body": read < len(parts)}

    async def send(message):
        if message["type"] == "http.response.start":
            answer["status"] = message["status"]
            answer["headers"] = {name.decode().lower(): value.decode() for name, value in message["headers"]}

    scope = {
        "type": "http", "method": method, "path": path, "raw_path": path.encode(), "query_string": b"",
        "headers": [(b"host", b"testserver"), *((n.encode(), v.encode()) for n, v in headers.items())],
        "scheme": "http", "server": ("testserver", 80), "client": ("127.0.0.9", 1), "root_path": "",
        "http_version": "1.1", "asgi": {"version": "3.0"},
    }  # fmt: skip
    # In a thread of its own: one that drives a browser has a loop already.
    with ThreadPoolExecutor(1) as pool:
        pool.submit(lambda: asyncio.run(application()(scope, receive, send))).result()
    return answer["status"], answer["headers"], read


def cookie_of(login):
    """The cookies of somebody signed in, as a header."""
    return {"cookie": "; ".join(f"{name}={value}" for name, value in signed_in(login).cookies.items())}


def added_first(app, route):
    """A route of the test, before the one that takes every address."""
    app.add_api_route("/api/broken", route)
    app.router.routes.insert(0, app.router.routes.pop())


class Bodies(unittest.TestCase):
    def test_nothing_is_read_for_nobody(self):
        """A body of 300 MB without a sign-in is refused unread, said beforehand or sent in parts."""
        for more in ({"content-length": str(300 * MB)}, {}):
            status, headers, read = asked("/api/groups", {**JSON, **more}, [b"x" * 100] * 10)
            self.assertEqual((status, headers["connection"], read), (401, "close", 0))

    def test_nothing_is_read_for_somebody_without_the_right(self):
        """A teacher who sends a file: the right is looked at before the file."""
        sent = {**cookie_of("teacher"), "content-type": "multipart/form-data; boundary=x"}
        self.assertEqual(asked("/api/imports/preview", sent, [b"x"] * 10)[::2], (403, 0))

    def test_a_body_that_says_it_is_too_large(self):
        """Refused unread; also what is sent to the sign-in, which anybody may reach."""
        for path, size, cookies in (("/api/groups", 5 * MB, cookie_of("coach")), ("/api/sign-in", 17_000, {})):
            sent = {**JSON, **cookies, "content-length": str(size)}
            self.assertEqual(asked(path, sent, [b"x" * 1000] * 10)[::2], (413, 0))

    def test_a_body_that_grows_too_large(self):
        """Without a length it is read as far as the limit and no further."""
        status, _, read = asked("/api/groups", {**JSON, **cookie_of("coach")}, [b"x" * MB] * 50)
        self.assertEqual((status, read), (413, 5))
        status, _, read = asked("/api/sign-in", JSON, [b"x" * 1000] * 50)
        self.assertEqual((status, read), (413, 17))

    def test_a_length_that_is_no_number(self):
        """400, and nothing is read."""
        sent = {**JSON, **cookie_of("coach"), "content-length": "many"}
        self.assertEqual(asked("/api/groups", sent, [b"x"])[::2], (400, 0))

    def test_a_sender_who_takes_for_ever(self):
        """Who sends nothing more, and who sends a little all the time: 408, and the connection ends."""
        with mock.patch.multiple(guard, CHUNK_SECONDS=0.05, BODY_SECONDS=0.2):
            status, headers, _ = asked("/api/groups", {**JSON, **cookie_of("coach")}, [b"{", 1.0, b"}"])
            self.assertEqual((status, headers["connection"]), (408, "close"))
            status, _, read = asked("/api/groups", {**JSON, **cookie_of("coach")}, [0.02] * 100)
            self.assertEqual(status, 408)
            self.assertLess(read, 30)

    def test_bodies_that_cannot_be_read(self):
        """Broken JSON, none at all, a list, broken files: 400 or 422 with the place, never 500."""
        coach = signed_in("coach")
        kinds = {"content-type": "application/json"}
        for body in (b"{", b"", b"[1]", b"\xff\xfe", b"null", b'{"name": {"a": 1}}'):
            answer = coach.post("/api/groups", content=body, headers=kinds)
            self.assertEqual(answer.status_code, 422, body)
            self.assertTrue(answer.json()["message"])
        for body, kind in ((b"nothing", "multipart/form-data"), (b"--x\r\nbroken", "multipart/form-data; boundary=x")):
            answer = coach.post("/api/imports/preview", content=body, headers={"content-type": kind})
            self.assertIn(answer.status_code, (400, 422))
            self.assertNotIn("no such address", answer.json()["message"])

    def test_wrong_methods(self):
        """405 with the methods that are allowed, in the shape of every refusal."""
        for method, path in (("PUT", "/api/me"), ("DELETE", "/api/compare"), ("PATCH", "/api/imports")):
            answer = signed_in("coach").request(method, path)
            self.assertEqual((answer.status_code, answer.json()["code"]), (405, "wrong_method"))
            self.assertIn("GET", answer.headers["allow"])


class Headers(unittest.TestCase):
    def test_every_answer_has_them(self):
        """Found, refused, not there, broken: the same headers stand on all."""
        app = build(stage.settings(), stage.demo())
        added_first(app, lambda: 1 / 0)
        client = TestClient(app, raise_server_exceptions=False)
        for path, method, status in (
            ("/", "GET", 200), ("/api/me", "GET", 401), ("/api/nothing", "GET", 404), ("/api/me", "PUT", 401),
            ("/api/sign-in", "POST", 422), ("/api/broken", "GET", 500),
        ):  # fmt: skip
            with self.subTest(path=path, method=method), self.assertLogs("bodkin") as logs:
                logging.getLogger("bodkin").info("begin")
                answer = client.request(method, path)
                self.assertIn(answer.status_code, {status, 503} if path == "/" else {status})
                for name in guard.SAFE:
                    self.assertIn(name, answer.headers)
                if path != "/":
                    self.assertEqual(answer.headers["cache-control"], "no-store")
                    self.assertTrue(answer.json()["message"])
            self.assertEqual(any("ZeroDivisionError" in line for line in logs.output), status == 500)

    def test_over_tls_browsers_are_told_to_stay_there(self):
        """Only there: over plain HTTP on loopback there is no such header."""
        secure = TestClient(application(), base_url="https://testserver")
        self.assertIn("max-age=", secure.get("/api/me").headers["strict-transport-security"])
        self.assertNotIn("strict-transport-security", nobody().get("/api/me").headers)

    def test_only_known_hosts(self):
        """A name that is none of Bodkin's is refused before anything else, whatever its port."""
        client = signed_in("coach")
        for host, status in (
            ("testserver", 200), ("localhost:8750", 200), ("127.0.0.1", 200), ("[::1]:80", 200), ("evil.example", 400),
            ("testserver.evil.example", 400), ("", 400), ("localhost@evil.example", 400),
        ):  # fmt: skip
            answer = client.get("/api/me", headers={"host": host})
            self.assertEqual(answer.status_code, status, host)
            self.assertIn("content-security-policy", answer.headers)

    def test_what_an_sql_error_holds_is_not_written_down(self):
        """The log names the route and the error's number; names and scores of the statement stay out."""
        app = build(stage.settings(), stage.demo())

        def broken():
            with app.state.runtime.store.reading() as session:
                session.execute(text("SELECT no_such FROM student WHERE given_name = :n"), {"n": "Secretname"})

        added_first(app, broken)
        with self.assertLogs("bodkin", "ERROR") as logs:
            answer = TestClient(app, raise_server_exceptions=False).get("/api/broken")
        self.assertEqual(answer.status_code, 500)
        self.assertNotIn("Secretname", answer.text + "".join(logs.output))
        self.assertIn("/api/broken", logs.output[0])


class HalfSent(unittest.TestCase):
    """Over a real connection: uvicorn with our protocol."""

    @classmethod
    def setUpClass(cls):
        cls.port = next(one for one in range(18_300, 18_500) if port_free(one))
        patience = mock.patch.object(server, "REQUEST_SECONDS", 0.6)
        patience.start()
        cls.addClassCleanup(patience.stop)
        config = uvicorn.Config(
            application(), host="127.0.0.1", port=cls.port, log_level="error", http=server.PatientProtocol
        )
        cls.server = uvicorn.Server(config)
        thread = threading.Thread(target=cls.server.run, daemon=True)
        thread.start()
        deadline = time.monotonic() + 20
        while port_free(cls.port) and time.monotonic() < deadline:
            time.sleep(0.05)

        def end():
            cls.server.should_exit = True
            thread.join(10)

        cls.addClassCleanup(end)

    def closed_after(self, *parts):
        """Seconds until the server closes a connection on which these parts were sent."""
        with socket.create_connection(("127.0.0.1", self.port), timeout=10) as line:
            for part in parts:
                line.sendall(part)
                if part.endswith(b"\r\n\r\n"):
                    self.assertIn(b"HTTP/1.1", line.recv(65_536))
            began = time.monotonic()
            while line.recv(65_536):
                pass
            return time.monotonic() - began

    def test_headers_that_never_end(self):
        """Nothing at all, half a line, half the headers, half of a second request: each connection is closed."""
        whole = b"GET /api/me HTTP/1.1\r\nHost: localhost\r\n\r\n"
        for parts in ([b""], [b"GET /ap"], [b"GET /api/me HTTP/1.1\r\nHost: local"], [whole, b"GET /api/m"]):
            with self.subTest(parts=parts):
                self.assertLess(self.closed_after(*parts), 8)

    def test_whole_requests_are_answered_one_after_the_other(self):
        """On one connection, also after a pause shorter than the patience."""
        whole = b"GET /api/me HTTP/1.1\r\nHost: localhost\r\n\r\n"
        with socket.create_connection(("127.0.0.1", self.port), timeout=10) as line:
            for _ in range(3):
                line.sendall(whole)
                answer = b""
                while not answer.endswith(b"}"):
                    answer += line.recv(65_536)
                self.assertIn(b"401", answer)
                time.sleep(0.3)
