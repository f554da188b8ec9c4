"""Runs units over two workers and counts them; the last line tells how many passed and failed."""

import gc
import json
import multiprocessing
import os
import signal
import sys
import time
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool

from bodkin.commands.testing.changed import changed_files, parts_for
from bodkin.commands.testing.early import Early
from bodkin.commands.testing.shared_server import NEEDS_SERVER, load_template, shared_server
from bodkin.commands.testing.units import (
    DURATIONS,
    Outcome,
    Unit,
    early_units,
    longest_first,
    run_unit,
    wanted,
)
from bodkin.core.errors import BodkinError
from bodkin.store.server import die_with_parent
from bodkin.store.settings import ROOT

WORKERS = 3
ONE_THREAD = ("POLARS_MAX_THREADS", "OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS")
"""Several workers share the cores: threads of each that wait for one another only take turns away."""
SLOW = 4.0
"""Tests that take longer are named, seconds."""


def _show(outcome: Outcome) -> None:
    n = outcome.passed + outcome.failed + outcome.skipped
    state = "FAILED" if outcome.failed else "ok"
    slow = "".join(f" [{name.rpartition('.')[2]} {took:.0f} s]" for name, took in outcome.slow.items() if took > SLOW)
    name = outcome.unit.name.removeprefix("tests.")
    print(f"{state} {name} ({n}, {outcome.seconds:.1f} s, busy {outcome.busy:.1f} s){slow}", flush=True)
    if outcome.report:
        print(outcome.report.rstrip(), flush=True)


def _begin_worker() -> None:
    """A worker ends with the run, at once."""
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    die_with_parent()


def _run(units: Sequence[Unit], early: Early, *, template: bool) -> list[Outcome]:
    """Every unit, over worker processes that take the next one as they come free; ``early`` ones run already.

    ``template``: the first of them loads the demo for all.
    """
    outcomes: list[Outcome] = []
    # What every test imported stays: the collector need not look through it again and again in each worker.
    gc.collect()
    gc.freeze()
    # Forked: the modules of all tests are here by now, and take each worker ten seconds to read again. No
    # connection and no thread is open yet.
    pool = ProcessPoolExecutor(
        min(WORKERS, max(len(units), 1)), mp_context=multiprocessing.get_context("fork"), initializer=_begin_worker
    )
    try:
        made = [pool.submit(load_template)] if template else []
        waiting = {pool.submit(run_unit, unit): unit for unit in units}
        for done in as_completed(waiting):
            try:
                outcome = done.result()
            except BrokenProcessPool as error:
                outcome = Outcome(waiting[done], failed=1, report=f"the worker ended: {error}")
            for one in (*early.done(), outcome):
                outcomes.append(one)
                _show(one)
        for last in early.rest():
            outcomes.append(last)
            _show(last)
        for loaded in made:
            loaded.result()
    finally:
        if len(outcomes) < len(units):
            for worker in multiprocessing.active_children():
                worker.terminate()
        early.stop()
        pool.shutdown()
    return outcomes


def _record(outcomes: Sequence[Outcome]) -> None:
    """Keep how long units took, so that the next run begins with the longest."""
    known = json.loads(DURATIONS.read_text()) if DURATIONS.exists() else {}
    known |= {one.unit.name: round(one.seconds, 1) for one in outcomes if one.unit.kind == "class"}
    DURATIONS.write_text(json.dumps(dict(sorted(known.items())), indent=1) + "\n")


def run_tests(only: list[str], *, changed: bool = False, record: bool = False, wide: bool = False) -> int:
    """Every check and test, or those of some parts; the last line counts them.

    ``changed``: those that the uncommitted change asks for. ``record``: keep how long each took.
    ``wide``: the broad tests to their full extent, of which a common run asks a part.
    A skipped test counts as failed unless its reason stands in its text.
    """
    began = time.monotonic()
    # Asked to end, a run still takes its server and its folder with it.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(143))
    os.chdir(ROOT)
    sys.path.insert(0, str(ROOT))
    for name in ONE_THREAD:
        os.environ.setdefault(name, "1")
    if wide:
        os.environ["BODKIN_WIDE"] = "1"
    if changed:
        only = [*only, *parts_for(changed_files())]
        print(f"Parts: {', '.join(only)}", flush=True)
    known = early_units(only)
    early = Early(known)
    try:
        units = [unit for unit in longest_first(wanted(only)) if unit not in known]
    except BodkinError as error:
        early.stop()
        print(error, file=sys.stderr)
        return 2
    server = any(unit.name.startswith(NEEDS_SERVER) for unit in units)
    with shared_server(wanted=server):
        outcomes = _run(units, early, template=server)
    if record:
        _record(outcomes)
    passed, failed, skipped = (sum(getattr(one, name) for one in outcomes) for name in ("passed", "failed", "skipped"))
    broken = [one.unit.name for one in outcomes if one.failed]
    if broken:
        print(f"Failed: {', '.join(broken)}")
    print(f"{time.monotonic() - began:.0f} s in all")
    print(f"{passed} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""), flush=True)
    return 1 if failed else 0
