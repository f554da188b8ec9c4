"""The core's tests, and one more: that they reach nearly every line of it; a process of its own."""

import gc
import io
import json
import sys
import unittest
from dataclasses import asdict
from pathlib import Path

from coverage import Coverage

from bodkin.commands.testing.units import CORE_LINES, Unit, run_suite
from bodkin.store.settings import ROOT

CORE = ROOT / "src" / "bodkin" / "core"


def main(place: Path) -> None:
    """Run them and leave the outcome in a file."""
    sys.path.insert(0, str(ROOT))
    # The errors are imported before the measuring begins and compute nothing.
    lines = Coverage(include=[f"{CORE}/*"], omit=[f"{CORE}/errors.py"], data_file=None)
    lines.start()
    suite = unittest.TestLoader().discover(str(ROOT / "tests" / "core"), top_level_dir=str(ROOT))
    # Some reference libraries collect garbage at every call: what was imported need not be looked through each time.
    gc.collect()
    gc.freeze()
    outcome = run_suite(Unit("core", "core"), suite)
    lines.stop()
    report = io.StringIO()
    share = lines.report(file=report, show_missing=True, skip_covered=True)
    reached = share >= CORE_LINES
    outcome.passed += reached
    outcome.failed += not reached
    outcome.report += f"The core's tests reach {share:.1f} % of its lines.\n" + ("" if reached else report.getvalue())
    kept = {key: value for key, value in asdict(outcome).items() if key not in ("unit", "seconds", "busy")}
    place.write_text(json.dumps(kept))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
