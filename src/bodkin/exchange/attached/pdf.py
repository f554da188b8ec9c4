"""PDF files to attach, looked at in a process of their own: no scripts, no programs, no other files inside."""

import json
import subprocess
import sys
from typing import Any

from bodkin.core.errors import BadInput

MEMORY = 1_200 << 20
SECONDS = 15


def check_pdf(content: bytes) -> None:
    """Raise BadInput for a PDF that is damaged, locked, or does more than show pages."""
    words = [sys.executable, "-m", "bodkin.exchange.attached.pdf_child", str(MEMORY), str(SECONDS)]
    try:
        done = subprocess.run(words, input=content, capture_output=True, timeout=2 * SECONDS, check=False)  # noqa: S603 (arguments are ours)
    except subprocess.TimeoutExpired:
        done = None
    answer: dict[str, Any] = {"fault": "it takes too long or too much memory to be looked through"}
    if done is not None and done.returncode == 0:
        answer = json.loads(done.stdout)
    if fault := answer["fault"]:
        raise BadInput(f"content: {fault}; print it to a new PDF and attach that")
