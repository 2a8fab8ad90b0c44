"""Every address of the application, called with what its OpenAPI document allows and what it does not.

    .venv/bin/python -m bench.fuzz --requests 20000
    .venv/bin/python -m bench.fuzz --walks 1000

Counts answers of 500 and above, and answers that the document does not describe, each kind with the first call that
showed it. The cases are the same in every run with the same seed.
"""

import argparse
import shutil
import tempfile
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import av
import schemathesis
from av.video.frame import VideoFrame
from fastapi import FastAPI
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis.errors import Unsatisfiable
from hypothesis.strategies import just
from schemathesis import GenerationMode
from schemathesis.checks import not_a_server_error
from schemathesis.core.failures import FailureGroup
from schemathesis.core.result import Ok
from schemathesis.python.asgi import shutdown_lifespans
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from oddmeter.config import Config
from oddmeter.local.cluster import Cluster
from oddmeter.store.database import Database
from oddmeter.store.migrate import migrate
from oddmeter.web.app import create_app
from oddmeter.work.tasks import look_at

HOST = {"Host": "127.0.0.1"}
THERE: dict[str, object] = {
    "show_id": 1,
    "clip_id": 1,
    "delivery_id": 1,
    "timeline_id": 1,
    "recipe_id": 1,
    "root": "Footage",
}
CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance]
STEPS = 12
ENDLESS = ("/api/events",)
"""Addresses whose answer never ends."""
SETTINGS: dict[str, Any] = {
    "database": None,
    "deadline": None,
    "phases": [Phase.generate],
    "suppress_health_check": list(HealthCheck),
}


EVERY_KIND: tuple[dict[str, Any], ...] = (
    {"intent": {"intent": "real-time"}, "set": {"between": "mix"}},
    {"intent": {"intent": "every-frame"}, "set": {"sound": "pitch"}},
    {"intent": {"intent": "pace", "value": "1/2"}, "set": {"between": "flow"}},
    {"intent": {"intent": "speed", "value": "150 %"}, "set": {"reverse": "yes"}},
    {"intent": {"intent": "fit", "value": "31"}, "set": {"between": "gather"}},
    {"intent": {"intent": "curve", "value": "100 → 25 → 100 %"}},
    {"intent": {"intent": "curve", "value": "200 → 50 %"}, "set": {"between": "flow"}},
    {"intent": {"intent": "leave"}},
)
"""A decision of each kind, for clips of a show."""


def found(app: FastAPI, requests: int, number: int = 1) -> tuple[Counter[int], dict[str, str]]:
    """How many answers there were by status, to about as many requests for every address, and what was wrong: each kind
    with the call that showed it first. Most calls that are allowed name something that is
    there, so that they go further than to find nothing."""
    schema = schemathesis.openapi.from_asgi("/api/openapi.json", app, headers=HOST)
    schema.config.generation.update(modes=[GenerationMode.POSITIVE, GenerationMode.NEGATIVE])
    known = [one.ok() for one in schema.get_all_operations() if isinstance(one, Ok)]
    operations = [one for one in known if one.path not in ENDLESS]
    each = max(1, requests // (2 * len(operations)))
    answers: Counter[int] = Counter()
    wrong: dict[str, str] = {}

    def call(case: Any, mode: GenerationMode) -> None:
        if mode is GenerationMode.POSITIVE and answers.total() % 4:
            case.path_parameters.update({key: THERE[key] for key in case.path_parameters if key in THERE})
        _hold(case, case.call(headers=HOST), answers, wrong)

    with under_way(app) as client:
        bring_in(client, app.state.config, app.state.database)
        for operation in operations:
            for mode in (GenerationMode.POSITIVE, GenerationMode.NEGATIVE):
                cases = given(case=operation.as_strategy(generation_mode=mode), mode=just(mode))
                with suppress(Unsatisfiable):  # there is nothing that the document does not allow
                    seed(number)(settings(max_examples=each, **SETTINGS)(cases(call)))()
    return answers, wrong


def walked(app: FastAPI, walks: int, number: int = 1) -> tuple[Counter[int], dict[str, str]]:
    """The same for calls that follow each other: each may take up what an earlier one of its walk answered."""
    schema = schemathesis.openapi.from_asgi("/api/openapi.json", app, headers=HOST)
    schema.config.generation.update(modes=[GenerationMode.POSITIVE])
    answers: Counter[int] = Counter()
    wrong: dict[str, str] = {}
    steps: Any = schema.exclude(path=list(ENDLESS)).as_state_machine()

    class Walk(steps):  # type: ignore[misc]
        def get_call_kwargs(self, case: Any) -> dict[str, Any]:
            return {"headers": HOST}

        def validate_response(self, response: Any, case: Any, *_: Any, **__: Any) -> None:
            _hold(case, response, answers, wrong)

    with under_way(app) as client:
        bring_in(client, app.state.config, app.state.database)
        seed(number)(Walk)
        Walk.run(settings=settings(max_examples=walks, stateful_step_count=STEPS, **SETTINGS))
    return answers, wrong


def _hold(case: Any, response: Any, answers: Counter[int], wrong: dict[str, str]) -> None:
    """Hold an answer against the document, and note what is wrong with it."""
    answers[response.status_code] += 1
    try:
        case.validate_response(response, checks=CHECKS)
    except FailureGroup as group:
        for failure in group.exceptions:
            kind = f"{case.method} {case.operation.path}: {failure.title}"
            wrong.setdefault(kind, f"{failure}"[:900])


@contextmanager
def under_way(app: FastAPI) -> Iterator[TestClient]:
    """The application while it is called; what the library of drawn calls has started of it is ended as well."""
    try:
        with TestClient(app, base_url="http://127.0.0.1") as client:
            yield client
    finally:
        shutdown_lifespans()


def bring_in(client: TestClient, config: Config, database: Database) -> None:
    """A show with a timeline, a recipe, a clip that was looked at, and one of each kind of decision."""
    (config.roots["Footage"] / "Card").mkdir(exist_ok=True)
    with av.open(str(config.roots["Footage"] / "Card" / "bell.mp4"), "w") as container:
        stream = container.add_stream("libx264", rate=50)
        stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
        for _ in range(40):
            container.mux(stream.encode(VideoFrame(320, 180, "yuv420p")))
        container.mux(stream.encode(None))
    for number in range(len(EVERY_KIND)):
        shutil.copy(
            config.roots["Footage"] / "Card" / "bell.mp4", config.roots["Footage"] / "Card" / f"copy {number}.mp4"
        )
    for path, body in (
        ("/api/shows", {"name": "Fuzz", "timeline": {"name": "Main", "rate": "25"}}),
        ("/api/shows/1/deliveries", {"name": "Card", "root": "Footage", "path": "Card"}),
        ("/api/shows/1/recipes", {"name": "Slow", "decisions": {"intent": "pace 1/2"}, "rule": {}}),
    ):
        made = client.post(path, json=body)
        assert made.status_code < 300, made.text
    for number in range(1, len(EVERY_KIND) + 2):
        look_at(config, database, number)
    order = client.get("/api/shows/1/ledger").json()
    refs = [{"id": one, "revision": revision} for one, revision in zip(order["ids"], order["revisions"], strict=True)]
    for ref, wish in zip(refs[1:], EVERY_KIND, strict=True):
        made = client.post("/api/shows/1/treatments", json={"clips": [ref], **wish})
        assert made.status_code < 300, made.text


@contextmanager
def fresh_app() -> Iterator[FastAPI]:
    """The application over an empty database of its own, with an empty media root."""
    with tempfile.TemporaryDirectory() as folder:
        cluster = Cluster(Path(folder), durable=False)
        Path(folder).chmod(0o711)
        cluster.start()
        try:
            config = Config.under(Path(folder), cluster.ensure_database("fuzz"))
            config.make_folders()
            migrate(config.database)
            yield create_app(config)
        finally:
            cluster.discard()


def main() -> None:
    """Run it and print what was wrong."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--requests", type=int, default=20_000)
    parser.add_argument("--walks", type=int, default=0, help="calls that follow each other instead: so many walks")
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    with fresh_app() as app:
        if asked.walks:
            answers, wrong = walked(app, asked.walks, asked.seed)
        else:
            answers, wrong = found(app, asked.requests, asked.seed)
    for kind, first in sorted(wrong.items()):
        print(f"— {kind}\n{first}\n")
    kinds = Counter("server error" if "Server error" in kind else "not as described" for kind in wrong)
    print(", ".join(f"{count} × {status}" for status, count in sorted(answers.items())))
    errors, others = kinds["server error"], kinds["not as described"]
    print(f"{answers.total()} requests: {errors} kinds of server error, {others} of answers not as described")


if __name__ == "__main__":
    main()
