"""The launcher, and what it fetches and builds before the application is there."""

import io
import os
import shutil
import socket
import subprocess
import sys
import tempfile
import unittest
from contextlib import redirect_stderr
from pathlib import Path
from unittest import mock

from bodkin.commands import client, serving
from bodkin.core.errors import BodkinError
from bodkin.store.settings import ROOT

NPM = """
here=$(basename "$PWD")
echo "npm $1 in $here" >> "$CALLS"
if [ "$1" = config ]; then echo https://packages.example; exit; fi
mkdir -p node_modules
if [ "$here" = installer ] && [ "$BUN" != missing ]; then
    mkdir -p node_modules/@oven/bun-of-here/bin
    cp "$(dirname "$0")/bun" node_modules/@oven/bun-of-here/bin/
fi
"""
BUN = """
echo "bun $1 $2 $NPM_CONFIG_REGISTRY" >> "$CALLS"
mkdir node_modules
[ "$BUN" = works ]
"""
"""What stands in for the two: they note what they were asked, and where."""


class Launcher(unittest.TestCase):
    """What comes before the command itself."""

    def test_a_taken_port_is_said_with_another_one(self):
        """Before anything is started."""
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = taken.getsockname()[1]
            with self.assertRaisesRegex(BodkinError, f"Port {port} is taken.*--port {port + 1}"):
                serving.check_port(port)

    def test_without_root_it_says_which_packages_to_ask_for(self):
        """On a bare PATH, as somebody who is not root, it names them and stops."""
        with tempfile.TemporaryDirectory() as folder:
            tools = Path(folder)
            for name in ("bash", "env", "dirname", "readlink", "cut", "sha256sum", "cat", "printf"):
                found = subprocess.run(["which", name], capture_output=True, text=True, check=False).stdout.strip()
                if found:
                    (tools / name).symlink_to(found)
            (tools / "id").write_text("#!/bin/sh\necho 1000\n")
            (tools / "python3").write_text(
                '#!/bin/sh\ncase "$*" in *version_info*) exit 0;; *sysconfig*) echo /none;; *) exit 1;; esac\n'
            )
            for name in ("id", "python3"):
                (tools / name).chmod(0o755)
            done = subprocess.run(
                [str(ROOT / "bodkin"), "demo"], env={"PATH": folder, "BODKIN_PYTHON": str(tools / "python3")},
                capture_output=True, text=True, check=False,
            )  # fmt: skip
        self.assertEqual(done.returncode, 1, done.stderr)
        for package in ("gcc", "pkg-config", "python3-venv", "libmariadb-dev", "mariadb-client-core"):
            self.assertIn(package, done.stderr)
        self.assertIn("apt-get install", done.stderr)

    def test_which_python_it_takes(self):
        """The one that is named, then Debian's own, then any on the PATH; one that is too old is none."""
        script = (ROOT / "bodkin").read_text()
        finding = script[script.index("find_python() {") :].split("\n}\n")[0] + "\n}\n"
        debian = shutil.which("python3", path="/usr/bin")
        with tempfile.TemporaryDirectory() as folder:
            for name, code in (("new", 0), ("old", 1)):
                (Path(folder) / name).write_text(f"#!/bin/sh\nexit {code}\n")
                (Path(folder) / name).chmod(0o755)
            shutil.copy(Path(folder) / "new", Path(folder) / "python3")
            for named, wanted in (
                (f"{folder}/new", f"{folder}/new"),
                (f"{folder}/old", debian or f"{folder}/python3"),
                ("", debian or f"{folder}/python3"),
            ):
                found = subprocess.run(
                    ["/bin/bash", "-c", f'{finding} find_python; printf %s "$python"'],
                    env={"PATH": folder, "BODKIN_PYTHON": named}, capture_output=True, text=True, check=True,
                )  # fmt: skip
                self.assertEqual(found.stdout, wanted)

    def test_pip_installs_where_uv_cannot(self):
        """uv alone where it can; where it fails, pip is asked for the same lock."""
        script = (ROOT / "bodkin").read_text()
        installing = script[script.index("install_packages() {") :].split("\n}\n")[0] + "\n}\n"
        for code, asked in ((0, ["uv a.lock", "uv ."]), (1, ["uv a.lock", "pip a.lock", "pip ."])):
            with self.subTest(code=code), tempfile.TemporaryDirectory() as folder:
                tools = Path(folder) / "bin"
                tools.mkdir()
                pip = '[ "$3" = config ] || echo pip "${@: -1}"'
                for name, does in (("uv", f'echo uv "${{@: -1}}"; exit {code}'), ("python", pip)):
                    (tools / name).write_text(f"#!/bin/bash\n{does}\n")
                    (tools / name).chmod(0o755)
                done = subprocess.run(
                    ["/bin/bash", "-euc", f"say() {{ :; }}; venv={folder}; {installing} install_packages a.lock"],
                    env={}, capture_output=True, text=True, check=True,
                )  # fmt: skip
                self.assertEqual(done.stdout.splitlines(), asked)

    def test_the_client_is_built_before_any_package_is_there(self):
        """Its builder reads nothing but Python's own library."""
        words = [sys.executable, "-S", "-c", "import bodkin.commands.client"]
        done = subprocess.run(words, env={"PYTHONPATH": str(ROOT / "src")}, capture_output=True, text=True, check=False)
        self.assertEqual((done.returncode, done.stderr), (0, ""))

    def test_ci_calls_the_test_command(self):
        """And both scripts can be run."""
        self.assertIn("./bodkin test", (ROOT / ".ci" / "run").read_text())
        for path in (ROOT / "bodkin", ROOT / ".ci" / "run"):
            self.assertTrue(os.access(path, os.X_OK), path)

    def test_npm_installs_where_bun_cannot(self):
        """bun, which npm brings, is asked with npm's lock and npm's registry; where it fails or is missing, npm is."""
        by_bun = ["npm ci in installer", "npm config in web", "bun install --frozen-lockfile https://packages.example"]
        for state, asked in (
            ("works", by_bun),
            ("fails", [*by_bun, "npm ci in web"]),
            ("missing", [*by_bun[:2], "npm ci in web"]),
        ):
            with self.subTest(state=state), tempfile.TemporaryDirectory() as folder:
                tools, web, calls = Path(folder) / "tools", Path(folder) / "web", Path(folder) / "calls"
                for path in (tools, web / "installer", web / "node_modules" / "of-before"):
                    path.mkdir(parents=True)
                (web / "package-lock.json").write_text("{}")
                for name, does in (("node", "echo v99.0.0"), ("npm", NPM), ("bun", BUN)):
                    (tools / name).write_text(f"#!/bin/bash\n{does}\n")
                    (tools / name).chmod(0o755)
                path = f"{tools}{os.pathsep}{os.environ['PATH']}"
                with (
                    mock.patch.dict(os.environ, {"PATH": path, "CALLS": str(calls), "BUN": state}),
                    mock.patch.multiple(client, WEB=web, INSTALLER=web / "installer"),
                    redirect_stderr(io.StringIO()) as said,
                ):
                    client.want_packages()
                    client.want_packages()
                self.assertEqual(calls.read_text().splitlines(), asked)
                self.assertEqual("npm tries now" in said.getvalue(), state != "works")
                self.assertFalse((web / "node_modules" / "of-before").exists())
