"""Pages to hand out: 200 and 2,000 family pages with charts once the facts are there, beside a browser's print.

The sheets are real ones of the demo's students, the 2,000 with each student's sheet made anew as often as it takes.
The baseline prints the same words and pictures of one sheet from HTML with a headless browser that is open already;
the ratio is what to quote. The last number is the most memory that this process took, the browser not counted.
"""

import resource
import sys
import tempfile
import time
from base64 import b64encode
from html import escape
from pathlib import Path
from statistics import median

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "benchmarks")]

from playwright.sync_api import sync_playwright  # noqa: E402
from tests.api.application import SCOPE, application, signed_in  # noqa: E402
from tests.browser.browsing import CHROMIUM  # noqa: E402
from tests.support import stage  # noqa: E402

from bodkin.answers.scope.scope import Scope  # noqa: E402
from bodkin.api.context import Context  # noqa: E402
from bodkin.api.steps.share.asked import asked_of, gathered, sheets_of  # noqa: E402
from bodkin.documents.bundle import write_zip  # noqa: E402
from bodkin.documents.press import Press  # noqa: E402
from bodkin.store.reads.people import Someone  # noqa: E402

MANY, FEW, TIMES = 2_000, 200, 5


def real_sheets():
    """Family pages of the demo's students in two subjects, and how long their facts took."""
    runtime = application().state.runtime
    signed_in("coach")
    with stage.demo().reading() as session:
        coach = session.connection().exec_driver_sql("SELECT id, name FROM person WHERE login = 'coach'").one()
        context = Context(runtime, session, Someone(coach[0], coach[1], "coach", "coach", None, None))
        asked = asked_of("family", "pt", (), ("reading", "mathematics"))
        scope = Scope(**{name: value for name, value in SCOPE.items() if name in Scope.model_fields})
        began = time.perf_counter()
        sheets = sheets_of(context, scope, gathered(context, scope, asked), asked)
        return sheets, time.perf_counter() - began, dict(context.names)


def zipped(sheets, names):
    """Seconds for a zip of sheets."""
    with tempfile.TemporaryDirectory() as folder:
        began = time.perf_counter()
        write_zip(Path(folder) / "pages.zip", sheets, names)
        return time.perf_counter() - began


def printed_by_a_browser(sheet):
    """Milliseconds for one page of the same words and pictures, printed from HTML by a browser that is open."""
    pictures = "".join(
        f'<img width=600 src="data:image/png;base64,{b64encode(one).decode()}">' for one in Press().pictures(sheet)
    )
    words = "".join(
        f"<h2>{escape(part.heading)}</h2>"
        + "".join(f"<p>{escape(getattr(block, 'text', '') or getattr(block, 'alt', ''))}</p>" for block in part.blocks)
        for part in sheet.sections
    )
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox", "--disable-gpu"])
        page, taken = browser.new_page(), []
        for _ in range(TIMES):
            began = time.perf_counter()
            page.set_content(f"<h1>{escape(sheet.title)}</h1>{words}{pictures}")
            page.pdf(format="Letter", tagged=True)
            taken.append(1000 * (time.perf_counter() - began))
        browser.close()
    return median(taken)


def main():
    """Print the numbers."""
    sheets, gathering, names = real_sheets()
    print(f"facts and words of {len(sheets):,} students: {gathering:.1f} s")
    zipped(sheets[:20], names)
    few = zipped(sheets[:FEW], names)
    many = [
        sheet.model_copy(update={"student_id": f"{sheet.student_id}-{round_}"})
        for round_ in range(MANY // len(sheets) + 1) for sheet in sheets
    ][:MANY]  # fmt: skip
    all_ = zipped(many, names)
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    browser = printed_by_a_browser(sheets[0])
    print(f"{FEW} family pages in a zip: {few:.2f} s, {1000 * few / FEW:.1f} ms each")
    print(f"{MANY:,} family pages in a zip: {all_:.1f} s, {1000 * all_ / MANY:.1f} ms each")
    print(
        f"one page by a headless browser that is open: {browser:.0f} ms, {browser / (1000 * all_ / MANY):.1f} x as long"
    )
    print(f"most memory of this process: {memory:,.0f} MiB")


if __name__ == "__main__":
    main()
