"""What is wrong with a file, told so that a person can mend it."""

from collections.abc import Sequence
from dataclasses import dataclass

from bodkin.core.errors import BadInput


@dataclass(frozen=True, slots=True, order=True)
class Fault:
    """One thing wrong. ``line`` is the line of the file, the header being line 1."""

    file: str
    line: int
    column: str
    message: str

    def __str__(self) -> str:
        place = f"{self.file}, line {self.line}" if self.line else self.file
        return f"{place}, column {self.column}: {self.message}" if self.column else f"{place}: {self.message}"


class BadFile(BadInput):
    """A file that cannot be taken as it is; ``faults`` says why, in the order of the file."""

    def __init__(self, faults: Sequence[Fault]) -> None:
        self.faults = sorted(faults)
        super().__init__("\n".join(str(fault) for fault in self.faults))
