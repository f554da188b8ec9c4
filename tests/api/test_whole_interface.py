"""Any request that the interface's description allows, by every role: no 500, nothing undocumented."""

import unittest

import hypothesis
import requests
import schemathesis
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import content_type_conformance, status_code_conformance

from bodkin.api.app import build
from tests.api.application import all_signed_in
from tests.support import stage
from tests.support.extent import extent

EXAMPLES = extent(1, 10)
"""Requests drawn for each route; every role sends each."""
SENT = ("method", "url", "headers", "params", "data", "json", "files")
CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance]


class WholeInterface(unittest.TestCase):
    """Drawn by Schemathesis from the OpenAPI document, which is not served but made here."""

    @classmethod
    def setUpClass(cls):
        app = build(stage.settings(), stage.small_copy())
        cls.schema = schemathesis.openapi.from_dict(app.openapi())
        cls.clients = all_signed_in(app)

    def ask(self, operation):
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
            for client in self.clients.values():
                response = client.request(sent.method, sent.url, content=sent.body, headers=dict(sent.headers))
                case.validate_response(response, checks=CHECKS)

        one()

    def test_every_route_asked_by_every_role(self):
        """The same drawn requests from all five."""
        asked = 0
        for found in self.schema.get_all_operations():
            operation = found.ok()
            # Signed out, or with another password, the rest would ask for nobody.
            if operation.path in ("/api/sign-out", "/api/me/password") or "/me/sessions" in operation.path:
                continue
            with self.subTest(method=operation.method, path=operation.path):
                self.ask(operation)
                asked += 1
        self.assertGreater(asked, 70)
