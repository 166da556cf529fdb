"""The published schema, asked for everything that it allows and much that it does not: no error of the server's own, and the answers are as it says."""

import json
from collections.abc import Iterator
from itertools import count
from typing import Any

import jsonschema_rs
import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, settings
from running_server import RunningServer
from schemathesis.checks import not_a_server_error
from schemathesis.core.failures import Failure
from schemathesis.specs.openapi.checks import content_type_conformance, status_code_conformance

from brickseat.api import api
from brickseat.schema_file import all_limits

MOST_EXAMPLES = 8
CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance]
SCHEMA = json.loads(json.dumps(api.get_openapi_schema(path_prefix="/api/"), default=str))
WITHOUT = {"sign_out"}
"""It ends what all others are asked with."""
turns = count()
published = schemathesis.openapi.from_dict(SCHEMA)
# Chance alone: every form at all of its limits takes the library ten times as long.
published.config.phases.coverage.enabled = False
published.config.phases.examples.enabled = False


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[RunningServer]:
    running = RunningServer(tmp_path_factory.mktemp("published"))
    yield running
    running.stop()


@pytest.fixture(scope="module")
def there(server: RunningServer) -> dict[str, str]:
    """A set and a prop, so that what is asked of them is more than that they are not there."""
    prop = server.ask("POST", "/api/bearers", b'{"kind": "floor"}').json["key"]
    made = server.ask("POST", "/api/sets", b'{"name": "yard"}').json["key"]
    pose = {"position": [0, 0, 0], "orientation": [0, 0, 0, 1], "scale": [1, 1, 1]}
    move = {"move": {"kind": "stand", "prop": prop, "pose": pose}}
    change = server.ask("POST", f"/api/sets/{made}/moves", json.dumps(move).encode()).json
    return {"set": made, "prop": prop, "piece": change["deltas"][0]["key"]}


def aimed(case: Any, there: dict[str, str]) -> None:
    """Every other question is about what is there."""
    if next(turns) % 2 and "key" in (case.path_parameters or {}):
        case.path_parameters["key"] = there["set" if "/sets/" in case.path else "prop"]
        if "piece" in case.path_parameters:
            case.path_parameters["piece"] = there["piece"]


def assert_as_published(operation: Any, answer: Any) -> None:
    """That the body of an answer is what the schema says of it (JSON Schema 2020-12)."""
    said = operation["responses"][str(answer.status_code)].get("content", {}).get("application/json")
    if said is not None:
        # What others refer to stays where they look for it.
        validator = jsonschema_rs.Draft202012Validator({**said["schema"], "components": SCHEMA["components"]})
        validator.validate(answer.json())


@published.exclude(operation_id=list(WITHOUT)).parametrize()
@settings(
    max_examples=MOST_EXAMPLES, deadline=None, derandomize=True, database=None, phases=[Phase.explicit, Phase.generate],
    suppress_health_check=list(HealthCheck),
)  # fmt: skip
def test_everything_that_is_published(case: Any, server: RunningServer, there: dict[str, str]) -> None:
    aimed(case, there)
    if case.operation.definition.raw["operationId"] == "delete_set":
        case.path_parameters = {"key": "00000000-0000-0000-0000-000000000000"}
    headers = {"Authorization": f"Bearer {server.token}"}
    try:
        answer = case.call_and_validate(
            base_url=f"http://127.0.0.1:{server.port}", headers=headers, checks=CHECKS, timeout=120
        )
    except Failure as failure:
        raise AssertionError(f"{case.method} {case.path}: {failure}") from None
    assert_as_published(case.operation.definition.raw, answer)


def test_names_and_tags_are_for_people() -> None:
    names = [o["operationId"] for path in SCHEMA["paths"].values() for o in path.values()]
    assert len(set(names)) == len(names)
    assert {"make_move", "list_sets", "get_set", "list_jobs", "upload_prop", "hand_over_set"} <= set(names)
    for path in SCHEMA["paths"].values():
        for operation in path.values():
            assert operation["tags"]
            assert operation["summary"]
            assert operation["description"]
            assert "_" in operation["operationId"]
            assert {"401", "404", "422"} <= set(operation["responses"])
    files = [p for p, entry in SCHEMA["paths"].items() if p.endswith((".glb", ".jpg"))]
    assert len(files) == 7
    for path in files:
        (kind,) = SCHEMA["paths"][path]["get"]["responses"]["200"]["content"].values()
        assert kind["schema"] == {"type": "string", "format": "binary"}


def test_limits_are_those_of_the_first_number_that_a_field_may_be() -> None:
    number = {"minimum": 0.005, "maximum": 0.5, "type": "number"}
    properties = {
        "plain": number,
        "may_be_null": {"anyOf": [number, {"type": "null"}]},
        "pair": {"prefixItems": [number, number]},
        "open": {"exclusiveMinimum": 0, "maximum": 1},
        "words": {"type": "string", "maxLength": 8},
    }
    found = all_limits({"Asked": {"properties": properties}, "Empty": {"properties": {"words": {"type": "string"}}}})
    assert found == {"Asked": {key: [0.005, 0.5] for key in ("plain", "may_be_null", "pair")}}
