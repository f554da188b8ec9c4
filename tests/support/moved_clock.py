"""Servers of the application whose clock a test sets: Debian's libfaketime stands between them and the machine's."""

import http.client
import json
import os
import subprocess
import sys
import tempfile
import time
from datetime import datetime
from pathlib import Path

from bodkin.commands.serving import FEW_ARENAS, end
from bodkin.demo.district import PASSWORD
from bodkin.store.server import die_with_parent, port_free
from tests.support import stage

LIBRARY = next(Path("/usr/lib").glob("*/faketime/libfaketime.so.1"), None)


class Asked:
    """An answer: its status, headers, and what it says."""

    def __init__(self, response: http.client.HTTPResponse) -> None:
        self.status = response.status
        self.headers = dict(response.getheaders())
        body = response.read()
        self.said = json.loads(body) if body and "json" in self.headers.get("content-type", "") else body


class MovedServer:
    """A server process of its own over a database; its moment is read from a file at each look at the clock."""

    def __init__(self, address: str, moment: datetime, port: int) -> None:
        self._folder = tempfile.TemporaryDirectory(prefix="bodkin-clock-")
        folder = Path(self._folder.name)
        own = stage.server().settings.database_file.read_text()
        state = json.loads(own) | {"name": address.split("?", maxsplit=1)[0].rsplit("/", 1)[1]}
        (folder / "database.json").write_text(json.dumps(state))
        self._moment = folder / "moment"
        self.at(moment)
        self.port, self._cookie = port, ""
        environment = {name: value for name, value in os.environ.items() if name != "BODKIN_TODAY"} | FEW_ARENAS | {
            "BODKIN_VAR": str(folder), "TZ": "UTC", "LD_PRELOAD": str(LIBRARY),
            "FAKETIME_TIMESTAMP_FILE": str(self._moment), "FAKETIME_NO_CACHE": "1",
            # What waits, waits for as long as it takes.
            "FAKETIME_DONT_FAKE_MONOTONIC": "1", "DONT_FAKE_MONOTONIC": "1",
        }  # fmt: skip
        words = [sys.executable, "-m", "bodkin.api.access.server", "--port", str(port)]
        # What it says is told where it does not start; the library has a word for each sleep that it does not know.
        said = folder / "said"
        with said.open("w") as out:
            self._process = subprocess.Popen(words, env=environment, stderr=out, preexec_fn=die_with_parent)  # noqa: PLW1509
        deadline = time.monotonic() + 60
        while port_free(port):
            if time.monotonic() > deadline or self._process.poll() is not None:
                raise AssertionError(f"the server with a moved clock did not start: {said.read_text()}")
            time.sleep(0.05)

    def at(self, moment: datetime) -> None:
        """Set the clock, in UTC."""
        draft = self._moment.with_suffix(".draft")
        draft.write_text(f"{moment:%Y-%m-%d %H:%M:%S}\n")
        draft.replace(self._moment)

    def ask(self, path: str, body: object = None, method: str | None = None) -> Asked:
        """Ask the server, signed in as whoever signed in last."""
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=60)
        headers = {"content-type": "application/json", "cookie": self._cookie}
        text = None if body is None else json.dumps(body)
        connection.request(method or ("GET" if body is None else "POST"), path, text, headers)
        response = connection.getresponse()
        for cookie in response.msg.get_all("set-cookie", []):
            if cookie.startswith("bodkin="):
                self._cookie = cookie.split(";")[0]
        asked = Asked(response)
        connection.close()
        return asked

    def sign_in(self, login: str) -> None:
        """Sign in; a session lasts half a day, which a moved clock soon takes."""
        self._cookie = ""
        assert self.ask("/api/sign-in", {"login": login, "password": PASSWORD}).status == 204

    def stop(self) -> None:
        """End it."""
        end(self._process)
        self._folder.cleanup()
