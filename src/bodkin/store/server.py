"""Our own MariaDB server: its folder, its port on loopback, its start and stop."""

import ctypes
import json
import os
import secrets
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from bodkin.core.errors import BodkinError
from bodkin.store.settings import Settings

FIRST_PORT = 33917
"""Where the search for a free port begins; far from the port of a system's own server."""

CONNECTIONS = 500
"""How many connections there may be at once: several processes of the application, and whoever looks after it."""

_PDEATHSIG = 1


def die_with_parent() -> None:
    """Ask Linux to end this child process when its parent ends, however the parent ends."""
    ctypes.CDLL(None).prctl(_PDEATHSIG, signal.SIGTERM)


def port_free(port: int) -> bool:
    """Whether a server could listen on a port of the loopback address."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
    return True


def free_port(first: int) -> int:
    """The first free port from ``first`` on."""
    return next(port for port in range(first, first + 1000) if port_free(port))


class DatabaseServer:
    """A MariaDB server with its data under the folder of the settings, seen by loopback only."""

    def __init__(
        self, settings: Settings, options: Sequence[str] = (), more_schemas: Sequence[str] = (), more_rights: str = ""
    ) -> None:
        """A server of a folder.

        For tests: ``more_schemas`` are patterns of further schemas that its account may use, ``more_rights`` what it
        may do to the server as a whole.
        """
        self.settings = settings
        self.options = options
        self.more_schemas = more_schemas
        self.more_rights = more_rights
        self.data = settings.folder / "mariadb"
        self.log = settings.folder / "mariadb.log"
        self.process: subprocess.Popen[bytes] | None = None

    def _read_state(self) -> dict[str, Any]:
        if self.settings.database_file.exists():
            state: dict[str, Any] = json.loads(self.settings.database_file.read_text())
            return state
        return {"name": "bodkin", "password": secrets.token_urlsafe(24), "port": 0, "pid": 0}

    def _write_state(self, state: dict[str, Any]) -> None:
        # Written beside and moved into place: a reader never sees half a file.
        draft = self.settings.database_file.with_suffix(".draft")
        draft.touch(mode=0o600)
        draft.write_text(json.dumps(state))
        os.replace(draft, self.settings.database_file)

    def _install(self) -> None:
        tool = shutil.which("mariadb-install-db")
        if tool is None:
            raise BodkinError("MariaDB is not installed; install Debian's package mariadb-server-core")
        draft = self.data.with_suffix(".draft")
        shutil.rmtree(draft, ignore_errors=True)
        draft.mkdir(parents=True)
        done = subprocess.run(  # noqa: S603 (arguments are ours)
            [tool, "--no-defaults", f"--datadir={draft}", "--auth-root-authentication-method=normal",
             "--skip-test-db", *self._as_root()],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        if done.returncode:
            raise BodkinError(f"the database could not be set up: {done.stderr or done.stdout}")
        # Only a finished data folder gets the name that a later start takes as done.
        os.replace(draft, self.data)

    @staticmethod
    def _as_root() -> list[str]:
        return ["--user=root"] if os.geteuid() == 0 else []

    def _left_running(self) -> int:
        """Process id of a server of this very folder that is still running, else 0."""
        pid = int(self._read_state().get("pid", 0))
        try:
            words = Path(f"/proc/{pid}/cmdline").read_bytes().split(b"\0")
        except OSError:
            return 0
        return pid if f"--datadir={self.data}".encode() in words else 0

    def start(self, wait: float = 60.0, *, same_port: bool = False) -> None:
        """Set up on first use, start, and wait until it answers. Raises BodkinError if it does not.

        ``same_port``: a running application knows the port, so no other one will do.
        """
        self.settings.folder.mkdir(parents=True, exist_ok=True)
        state = self._read_state()
        if pid := self._left_running():
            # Left over from a start that was killed; end it rather than share it.
            self._end(pid, lambda: bool(self._left_running()))
        if not self.data.exists():
            self._install()
        server = shutil.which("mariadbd") or "/usr/sbin/mariadbd"
        if not state["port"] or not (same_port or port_free(state["port"])):
            state["port"] = free_port(FIRST_PORT)
        # Each server has a place of its own for passing files: one that starts clears the place it is given.
        passing = self.settings.folder / "passing"
        passing.mkdir(exist_ok=True)
        first = self.settings.folder / "first.sql"
        first.touch(mode=0o600)
        first.write_text("".join(f"{line};\n" for line in self._accounts(state["name"], state["password"])))
        with self.log.open("ab") as log:
            self.process = subprocess.Popen(  # noqa: S603 (arguments are ours)
                [server, "--no-defaults", f"--datadir={self.data}", f"--tmpdir={passing}", f"--port={state['port']}",
                 "--bind-address=127.0.0.1", f"--socket={self._socket()}", f"--init-file={first}",
                 "--skip-name-resolve", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_nopad_bin",
                 f"--max-connections={CONNECTIONS}",
                 "--innodb-buffer-pool-size=256M", "--max-allowed-packet=64M", "--local-infile=1",
                 *self.options, *self._as_root()],
                stdout=log, stderr=log, start_new_session=True, preexec_fn=die_with_parent,  # noqa: PLW1509 (started from the one thread of the launcher)
            )  # fmt: skip
        state["pid"] = self.process.pid
        self._write_state(state)
        deadline = time.monotonic() + wait
        while not self._answers():
            if self.process.poll() is not None or time.monotonic() > deadline:
                raise BodkinError(f"the database does not start; see {self.log}")
            time.sleep(0.05)
        first.unlink(missing_ok=True)

    def _accounts(self, name: str, password: str) -> list[str]:
        """What makes the accounts safe at every start, whoever made the data folder.

        Two accounts are left beside the server's own: the application's, with its own schema only, and root, by
        the socket of this machine and for the machine's root alone.
        """
        own = "'bodkin'@'127.0.0.1'"
        # A restore builds up beside what is there.
        own_schemas = (name, f"{name}_restoring", f"{name}_replaced")
        schemas = [*(one.replace("_", r"\_") for one in own_schemas), *self.more_schemas]
        others = (
            "SELECT GROUP_CONCAT(QUOTE(User), '@', QUOTE(Host)) FROM mysql.global_priv WHERE User <> 'PUBLIC' AND"
            " CONCAT(User, '@', Host) NOT IN ('bodkin@127.0.0.1', 'root@localhost', 'mariadb.sys@localhost')"
        )
        return [
            f"CREATE DATABASE IF NOT EXISTS `{name}` CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin",
            f"CREATE USER IF NOT EXISTS {own} IDENTIFIED BY '{password}'",
            f"ALTER USER {own} IDENTIFIED BY '{password}'",
            f"REVOKE ALL PRIVILEGES, GRANT OPTION FROM {own}",
            *(f"GRANT ALL ON `{schema}`.* TO {own}" for schema in schemas),
            *([f"GRANT {self.more_rights} ON *.* TO {own}"] if self.more_rights else []),
            "CREATE USER IF NOT EXISTS 'root'@'localhost' IDENTIFIED VIA unix_socket",
            "ALTER USER 'root'@'localhost' IDENTIFIED VIA unix_socket",
            f"SET @others = ({others})",
            "EXECUTE IMMEDIATE IF(@others IS NULL, 'DO 0', CONCAT('DROP USER ', @others))",
        ]

    def _socket(self) -> Path:
        # A path of a socket has about a hundred bytes at the most, a folder may be deeper.
        return Path("/tmp") / f"bodkin-{os.getuid()}-{secrets.token_hex(6)}.sock"  # noqa: S108 (random name)

    def _answers(self) -> bool:
        import MySQLdb

        state = self._read_state()
        try:
            MySQLdb.connect(host="127.0.0.1", port=state["port"], user="bodkin", password=state["password"]).close()
        except MySQLdb.Error:
            return False
        return True

    @property
    def running(self) -> bool:
        """Whether the server we started still runs."""
        return self.process is not None and self.process.poll() is None

    @staticmethod
    def _end(pid: int, alive: Callable[[], bool], patience: float = 30.0) -> None:
        os.kill(pid, signal.SIGTERM)
        deadline = time.monotonic() + patience
        while alive() and time.monotonic() < deadline:
            time.sleep(0.05)
        if alive():
            os.kill(pid, signal.SIGKILL)

    def stop(self) -> None:
        """End the server we started and wait until it has put its data away."""
        if self.process is not None and self.process.poll() is None:
            process = self.process
            self._end(process.pid, lambda: process.poll() is None)
