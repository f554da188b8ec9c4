"""Any request that the interface's description allows, by every role: no 500, nothing undocumented."""

import os
import unittest

import hypothesis
import requests
import schemathesis
from fastapi.testclient import TestClient
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import content_type_conformance, status_code_conformance

from bodkin.api.app import build
from bodkin.demo.district import PASSWORD
from tests.api.application import ROLES
from tests.support import stage

EXAMPLES = int(os.environ.get("BODKIN_EXAMPLES", "2"))
"""Requests drawn for each route and role."""
SENT = ("method", "url", "headers", "params", "data", "json", "files")
CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance]


class WholeInterface(unittest.TestCase):
    """Drawn by Schemathesis from the OpenAPI document, which is not served but made here."""

    @classmethod
    def setUpClass(cls):
        cls.app = build(stage.server().settings, stage.demo_copy())
        cls.schema = schemathesis.openapi.from_dict(cls.app.openapi())

    def client(self, login):
        client = TestClient(self.app, raise_server_exceptions=False)
        self.assertEqual(client.post("/api/sign-in", json={"login": login, "password": PASSWORD}).status_code, 204)
        return client

    def ask(self, operation, client):
        @hypothesis.settings(
            max_examples=EXAMPLES, deadline=None, database=None, derandomize=True,
            suppress_health_check=list(hypothesis.HealthCheck),
            phases=[hypothesis.Phase.generate],
        )  # fmt: skip
        @hypothesis.given(case=operation.as_strategy())
        def one(case):
            given = case.as_transport_kwargs(base_url="http://testserver")
            known = {name: given[name] for name in SENT if name in given}
            sent = requests.Request(**known).prepare()
            response = client.request(sent.method, sent.url, content=sent.body, headers=dict(sent.headers))
            case.validate_response(response, checks=CHECKS)

        one()

    def every_route(self, login):
        for found in self.schema.get_all_operations():
            operation = found.ok()
            # Signed out, or with another password, the rest would ask for nobody.
            if operation.path in ("/api/sign-out", "/api/me/password") or "/me/sessions" in operation.path:
                continue
            with self.subTest(method=operation.method, path=operation.path):
                self.ask(operation, self.client_of[login])


def _by(login):
    def test(self):
        self.client_of = {login: self.client(login)}
        self.every_route(login)

    test.__doc__ = f"Every route, asked by the {ROLES[login]}."
    return test


for _login in ROLES:
    setattr(WholeInterface, f"test_{_login}", _by(_login))
