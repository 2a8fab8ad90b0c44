"""The hook of a show: the address that is called when files were made, for pipelines."""

from datetime import datetime
from secrets import token_hex

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oddmeter.store.changes import MissingError, change
from oddmeter.store.handoff import hooks
from oddmeter.store.handoff.hooks import Hook
from oddmeter.web.http.context import Here
from oddmeter.web.views.asked import ShowId
from oddmeter.web.views.changes import ChangedView
from oddmeter.work.hooks import checked_address, note_try

router = APIRouter(prefix="/api/shows/{show_id}/hook", tags=["handoff"])
_MOST_CALLS = 5


class CallView(BaseModel):
    """A call: what it was about, and what came of it so far."""

    event: str
    state: str
    attempts: int
    answer: str | None
    asked_at: datetime


class HookView(BaseModel):
    """Where a show calls, empty for nowhere; the secret that calls are signed with; and the calls made last."""

    address: str
    secret: str
    calls: list[CallView]


class HookIn(BaseModel):
    """Where to call; with ``renew``, calls are signed with another secret from now on."""

    address: str = Field(min_length=1, max_length=2000)
    renew: bool = False


@router.get("")
def hook(here: Here, show_id: ShowId) -> HookView:
    """The hook of a show."""
    with here.database.transaction() as connection:
        found = hooks.hook_of(connection, show_id)
        calls = hooks.calls_of_show(connection, show_id, _MOST_CALLS)
    return HookView(
        address=found.address if found else "",
        secret=found.secret if found else "",
        calls=[
            CallView(
                event=str(call.body.get("event", "")), state=call.state, attempts=call.attempts, answer=call.answer,
                asked_at=call.asked_at,
            )
            for call in calls
        ],
    )  # fmt: skip


@router.put("")
def set_hook(here: Here, show_id: ShowId, asked: HookIn) -> ChangedView:
    """Have a show call an address."""
    address, title = checked_address(asked.address), "Address to call when files are made set"
    with change(here.database, show_id, title, here.person) as connection:
        known = hooks.hook_of(connection, show_id)
        secret = known.secret if known and not asked.renew else token_hex(24)
        hooks.set_hook(connection, show_id, Hook(address, secret))
    return ChangedView(title=title)


@router.delete("")
def remove_hook(here: Here, show_id: ShowId) -> ChangedView:
    """Have a show call nowhere."""
    title = "Address to call when files are made removed"
    with change(here.database, show_id, title, here.person) as connection:
        hooks.remove_hook(connection, show_id)
    return ChangedView(title=title)


@router.post("/try", status_code=204)
def try_hook(here: Here, show_id: ShowId) -> None:
    """Call the address once, to see that calls arrive."""
    with here.database.transaction() as connection:
        if hooks.hook_of(connection, show_id) is None:
            raise MissingError("This address")
        note_try(connection, show_id)
