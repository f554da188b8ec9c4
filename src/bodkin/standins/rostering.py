"""A simulated rostering service: OneRoster 1.2 over HTTP, page by page, for whoever brings a token.

Source: 1EdTech OneRoster 1.2, Rostering Service, REST Binding (paths, paging by limit and offset with
X-Total-Count and Link, OAuth 2 client credentials); written down from memory.
"""

import secrets
import time
from collections.abc import Callable, Mapping
from typing import Annotated, Any

import polars as pl
from fastapi import APIRouter, Depends, Form, Query, Request, Response
from fastapi.responses import JSONResponse
from fastapi.security import HTTPBasic, HTTPBasicCredentials, HTTPBearer
from fastapi.security.http import HTTPAuthorizationCredentials

from bodkin.exchange.services.rostering import COLLECTIONS, ROSTER_SCOPE, to_json

PATH = "/ims/oneroster/rostering/v1p2"
TOKEN_SECONDS = 3600
MOST_A_PAGE = 1000

Frames = Mapping[str, pl.DataFrame]


def rostering(roster: Callable[[], Frames], client_id: str, client_secret: str) -> APIRouter:
    """The service over a roster, for one client."""
    router = APIRouter()
    tokens: dict[str, float] = {}
    basic, bearer = HTTPBasic(auto_error=False), HTTPBearer(auto_error=False)

    @router.post("/token")
    def token(
        grant_type: Annotated[str, Form()],
        given: Annotated[HTTPBasicCredentials | None, Depends(basic)],
        scope: Annotated[str, Form()] = "",
    ) -> JSONResponse:
        known = given is not None and secrets.compare_digest(
            f"{given.username}:{given.password}".encode(), f"{client_id}:{client_secret}".encode()
        )
        if not known:
            return JSONResponse({"error": "invalid_client"}, 401)
        if grant_type != "client_credentials":
            return JSONResponse({"error": "unsupported_grant_type"}, 400)
        if ROSTER_SCOPE not in scope.split():
            return JSONResponse({"error": "invalid_scope"}, 400)
        made = secrets.token_urlsafe(24)
        tokens[made] = time.monotonic() + TOKEN_SECONDS
        body = {"access_token": made, "token_type": "Bearer", "expires_in": TOKEN_SECONDS, "scope": ROSTER_SCOPE}
        return JSONResponse(body)

    @router.get(PATH + "/{collection}")
    def page(
        collection: str,
        request: Request,
        given: Annotated[HTTPAuthorizationCredentials | None, Depends(bearer)],
        limit: Annotated[int, Query(ge=1)] = 100,
        offset: Annotated[int, Query(ge=0)] = 0,
    ) -> Response:
        if given is None or tokens.get(given.credentials, 0.0) < time.monotonic():
            return _refusal(401, "unauthorised")
        if collection not in COLLECTIONS:
            return _refusal(404, "unknownobject")
        objects = to_json(collection, roster())
        limit = min(limit, MOST_A_PAGE)
        part: list[dict[str, Any]] = objects[offset : offset + limit]
        headers = {"X-Total-Count": str(len(objects))}
        if offset + limit < len(objects):
            following = request.url.include_query_params(limit=limit, offset=offset + limit)
            headers["Link"] = f'<{following}>; rel="next"'
        return JSONResponse({collection: part}, headers=headers)

    return router


def _refusal(status: int, minor: str) -> JSONResponse:
    field = {"imsx_codeMinorFieldName": "TargetEndSystem", "imsx_codeMinorFieldValue": minor}
    body = {
        "imsx_codeMajor": "failure",
        "imsx_severity": "error",
        "imsx_CodeMinor": {"imsx_codeMinorField": [field]},
    }
    return JSONResponse(body, status)
