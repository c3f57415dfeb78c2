"""Whatever is asked of any endpoint, the answer is one that its description names, in the shape that it names.

Schemathesis makes the requests from the API's own OpenAPI document, such that fit it and such that do not. Half are asked with
the ids that they came with, half with ids that exist, so that more is tried than not being there. Every request is undone.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from typing import Any

import hypothesis
import pytest
import schemathesis
from django.core.signals import request_finished, request_started
from django.core.wsgi import get_wsgi_application
from django.db import close_old_connections, transaction
from hypothesis import strategies
from schemathesis import GenerationMode
from schemathesis.checks import not_a_server_error
from schemathesis.core.failures import FailureGroup
from schemathesis.specs.openapi.checks import content_type_conformance, response_schema_conformance, status_code_conformance

from tests.conftest import EXPLORE
from tests.web.conftest import Caller
from texelweb.api.main import api

CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance]
# Of each endpoint, of each mode.
EXAMPLES = 100 if EXPLORE else 2


@pytest.fixture
def one_connection() -> Iterator[None]:
    """A served request ends with its connection looked over; here it is the test's own, inside a transaction."""
    for signal in (request_started, request_finished):
        signal.disconnect(close_old_connections)
    yield
    for signal in (request_started, request_finished):
        signal.connect(close_old_connections)


def test_every_answer_is_a_documented_one(filled: dict[str, Any], lead: Caller, settings: Any, one_connection: None) -> None:
    settings.MOST_FAILURES_OF_AN_ADDRESS = 10_000
    schema = schemathesis.openapi.from_dict(dict(api.get_openapi_schema()))
    schema.app = get_wsgi_application()
    tried: dict[str, set[int]] = {}
    wrong: list[str] = []

    def ask(case: schemathesis.Case) -> None:
        session = lead.client.cookies["sessionid"].value
        token = "t" * 32
        cookies = {"sessionid": session, "csrftoken": token}
        with transaction.atomic():
            answer = case.call(cookies=cookies, headers={"X-CSRFToken": token, "Accept-Encoding": "identity"})
            transaction.set_rollback(True)
        tried.setdefault(case.operation.label, set()).add(answer.status_code)
        try:
            case.validate_response(answer, checks=CHECKS)
        except FailureGroup as failures:
            wrong.extend(f"{case.operation.label} {answer.status_code}: {failure}" for failure in failures.exceptions)

    for result in schema.get_all_operations():
        operation = result.ok()
        for mode in GenerationMode:

            @hypothesis.settings(
                max_examples=EXAMPLES,
                suppress_health_check=list(hypothesis.HealthCheck),
                phases=[hypothesis.Phase.generate],
                database=None,
            )
            @hypothesis.given(case=operation.as_strategy(generation_mode=mode), known=strategies.booleans())
            def some(case: schemathesis.Case, known: bool) -> None:
                if known:
                    own = {name: str(filled[name]) for name in case.path_parameters or {} if name in filled}
                    case.path_parameters = {**(case.path_parameters or {}), **own}
                ask(case)

            # Nothing can fail to fit where nothing is asked for.
            with suppress(*([hypothesis.errors.Unsatisfiable] if mode is GenerationMode.NEGATIVE else [])):
                some()
    assert not wrong, "\n\n".join(wrong)
    assert len(tried) == sum(len(methods) for methods in schema.raw_schema["paths"].values())
    reached = [label for label, statuses in tried.items() if statuses & {200, 204}]
    assert len(reached) > len(tried) * (0.6 if EXPLORE else 0.4), sorted(set(tried) - set(reached))
