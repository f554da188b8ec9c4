"""The error tree that every layer shares.

BodkinError
 ├─ BadInput        a value that a rule cannot accept; names the parameter or the place
 │   └─ CutFault    one row of a cut set is wrong; carries the row's position
 ├─ NotFound        the thing asked for does not exist for this person
 ├─ NotAllowed      the person's role does not have this right
 ├─ Conflict        the act clashes with what is there already; says with what
 └─ StoreDown       the database does not answer
"""


class BodkinError(Exception):
    """Base of everything Bodkin raises on purpose; its text can be shown to a person."""


class BadInput(BodkinError, ValueError):
    """A value outside what a rule accepts."""


class CutFault(BadInput):
    """A row of a cut set is wrong.

    ``position`` is the index of the row at fault in the sequence that was given.
    """

    def __init__(self, message: str, position: int) -> None:
        super().__init__(message)
        self.position = position


class NotFound(BodkinError):
    """No such thing, or none that this person may know of; the two are never told apart."""


class NotAllowed(BodkinError):
    """The role does not have the right asked for."""


class Conflict(BodkinError):
    """What is there already stands in the way."""


class StoreDown(BodkinError):
    """The database does not answer at the moment."""


class ServiceAway(BodkinError):
    """Another system does not answer, or not as it should."""
