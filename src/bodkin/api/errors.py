"""One table from our errors to answers; one shape of body; nothing internal leaves."""

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.exceptions import HTTPException

from bodkin.api.context import NotSignedIn
from bodkin.api.sign_in import Busy, TooManyTries
from bodkin.core.errors import BadInput, BodkinError, Conflict, NotAllowed, NotFound, ServiceAway, StoreDown
from bodkin.exchange.faults import BadFile, Fault


class FaultBody(BaseModel):
    """One thing wrong with a file."""

    line: int
    column: str
    message: str
    file: str = ""


def fault_body(fault: Fault) -> FaultBody:
    """A fault as it leaves."""
    return FaultBody(line=fault.line, column=fault.column, message=fault.message, file=fault.file)


class ErrorBody(BaseModel):
    """What every refused request answers."""

    code: str
    message: str
    faults: list[FaultBody] = []


STATUS: list[tuple[type[BodkinError], int, str]] = [
    (NotSignedIn, 401, "not_signed_in"),
    (TooManyTries, 429, "too_many_tries"),
    (Busy, 503, "busy"),
    (NotAllowed, 403, "not_allowed"),
    (NotFound, 404, "not_found"),
    (Conflict, 409, "conflict"),
    (BadFile, 422, "bad_file"),
    (BadInput, 422, "bad_input"),
    (ServiceAway, 502, "service_away"),
    (StoreDown, 503, "store_down"),
    (BodkinError, 500, "error"),
]


BY_STATUS = {
    400: ("bad_input", "This request cannot be read."),
    404: ("not_found", "There is no such address."),
    405: ("wrong_method", "This address does not take that method."),
    408: ("too_slow", "The request came too slowly."),
    413: ("too_large", "This is too large."),
}
"""Code and words for what is refused before a route looks at it."""


def refused(status: int, code: str, message: str, faults: list[FaultBody] | None = None) -> JSONResponse:
    """A refusal in its one shape."""
    return JSONResponse(ErrorBody(code=code, message=message, faults=faults or []).model_dump(), status)


def answer_for(error: Exception) -> JSONResponse:
    """The answer to an error: our own by the table above, anything else without a word of what it was."""
    if isinstance(error, HTTPException):
        return _by_status(error)
    for kind, status, code in STATUS:
        if isinstance(error, kind):
            faults = [fault_body(fault) for fault in error.faults[:500]] if isinstance(error, BadFile) else []
            answer = refused(status, code, str(error).splitlines()[0] if str(error) else code, faults)
            if status in (429, 503):
                answer.headers["Retry-After"] = "60" if status == 429 else "2"
            return answer
    wrong = "Something went wrong. Try again; if it happens again, tell the person who runs Bodkin."
    return refused(500, "error", wrong)


def _by_status(error: HTTPException) -> JSONResponse:
    """An address or method that no route has, or a body that cannot be read."""
    code, message = BY_STATUS.get(error.status_code, ("error", "This request was refused."))
    answer = refused(error.status_code, code, error.detail if error.status_code in (408, 413) else message)
    answer.headers.update(error.headers or {})
    return answer


def on_error(_: Request, error: Exception) -> JSONResponse:
    """An error of our own, or of an address."""
    return answer_for(error)


def on_bad_request(_: Request, error: Exception) -> JSONResponse:
    """A request that does not fit: which field, and why; what was sent is not repeated."""
    found = error.errors() if isinstance(error, RequestValidationError) else []
    messages = [f"{'.'.join(str(part) for part in e['loc'][1:]) or 'body'}: {e['msg']}" for e in found]
    return refused(422, "bad_input", "; ".join(messages))


def register(app: FastAPI) -> None:
    """Put the handlers in."""
    app.add_exception_handler(BodkinError, on_error)
    app.add_exception_handler(RequestValidationError, on_bad_request)
    app.add_exception_handler(HTTPException, on_error)
