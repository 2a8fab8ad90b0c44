"""The OpenAPI document: typed throughout, since the page's client is made from it."""

from typing import Any

import pytest
from fastapi import FastAPI


@pytest.fixture(scope="module")
def document(app: FastAPI) -> dict[str, Any]:
    return app.openapi()


def operations(document: dict[str, Any]) -> list[tuple[str, dict[str, Any]]]:
    return [(f"{verb} {path}", op) for path, verbs in document["paths"].items() for verb, op in verbs.items()]


def test_every_operation_is_described_and_answers_with_a_type(document: dict[str, Any]) -> None:
    free_form = {"get /api/events", "get /api/shows/{show_id}/sheet.csv", "get /api/shows/{show_id}/sheet.json",
        "get /api/shows/{show_id}/sheet.html", "get /api/house.schema.json",
        "get /api/shows/{show_id}/cuts/{timeline_id}/list",
        "get /api/shows/{show_id}/handoff/runs/{run_id}/report.html",
        "get /api/shows/{show_id}/cuts/{timeline_id}/events.csv",
        "get /api/shows/{show_id}/cuts/{timeline_id}/events.html",
        "get /api/shows/{show_id}/cuts/{timeline_id}/events.json",
    }  # fmt: skip
    pictures = {"image/jpeg", "application/octet-stream", "audio/wav"}
    for name, operation in operations(document):
        assert operation["summary"] and operation["description"], name
        good = next(answer for status, answer in operation["responses"].items() if status.startswith("2"))
        if name in free_form or "204" in operation["responses"] or set(good.get("content", {})) & pictures:
            continue
        schema = good["content"]["application/json"]["schema"]
        assert "$ref" in schema or schema.get("items"), f"{name} answers with anything"


def test_every_refusal_is_a_problem(document: dict[str, Any]) -> None:
    for name, operation in operations(document):
        refusal = operation["responses"]["4XX"]["content"]
        assert "application/problem+json" in refusal, name


def test_every_field_has_a_type(document: dict[str, Any]) -> None:
    for name, schema in document["components"]["schemas"].items():
        if name in {"ValidationError", "HTTPValidationError"}:
            continue
        assert schema.get("description") or name.startswith("Body_"), f"{name} says nothing of itself"
        for field, described in schema.get("properties", {}).items():
            assert {"type", "$ref", "anyOf", "enum", "const"} & set(described), f"{name}.{field}"


def test_exact_numbers_never_travel_as_floats(document: dict[str, Any]) -> None:
    drawn_only = {
        ("BenchView", "frame_seconds"), ("ThreadView", "at"), ("ThreadView", "weight"), ("PointView", "comes"),
        ("PointView", "arrives_speed"), ("PointView", "leaves_speed"), ("CurveView", "floor"),
        ("FileLine", "seconds"), ("HandoffTotals", "free_megabytes"),
        ("SpotOnClock", "at"), ("CutView", "frame_seconds"), ("TickView", "at"),
    }  # fmt: skip
    floats = {
        (name, field)
        for name, schema in document["components"]["schemas"].items()
        for field, described in schema.get("properties", {}).items()
        if described.get("type") == "number"
    }
    assert floats == drawn_only
