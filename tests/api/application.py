"""The application over the demo, without a network: one client a role."""

import json
from functools import cache

from bodkin.api.app import build
from bodkin.commands.description import openapi_text
from bodkin.demo.district import PASSWORD, SIGN_INS
from tests.api.client import TestClient
from tests.support import stage

ROLES = {login: role for login, _, role in SIGN_INS}
SCOPE = {
    "assessment": "Saltgauge",
    "subject": "reading",
    "from_window": "2026-27 fall",
    "to_window": "2026-27 winter",
}


@cache
def application():
    """The application, built once."""
    return build(stage.settings(), stage.demo())


@cache
def description() -> dict:
    """The OpenAPI document, which takes seconds to make."""
    return json.loads(stage.once_a_run("openapi.json", openapi_text))


def all_signed_in(app) -> dict[str, TestClient]:
    """A client of an application for each role, signed in."""
    clients = {}
    for login, role in ROLES.items():
        clients[role] = TestClient(app, raise_server_exceptions=False)
        answer = clients[role].post("/api/sign-in", json={"login": login, "password": PASSWORD})
        assert answer.status_code == 204, answer.text
    return clients


@cache
def _client(login: str) -> TestClient:
    assert login in ROLES, login
    return TestClient(application(), raise_server_exceptions=False)


def signed_in(login: str) -> TestClient:
    """A client signed in as one of the demo's people; anew where another test has ended the person's sessions."""
    client = _client(login)
    if client.get("/api/me").status_code == 401:
        answer = client.post("/api/sign-in", json={"login": login, "password": PASSWORD})
        assert answer.status_code == 204, answer.text
    return client


def nobody() -> TestClient:
    """A client that is not signed in."""
    return TestClient(application(), raise_server_exceptions=False)
