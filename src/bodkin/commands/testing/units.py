"""Units of work: which there are, which a person asked for, and one of them run."""

import io
import json
import os
import shutil
import sys
import time
import traceback
import unittest
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from bodkin.core.errors import BodkinError
from bodkin.store.settings import ROOT

PARTS = (
    "core",
    "answers",
    "exchange",
    "policy",
    "store",
    "demo",
    "documents",
    "standins",
    "commands",
    "api",
    "browser",
)
DURATIONS = ROOT / "tests" / "durations.json"
"""Seconds that each unit took when they were last recorded; the longest begin first."""
UNKNOWN = 3.0
CORE_LINES = 95.0
"""Per cent of the core's lines that its tests must reach."""


@dataclass(frozen=True, slots=True)
class Unit:
    """A check by its name, the core's tests with the lines they reach, or the tests of one class."""

    kind: str
    name: str


@dataclass(slots=True)
class Outcome:
    """What became of a unit; ``report`` holds what a person needs to see.

    ``seconds``: by the clock. ``busy``: of the processor, in the worker and in what it started and saw end; what
    the database and the browser took is not in it.
    """

    unit: Unit
    passed: int = 0
    failed: int = 0
    skipped: int = 0
    seconds: float = 0.0
    busy: float = 0.0
    report: str = ""
    slow: dict[str, float] = field(default_factory=dict)


def _cases(suite: Iterable[object]) -> Iterator[unittest.TestCase]:
    for one in suite:
        if isinstance(one, unittest.TestSuite):
            yield from _cases(one)
        elif isinstance(one, unittest.TestCase):
            yield one


def classes(part: str) -> list[str]:
    """The test classes of a folder below ``tests``, as dotted names."""
    found = unittest.TestLoader().discover(str(ROOT / "tests" / part), top_level_dir=str(ROOT))
    names: dict[str, None] = {}
    for case in _cases(found):
        kind = type(case)
        # A module that cannot be imported stands as a test that fails, under the loader's own class.
        broken = kind.__module__ == "unittest.loader"
        name = case.id().removeprefix("unittest.loader._FailedTest.")
        names[name if broken else f"{kind.__module__}.{kind.__qualname__}"] = None
    return list(names)


def longest_first(units: Sequence[Unit]) -> list[Unit]:
    """Units by the time they took when last recorded; checks first, since tests wait for the client's build."""
    known: dict[str, float] = json.loads(DURATIONS.read_text()) if DURATIONS.exists() else {}
    return sorted(units, key=lambda unit: (unit.kind == "class", -known.get(unit.name, UNKNOWN)))


class _Result(unittest.TextTestResult[Any] if TYPE_CHECKING else unittest.TextTestResult):  # type: ignore[misc]
    """Counts, and keeps how long each test took."""

    def startTest(self, test: unittest.TestCase) -> None:  # noqa: N802 (unittest's name)
        self._began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:  # noqa: N802
        super().stopTest(test)
        took: dict[str, float] = self.__dict__.setdefault("took", {})
        took[test.id()] = time.monotonic() - self._began


def _owner(test: unittest.TestCase) -> str:
    """The test that a failed subtest belongs to."""
    whole: unittest.TestCase = getattr(test, "test_case", test)
    return whole.id()


def run_suite(unit: Unit, suite: unittest.TestSuite) -> Outcome:
    """Tests run and counted; a skipped one without a reason has failed."""
    stream = io.StringIO()
    result = unittest.TextTestRunner(stream=stream, resultclass=_Result, buffer=True).run(suite)
    broken = {_owner(test) for test, _ in [*result.failures, *result.errors]}
    silent = [test for test, reason in result.skipped if not reason]
    failed = len(broken) + len(silent) + len(result.unexpectedSuccesses)
    # A fault in setUpClass belongs to no test that ran.
    ran = max(result.testsRun, len(broken) + len(result.skipped))
    return Outcome(
        unit,
        passed=ran - len(broken) - len(result.skipped),
        failed=failed,
        skipped=len(result.skipped) - len(silent),
        report=stream.getvalue() if failed else "",
        slow=dict(getattr(result, "took", {})),
    )


def _run_check(unit: Unit) -> Outcome:
    from bodkin.commands.testing.checks import CHECKS

    try:
        CHECKS[unit.name]()
    except Exception as error:
        report = str(error) if isinstance(error, BodkinError) else traceback.format_exc()
        return Outcome(unit, failed=1, report=report)
    return Outcome(unit, passed=1)


def _run_core(unit: Unit) -> Outcome:
    from bodkin.commands.testing.checks import core_with_coverage

    try:
        place = core_with_coverage()
    except BodkinError as error:
        return Outcome(unit, failed=1, report=str(error))
    kept = json.loads(place.read_text())
    shutil.rmtree(place.parent, ignore_errors=True)
    return Outcome(unit, **kept)


def run_unit(unit: Unit) -> Outcome:
    """One unit, timed; called in a worker process."""
    os.chdir(ROOT)
    if str(ROOT) not in sys.path:
        sys.path.insert(0, str(ROOT))
    began, busy = time.monotonic(), _busy()
    if unit.kind == "check":
        outcome = _run_check(unit)
    elif unit.kind == "core":
        outcome = _run_core(unit)
    else:
        if unit.name.startswith("tests.browser."):
            _wait_for_client()
        outcome = run_suite(unit, unittest.TestLoader().loadTestsFromName(unit.name))
        _close_connections()
    outcome.seconds, outcome.busy = time.monotonic() - began, _busy() - busy
    return outcome


def _close_connections() -> None:
    """Close what the class left open to the run's server."""
    # Tests of the core and of answers have no database, and need not read what speaks to one.
    if stage := sys.modules.get("tests.support.stage"):
        stage.close_connections()


def _busy() -> float:
    return sum(os.times()[:4])


def _wait_for_client(patience: float = 300.0) -> None:
    """Until the check that builds the client has done so; it began before any test did."""
    from bodkin.commands.client import built

    deadline = time.monotonic() + patience
    while not built() and time.monotonic() < deadline:
        time.sleep(0.2)


def early_units(only: Sequence[str]) -> list[Unit]:
    """Those of the wanted units that are programs of their own, and known before any test is read."""
    from bodkin.commands.testing.checks import CHECKS

    checks = [Unit("check", name) for name in CHECKS] if not only or "checks" in only else []
    return [*checks, *([Unit("core", "core")] if not only or "core" in only else [])]


def wanted(only: Sequence[str]) -> list[Unit]:
    """The units of some parts, of all without any. Raises BodkinError for a part that is not there.

    A part is ``checks``, a folder below ``tests`` such as ``core`` or ``answers/growth``, or the
    dotted name of a module, class or test.
    """
    units: list[Unit] = []
    for name in only or ["checks", *PARTS]:
        # A package's dotted name means its folder: by itself it holds no test.
        folder = name.removeprefix("tests.").replace(".", "/")
        part = folder if name.startswith("tests.") and (ROOT / "tests" / folder).is_dir() else name
        if part == "checks":
            from bodkin.commands.testing.checks import CHECKS

            units += [Unit("check", check) for check in CHECKS]
        elif part == "core":
            units.append(Unit("core", "core"))
        elif part.startswith("tests."):
            units.append(Unit("class", part))
        elif (ROOT / "tests" / part).is_dir() and Path(part).parts[:1] and Path(part).parts[0] in PARTS:
            units += [Unit("class", one) for one in classes(part)]
        else:
            raise BodkinError(
                f"There is no part {part}; there are: checks, {', '.join(PARTS)}, their folders such as"
                " answers/growth, and dotted names of tests."
            )
    if any(unit.name.startswith("tests.browser.") for unit in units):
        # The browser opens the client as it is built.
        units.append(Unit("check", "client build"))
    return list(dict.fromkeys(units))
