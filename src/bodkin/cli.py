"""The command line: what ./bodkin does once its environment stands."""

import sys
from collections.abc import Callable
from datetime import datetime
from functools import wraps
from pathlib import Path
from typing import Annotated, Any, NoReturn

import typer

from bodkin.commands.headless.options import runs
from bodkin.core.errors import BodkinError
from bodkin.policy.roles import FIRST, ROLES

app = typer.Typer(
    add_completion=False, no_args_is_help=True, rich_markup_mode=None, pretty_exceptions_enable=False, help=__doc__
)


@app.callback()
def main() -> None:
    """Bodkin: one calm desk for a school's testing round."""


def fail(error: Exception, status: int = 2) -> NoReturn:
    """One line per fault on the error stream, then out."""
    for line in str(error).splitlines():
        print(line, file=sys.stderr)
    raise typer.Exit(status)


def _failing_in_lines(command: Callable[..., None]) -> Callable[..., None]:
    """The command, its faults one line each on the error stream."""

    @wraps(command)
    def run_it(*given: Any, **options: Any) -> None:
        try:
            command(*given, **options)
        except BodkinError as error:
            fail(error)

    return run_it


for _run in runs.registered_commands:
    if _run.callback is not None:
        app.command()(_failing_in_lines(_run.callback))


Port = Annotated[int, typer.Option(help="port on 127.0.0.1")]
Hosts = Annotated[
    list[str] | None,
    typer.Option("--trusted-host", help="a name a proxy on this machine serves it under; may be given again"),
]


Today = Annotated[
    datetime | None, typer.Option(formats=["%Y-%m-%d"], help="the day to take for today, as long as this runs")
]


@app.command()
def demo(
    port: Port = 8750,
    fresh: Annotated[bool, typer.Option("--fresh", help="start over with a new demo database")] = False,
    trusted_host: Hosts = None,
    today: Today = None,
) -> None:
    """Start Bodkin with the invented district; Ctrl-C stops it and keeps the data."""
    from bodkin.commands.demo import run_demo

    try:
        run_demo(port, fresh=fresh, hosts=trusted_host or (), today=today.date() if today else None)
    except BodkinError as error:
        fail(error, 1)


@app.command()
def serve(port: Port = 8750, trusted_host: Hosts = None) -> None:
    """Start Bodkin with its own, empty data; Ctrl-C stops it and keeps the data."""
    from bodkin.commands.demo import run_serve

    try:
        run_serve(port, hosts=trusted_host or ())
    except BodkinError as error:
        fail(error, 1)


Demo = Annotated[bool, typer.Option("--demo", help="work on the demo's data")]


@app.command("person")
def add_person(
    login: Annotated[str, typer.Option(help="what the person signs in with")],
    name: Annotated[str, typer.Option(help="the person's name")],
    role: Annotated[str, typer.Option(help=f"one of {', '.join(ROLES)}")] = FIRST,
    school: Annotated[str | None, typer.Option(help="school of a school lead")] = None,
    on_demo: Demo = False,
) -> None:
    """Add a person who can sign in; asks for the password."""
    from bodkin.commands.data import add_person as add

    password = typer.prompt("Password", hide_input=True, confirmation_prompt=sys.stdin.isatty())
    try:
        print(add(login=login, name=name, role=role, school=school, password=password, demo=on_demo))
    except BodkinError as error:
        fail(error)


@app.command("password")
def new_password(
    login: Annotated[str, typer.Option(help="what the person signs in with")],
    on_demo: Demo = False,
) -> None:
    """Give a person a new password and end all of the person's sessions; asks for it."""
    from bodkin.commands.data import new_password as change

    password = typer.prompt("Password", hide_input=True, confirmation_prompt=sys.stdin.isatty())
    try:
        print(change(login=login, password=password, demo=on_demo))
    except BodkinError as error:
        fail(error)


@app.command("new-key")
def new_key(on_demo: Demo = False) -> None:
    """Sign cookies with a new key from now on; nobody is signed out."""
    from bodkin.commands.data import new_key as change

    print(change(demo=on_demo))


@app.command("import")
def import_files(
    files: Annotated[list[Path], typer.Argument(help="plain files, spreadsheets, zips, OneRoster packages, CASE JSON")],
    skip_refused: Annotated[bool, typer.Option("--skip-refused", help="bring in the good rows of a file")] = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="only say what would happen")] = False,
    accept_mapping: Annotated[
        bool, typer.Option("--accept-mapping", help="take headers and values as Bodkin guesses them, and remember that")
    ] = False,
    sheet: Annotated[str | None, typer.Option("--sheet", help="which sheet of a workbook")] = None,
    answer: Annotated[
        list[str] | None, typer.Option("--answer", help="what is asked: kind=answer, or kind/item=answer for one")
    ] = None,
    on_demo: Demo = False,
) -> None:
    """Bring files in, each in one transaction; a zip of files in one."""
    from bodkin.commands.data import bring_in

    try:
        for path in files:
            for line in bring_in(
                path,
                skip_refused=skip_refused,
                dry_run=dry_run,
                demo=on_demo,
                accept_mapping=accept_mapping,
                sheet=sheet,
                answers=answer or (),
            ):
                print(line)
    except BodkinError as error:
        fail(error)


@app.command("undo-import")
def undo_import(number: Annotated[int, typer.Argument(help="number of the import")], on_demo: Demo = False) -> None:
    """Take an import back, whole."""
    from bodkin.commands.data import undo

    try:
        print(undo(number, demo=on_demo))
    except BodkinError as error:
        fail(error)


@app.command()
def export(
    out: Annotated[Path, typer.Option(help="folder for the files")],
    oneroster: Annotated[bool, typer.Option("--oneroster", help="as a OneRoster 1.2 package instead")] = False,
    on_demo: Demo = False,
) -> None:
    """Write every table as a plain file, those of a headless run among them, with a data package."""
    from bodkin.commands.data import export as write

    try:
        for path in write(out, demo=on_demo, oneroster=oneroster):
            print(path)
    except BodkinError as error:
        fail(error)


@app.command()
def pages(
    scope: Annotated[str, typer.Option(help="an address of Bodkin, the part after its question mark, or a saved view")],
    out: Annotated[Path, typer.Option(help="folder for the files, one a student")],
    audience: Annotated[str, typer.Option(help="family, student, plan or team")] = "family",
    language: Annotated[str, typer.Option(help="en, pt or another language there is a file for")] = "en",
    section: Annotated[list[str] | None, typer.Option(help="a section, in order; may be given again")] = None,
    subject: Annotated[list[str] | None, typer.Option(help="a subject of the test; may be given again")] = None,
    years: Annotated[int, typer.Option(min=1, max=6, help="school years shown, this one first")] = 1,
    test: Annotated[str | None, typer.Option(help="the common test whose answers stand on the pages")] = None,
    login: Annotated[str | None, typer.Option("--as", help="whose pages they are; else the first coach's")] = None,
    on_demo: Demo = False,
) -> None:
    """Write pages for families, students or the team as PDF, one file a student."""
    from bodkin.commands.pages import PagesWanted, make_pages

    wanted = PagesWanted(scope, audience, language, section or (), subject or (), years, test, login)
    try:
        for line in make_pages(wanted, out, demo=on_demo):
            print(line)
    except BodkinError as error:
        fail(error)


@app.command()
def backup(file: Annotated[Path, typer.Argument(help="file to write")], on_demo: Demo = False) -> None:
    """Write everything Bodkin holds into one file, which only you can read."""
    from bodkin.commands.data import backup as write

    try:
        print(write(file, demo=on_demo))
    except BodkinError as error:
        fail(error)


@app.command()
def restore(
    file: Annotated[Path, typer.Argument(help="file of a backup")],
    replace: Annotated[bool, typer.Option("--replace", help="replace what is there")] = False,
    on_demo: Demo = False,
) -> None:
    """Put a backup back; what is there stays unless --replace is given."""
    from bodkin.commands.data import restore as put_back

    try:
        print(put_back(file, replace=replace, demo=on_demo))
    except BodkinError as error:
        fail(error)


@app.command()
def test(
    only: Annotated[list[str] | None, typer.Argument(help="parts, such as core, answers/growth or browser")] = None,
    changed: Annotated[bool, typer.Option("--changed", help="what the uncommitted change asks for")] = False,
    record: Annotated[bool, typer.Option("--record", help="keep how long each test class takes")] = False,
    wide: Annotated[bool, typer.Option("--wide", help="the broad tests to their full extent")] = False,
) -> None:
    """Run every check and test; the last line counts them."""
    from bodkin.commands.testing.run import run_tests

    raise typer.Exit(run_tests(only or [], changed=changed, record=record, wide=wide))


@app.command()
def types() -> None:
    """Write the interface's description anew, and make the client's types from it."""
    from bodkin.commands.client import want_types
    from bodkin.commands.description import write_description

    write_description()
    want_types()


@app.command()
def dev(port: Port = 8760) -> None:
    """Run the demo for its developers: server and client reload when their code changes."""
    from bodkin.commands.demo import run_dev

    try:
        run_dev(port)
    except BodkinError as error:
        fail(error, 1)


@app.command()
def words() -> None:
    """List every label and sentence in var/words.md, to be read aloud after a change."""
    from bodkin.commands.words import PLACE, words_text

    PLACE.parent.mkdir(parents=True, exist_ok=True)
    PLACE.write_text(words_text(), encoding="utf-8")


@app.command()
def bench() -> None:
    """Measure speed against the named baselines."""
    from bodkin.commands.benchmarks import run_benchmarks

    raise typer.Exit(run_benchmarks())


def run(words: list[str] | None = None) -> int:
    """Run the command line; a wrong option is one line on the error stream and status 2."""
    try:
        return app(words, prog_name="bodkin", standalone_mode=False) or 0
    except typer.Abort:
        return 130
    except Exception as error:
        # Typer's own refusals share no public class, but all can say what is wrong.
        message = getattr(error, "format_message", None)
        if message is None:
            raise
        print(f"{message()} (./bodkin --help says what there is)", file=sys.stderr)
        return 2


if __name__ == "__main__":
    sys.exit(run())
