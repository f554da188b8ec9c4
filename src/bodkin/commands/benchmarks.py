"""Runs every benchmark of the folder, one after another."""

import subprocess
import sys

from bodkin.store.settings import ROOT


def run_benchmarks() -> int:
    """The worst exit status of them."""
    status = 0
    for path in sorted((ROOT / "benchmarks").glob("bench_*.py")):
        print(f"# {path.stem.removeprefix('bench_').replace('_', ' ')}", flush=True)
        status |= subprocess.run([sys.executable, str(path)], cwd=ROOT, check=False).returncode
    return status
