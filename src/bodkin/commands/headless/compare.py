"""The headless comparison: files in, files out, every fault one line that names its option or its place."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from pydantic import ValidationError

from bodkin.answers.comparison.comparison import compare
from bodkin.answers.comparison.summary import summarise
from bodkin.answers.comparison.suppression import suppress_small_cells
from bodkin.answers.headless.compare import write_run
from bodkin.answers.scope.scope import Scope
from bodkin.core.errors import BadInput
from bodkin.exchange.plain.headless.scores import check_measure, score_table

ON_FILES = ("school", "grade", "teacher", "section", "language", "program")
"""What a breakdown of plain files can go by."""
_OPTIONS = {"from_window": "--from", "to_window": "--to"}


@dataclass(frozen=True, slots=True)
class Files:
    """The plain files of a run; all but the scores may be missing."""

    scores: Path
    norms: Path | None = None
    growth_norms: Path | None = None
    cuts: Path | None = None
    calendar: Path | None = None


def scope_of(asked: Mapping[str, object]) -> Scope:
    """The scope of the options. Raises BadInput with a line for each option at fault."""
    try:
        scope = Scope.model_validate(asked)
    except ValidationError as error:
        faults = []
        for fault in error.errors():
            name = str(fault["loc"][0]) if fault["loc"] else "to_window"
            faults.append(f"{_OPTIONS.get(name, f'--{name}')}: {fault['msg'].removeprefix('Value error, ')}")
        raise BadInput("\n".join(faults)) from None
    if scope.by is not None and scope.by not in ON_FILES:
        raise BadInput(f"--by: files of a headless run have no {scope.by}; there are {', '.join(ON_FILES)}")
    if scope.single:
        raise BadInput(f'--to: the second window must come after the first; "{asked["to_window"]}" does not')
    return scope


def compare_files(asked: Mapping[str, object], files: Files, out: Path, withhold: int | None) -> list[Path]:
    """Compare two windows and write the run's files; returns their paths.

    ``asked`` holds the scope's fields as the options give them. Raises BadInput or BadFile, with nothing written.
    """
    scope = scope_of(asked)
    table = score_table(files.scores, files.norms, files.growth_norms, files.cuts, files.calendar)
    check_measure(table, files.scores, scope.assessment, scope.subject)
    comparison = compare(table, scope)
    summary = summarise(comparison)
    if withhold is not None:
        summary = suppress_small_cells(summary, withhold, comparison)
    try:
        return write_run(out, comparison, summary)
    except OSError as error:
        raise BadInput(f"{error.filename or out}: cannot be written ({error.strerror})") from None
