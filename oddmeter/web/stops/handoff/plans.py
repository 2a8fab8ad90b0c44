"""Handoff plans: outputs that a show makes again and again, kept with a name; and the runs in which files were made."""

from datetime import datetime
from typing import Annotated, Any, Literal

from fastapi import APIRouter
from fastapi.responses import HTMLResponse
from pydantic import AfterValidator, BaseModel, Field, StringConstraints

from oddmeter.interchange.paper import policy
from oddmeter.store.changes import MissingError, change
from oddmeter.store.handoff import runs
from oddmeter.store.handoff.documents import PLANS, Stored
from oddmeter.web.http.context import Here
from oddmeter.web.views.asked import ShowId
from oddmeter.web.views.changes import ChangedView
from oddmeter.web.views.handoffs import OutputIn, numbered_apart
from oddmeter.work.proof_page import SHARES

router = APIRouter(prefix="/api/shows/{show_id}/handoff", tags=["handoff"])

PlanName = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80)]


class PlanDocument(BaseModel):
    """What a plan makes: of all clips with a speed set, of all that can be used, or of ``clips``; or of the events, the
    transitions or the whole of ``timeline``, each with so many frames of handles; and which outputs of each."""

    of: Literal["decided", "usable", "clips", "events", "transitions", "timeline"] = "decided"
    clips: Annotated[list[int], Field(max_length=100_000)] = []
    timeline: int | None = None
    handles: Annotated[int, Field(ge=0, le=1000)] = 0
    outputs: Annotated[list[OutputIn], Field(min_length=1, max_length=100), AfterValidator(numbered_apart)]


class PlanIn(BaseModel):
    """A plan to keep."""

    name: PlanName
    document: PlanDocument


class PlanChangeIn(PlanIn):
    """A plan to change, with the revision that was seen."""

    revision: int


class HandoffPlanView(BaseModel):
    """A plan as it stands."""

    id: int
    name: str
    document: PlanDocument
    revision: int


class PlanMade(ChangedView):
    """A plan that was kept, by its number."""

    id: int


class HandoffRunView(BaseModel):
    """Files that were asked for together; ``plan`` is the name of the plan, empty without one."""

    id: int
    plan: str
    person: str
    files: int
    proven: int
    failed: int
    unchanged: int
    refused: int
    report: Literal["waiting", "ready", "failed"] | None
    reported: int
    report_fault: str | None
    asked_at: datetime


@router.get("/plans")
def list_plans(here: Here, show_id: ShowId) -> list[HandoffPlanView]:
    """The handoff plans of a show by name."""
    with here.database.transaction() as connection:
        return [_view(plan) for plan in PLANS.of_show(connection, show_id)]


@router.post("/plans", status_code=201)
def add_plan(here: Here, show_id: ShowId, asked: PlanIn) -> PlanMade:
    """Keep a handoff plan."""
    title = f"Handoff plan “{asked.name}” added"
    with change(here.database, show_id, title, here.person) as connection:
        made = PLANS.add(connection, show_id, asked.name, _document(asked))
    return PlanMade(title=title, id=made)


@router.put("/plans/{plan_id}")
def set_plan(here: Here, show_id: ShowId, plan_id: int, asked: PlanChangeIn) -> ChangedView:
    """Change a handoff plan; files it made before keep what they were made with."""
    title = f"Handoff plan “{asked.name}” changed"
    with change(here.database, show_id, title, here.person) as connection:
        PLANS.change(connection, show_id, plan_id, asked.name, _document(asked), asked.revision)
    return ChangedView(title=title)


@router.delete("/plans/{plan_id}")
def remove_plan(here: Here, show_id: ShowId, plan_id: int) -> ChangedView:
    """Remove a handoff plan; its files stay."""
    with here.database.transaction() as connection:
        name = PLANS.one(connection, show_id, plan_id).name
    title = f"Handoff plan “{name}” removed"
    with change(here.database, show_id, title, here.person) as connection:
        PLANS.remove(connection, show_id, plan_id)
    return ChangedView(title=title)


@router.get("/runs")
def list_runs(here: Here, show_id: ShowId) -> list[HandoffRunView]:
    """The runs of a show, the newest first."""
    with here.database.transaction() as connection:
        return [
            HandoffRunView(
                id=run.id, plan=run.name, person=run.person, files=run.files, proven=run.proven, failed=run.failed,
                unchanged=run.unchanged, refused=len(run.refused), report=run.report, reported=run.reported,
                report_fault=run.report_fault, asked_at=run.asked_at,
            )
            for run in runs.runs_of_show(connection, show_id, _MOST_RUNS)
        ]  # fmt: skip


_MOST_RUNS = 100


@router.post("/runs/{run_id}/report", status_code=204)
def ask_report(here: Here, show_id: ShowId, run_id: int) -> None:
    """Ask for the report of a run, anew where there is one: what was compared, with figures and pictures."""
    with here.database.transaction() as connection:
        runs.run(connection, show_id, run_id)
        runs.ask_report(connection, run_id)
        here.queue.ask_report(connection, run_id)


@router.get("/runs/{run_id}/report.html")
def report(here: Here, show_id: ShowId, run_id: int) -> HTMLResponse:
    """The report of a run, as one page to print or send."""
    with here.database.transaction() as connection:
        runs.run(connection, show_id, run_id)
        page = runs.report(connection, run_id)
    if page is None:
        raise MissingError("This report")
    return HTMLResponse(page, headers={"Content-Security-Policy": policy(SHARES)})


def _document(asked: PlanIn) -> dict[str, Any]:
    return asked.document.model_dump(mode="json", exclude_none=True)


def _view(plan: Stored) -> HandoffPlanView:
    document = PlanDocument.model_validate(plan.document)
    return HandoffPlanView(id=plan.id, name=plan.name, document=document, revision=plan.revision)
