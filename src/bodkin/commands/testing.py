"""Runs every check of the project and counts them; runs the benchmarks."""

import io
import os
import subprocess
import sys
import time
import traceback
import unittest
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from bodkin.commands import client
from bodkin.core.errors import BodkinError
from bodkin.store.settings import ROOT

CORE = ROOT / "src" / "bodkin" / "core"
CORE_LINES = 95.0
"""Per cent of the core's lines that its tests must reach."""

PARTS = ("core", "answers", "exchange", "store", "demo", "standins", "commands", "api", "browser")


def _tool(*words: str) -> Callable[[], None]:
    def run() -> None:
        done = subprocess.run([sys.executable, "-m", *words], cwd=ROOT, capture_output=True, text=True, check=False)
        if done.returncode:
            raise BodkinError((done.stdout + done.stderr).strip())

    return run


def _import_rules() -> None:
    # The tool has no module entry of its own.
    done = subprocess.run(
        [str(ROOT / ".venv" / "bin" / "lint-imports"), "--no-cache"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode:
        raise BodkinError(done.stdout + done.stderr)


def _client(*words: str) -> Callable[[], None]:
    return lambda: client.run("npx", "--no-install", *words)


def _checks() -> list[tuple[str, Callable[[], None]]]:
    return [
        ("ruff check", _tool("ruff", "check", ".")),
        ("ruff format", _tool("ruff", "format", "--check", ".")),
        ("mypy", _tool("mypy")),
        ("import rules", _import_rules),
        ("client packages", client.want_packages),
        ("biome", _client("biome", "check", ".")),
        ("tsc", _client("tsc", "--noEmit")),
        ("client build", client.want_client),
    ]


class _Result(unittest.TextTestResult[Any] if TYPE_CHECKING else unittest.TextTestResult):  # type: ignore[misc]
    """Names every test as it ends, with the slow ones timed."""

    def startTest(self, test: unittest.TestCase) -> None:  # noqa: N802 (unittest's name)
        self._began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:  # noqa: N802
        super().stopTest(test)
        if (took := time.monotonic() - self._began) > 5:
            self.stream.write(f"[{test.id().removeprefix('tests.')} {took:.0f} s]")
            self.stream.flush()


def _run_suite(parts: list[str]) -> tuple[int, int, int]:
    """Tests of some parts: how many passed, failed and were skipped with a reason."""
    suite = unittest.TestSuite()
    for part in parts:
        suite.addTests(unittest.TestLoader().discover(str(ROOT / "tests" / part), top_level_dir=str(ROOT)))
    runner = unittest.TextTestRunner(stream=sys.stdout, resultclass=_Result, buffer=True)
    result = runner.run(suite)
    broken = {_owner(test) for test, _ in [*result.failures, *result.errors]}
    silent = [test for test, reason in result.skipped if not reason]
    failed = len(broken) + len(silent) + len(result.unexpectedSuccesses)
    passed = result.testsRun - len(broken) - len(result.skipped)
    return passed, failed, len(result.skipped) - len(silent)


def _run_core() -> tuple[int, int, int]:
    """Tests of the core, and one more: that they reach nearly every line of it."""
    # A tool of the tests only; the other commands run without it.
    from coverage import Coverage

    # The errors are imported before the measuring begins and compute nothing.
    lines = Coverage(include=[f"{CORE}/*"], omit=[f"{CORE}/errors.py"], data_file=None)
    lines.start()
    passed, failed, skipped = _run_suite(["core"])
    lines.stop()
    report = io.StringIO()
    share = lines.report(file=report, show_missing=True, skip_covered=True)
    reached = share >= CORE_LINES
    print(f"{'ok' if reached else 'FAILED'} lines of the core that its tests reach: {share:.1f} %", flush=True)
    if not reached:
        print(report.getvalue())
    return passed + reached, failed + (not reached), skipped


def run_tests(only: list[str]) -> int:
    """Every check and test, or those of some parts; the last line counts them.

    A skipped test counts as failed unless its reason stands in its text.
    """
    began = time.monotonic()
    os.chdir(ROOT)
    sys.path.insert(0, str(ROOT))
    passed = failed = 0
    wanted = only or ["checks", *PARTS]
    if unknown := set(wanted) - {"checks", *PARTS}:
        print(f"There is no part {', '.join(sorted(unknown))}; there are: checks, {', '.join(PARTS)}", file=sys.stderr)
        return 2
    if "browser" in wanted:
        client.want_client()
    for name, check in _checks() if "checks" in wanted else []:
        try:
            check()
        except Exception as error:
            failed += 1
            message = str(error) if isinstance(error, BodkinError) else traceback.format_exc()
            print(f"FAILED {name}\n{message}", flush=True)
        else:
            passed += 1
            print(f"ok {name} ({time.monotonic() - began:.0f} s)", flush=True)
    counts = [(passed, failed, 0)]
    if "core" in wanted:
        counts.append(_run_core())
    if rest := [part for part in PARTS if part in wanted and part != "core"]:
        counts.append(_run_suite(rest))
    passed, failed, skipped = (sum(column) for column in zip(*counts, strict=True))
    print(f"{time.monotonic() - began:.0f} s in all")
    print(f"{passed} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""), flush=True)
    return 1 if failed else 0


def _owner(test: unittest.TestCase) -> str:
    """The test that a failed subtest belongs to."""
    return getattr(test, "test_case", test).id()


def run_benchmarks() -> int:
    """Every benchmark of the folder, one after another."""
    status = 0
    for path in sorted((ROOT / "benchmarks").glob("bench_*.py")):
        print(f"# {path.stem.removeprefix('bench_').replace('_', ' ')}", flush=True)
        status |= subprocess.run([sys.executable, str(path)], cwd=ROOT, check=False).returncode
    return status
