"""One table from our errors to answers; one shape of body; nothing internal leaves."""

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.exceptions import HTTPException

from bodkin.api.context import NotSignedIn
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
    (NotAllowed, 403, "not_allowed"),
    (NotFound, 404, "not_found"),
    (Conflict, 409, "conflict"),
    (BadFile, 422, "bad_file"),
    (BadInput, 422, "bad_input"),
    (ServiceAway, 502, "service_away"),
    (StoreDown, 503, "store_down"),
    (BodkinError, 500, "error"),
]


def _body(status: int, code: str, message: str, faults: list[FaultBody] | None = None) -> JSONResponse:
    return JSONResponse(ErrorBody(code=code, message=message, faults=faults or []).model_dump(), status)


def on_bodkin_error(_: Request, error: Exception) -> JSONResponse:
    """An error of our own, by the table above."""
    for kind, status, code in STATUS:
        if isinstance(error, kind):
            faults = [fault_body(fault) for fault in error.faults[:500]] if isinstance(error, BadFile) else []
            return _body(status, code, str(error).splitlines()[0] if str(error) else code, faults)
    return _body(500, "error", "Something went wrong.")


def on_bad_request(_: Request, error: Exception) -> JSONResponse:
    """A request that does not fit: which field, and why; what was sent is not repeated."""
    found = error.errors() if isinstance(error, RequestValidationError) else []
    messages = [f"{'.'.join(str(part) for part in e['loc'][1:])}: {e['msg']}" for e in found]
    return _body(422, "bad_input", "; ".join(messages))


def on_no_such_route(_: Request, error: Exception) -> JSONResponse:
    """An address or a method that no route has, in the shape of every other refusal."""
    status = error.status_code if isinstance(error, HTTPException) else 404
    return _body(status, "not_found", "There is no such address.")


def on_anything(_: Request, __: Exception) -> JSONResponse:
    """Anything unforeseen: the log has it, the answer does not."""
    return _body(500, "error", "Something went wrong. Try again; if it happens again, tell the person who runs Bodkin.")


def register(app: FastAPI) -> None:
    """Put the handlers in."""
    app.add_exception_handler(BodkinError, on_bodkin_error)
    app.add_exception_handler(RequestValidationError, on_bad_request)
    app.add_exception_handler(HTTPException, on_no_such_route)
    app.add_exception_handler(Exception, on_anything)
