"""Handoff: what to make, under which names."""

from datetime import date
from pathlib import PurePosixPath
from typing import Annotated, Any

from fastapi import APIRouter
from pydantic import BaseModel, Field, model_validator

from oddmeter.core.decisions.treatment import Fields
from oddmeter.core.decisions.vocabulary import intent_text
from oddmeter.core.evidence.identity import CHANGED
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import decimal_text
from oddmeter.core.numbers.timecode import duration_text
from oddmeter.core.planning.filenames import OF_EVENTS, WORDS
from oddmeter.core.planning.marks import MARKS, Attention, Mark
from oddmeter.core.planning.plans import Plan
from oddmeter.core.planning.timelines import Timeline
from oddmeter.media.files.identity import is_as_known
from oddmeter.media.settings.encoding import Encoding, encoding_of
from oddmeter.media.settings.shipped import SHIPPED
from oddmeter.media.writing.holding import insist_on_holding
from oddmeter.store.database import Connection
from oddmeter.store.handoff.documents import PLANS
from oddmeter.store.handoff.made import MadeOf
from oddmeter.web.board import Board, Row
from oddmeter.web.http.context import Context, Here
from oddmeter.web.views.asked import ShowId
from oddmeter.web.views.files import named_path, note_taken, queued, reel_of, timecode_digits
from oddmeter.web.views.handoffs import (
    FileLine,
    HandoffPreview,
    Lines,
    OutputIn,
    Queued,
    Wanted,
    Wished,
    Wishes,
    measured,
    one_output,
    totals_of,
)
from oddmeter.web.views.places import Places
from oddmeter.web.views.settings import settings_in
from oddmeter.work.orders import file_planned, order_of
from oddmeter.work.remaking import identities_of

router = APIRouter(prefix="/api", tags=["handoff"])


class SettingView(BaseModel):
    """A setting files can be made with; what it comes to is measured on the files that the show made with it last, None
    where there are none."""

    setting: str
    label: str
    suffix: str
    lossless: bool
    own: bool
    megabytes_a_minute: float | None


class NameWord(BaseModel):
    """A word that can stand in a name pattern, some only in names of events' files."""

    word: str
    meaning: str
    of_events: bool


class HandoffChoices(BaseModel):
    """What can be chosen, and where made files go on the server."""

    settings: list[SettingView]
    words: list[NameWord]
    made_folder: str


class MakeIn(BaseModel):
    """Files to make: of which clips, and which outputs of each. With a ``plan`` it is a run of that: files are held
    against those it made before, and those that exist unchanged are left as they are, but where all are made
    ``again``; without one all are. One output may stand by itself, without a list."""

    clip_ids: Annotated[list[int], Field(min_length=1, max_length=100_000)]
    outputs: Annotated[list[OutputIn], Field(min_length=1, max_length=100)]
    plan: int | None = None
    again: bool | None = None

    @property
    def makes_all(self) -> bool:
        """True where files that exist unchanged are made too."""
        return self.plan is None if self.again is None else self.again

    @model_validator(mode="before")
    @classmethod
    def _of_one(cls, asked: Any) -> Any:
        return one_output(asked)


_ASKING = {words.mark for words in MARKS if words.attention is not Attention.NOTED} | {Mark.UNCONFIRMED}
"""Marks that somebody may want to look at before files are made."""
UNSEEN = "its pictures have not been analysed yet, so pulldown and repeats cannot be removed"


@router.get("/shows/{show_id}/handoff")
def choices(here: Here, show_id: ShowId) -> HandoffChoices:
    """The settings of a show, the words for names, and the folder for made files."""
    with here.database.transaction() as connection:
        known = settings_in(connection, show_id)
        sizes = measured(here, connection, show_id, known).megabytes
    return HandoffChoices(
        settings=[
            SettingView(
                setting=name,
                label=setting.label or name,
                suffix=setting.suffix or "/",
                lossless=setting.codec.lossless,
                own=setting not in SHIPPED,
                megabytes_a_minute=sizes.get(name),
            )
            for name, setting in known.items()
        ],
        words=[NameWord(word=word, meaning=text, of_events=word in OF_EVENTS) for word, text in WORDS.items()],
        made_folder=str(here.config.made),
    )


@router.post("/shows/{show_id}/handoff/preview")
def preview(here: Here, show_id: ShowId, asked: MakeIn) -> HandoffPreview:
    """The files that would be made, what stands against any of them, and what all of them come to."""
    board = here.boards.open(show_id)
    with here.database.transaction() as connection:
        files = [wanted.view for wanted in _wanted(here, connection, board, asked)]
        known = measured(here, connection, show_id, {file.setting for file in files})
    return HandoffPreview(files=files, totals=totals_of(here, files, known, again=asked.makes_all))


@router.post("/shows/{show_id}/renders", status_code=201)
def make(here: Here, show_id: ShowId, asked: MakeIn) -> Queued:
    """Queue files. What cannot be made is refused by name; the rest is queued."""
    board = here.boards.open(show_id)
    with here.database.transaction() as connection:
        plan = PLANS.one(connection, show_id, asked.plan) if asked.plan is not None else None
        wanted = _wanted(here, connection, board, asked)
        return queued(here, connection, show_id, board.timeline().id, plan, wanted, again=asked.makes_all)


def _wanted(here: Context, connection: Connection, board: Board, asked: MakeIn) -> list[Wanted]:
    timeline, settings = board.timeline(), settings_in(connection, board.show.id)
    places, rows = Places(here.config), board.some(asked.clip_ids, timeline)
    lines = Lines(places, connection, timeline.id, asked.plan)
    out: list[Wanted] = []
    ways: dict[str, None] = {}
    for output in asked.outputs:
        wishes = Wishes(output, settings)
        out += [
            _one(places, row, board, timeline, output, wishes.of(row.clip.id), lines, number)
            for number, row in enumerate(rows, 1)
        ]
        if board.apart.keys() & set(asked.clip_ids) and "{folder}" not in output.pattern:
            ways["{folder}"] = None
    if len(asked.outputs) > 1 and any("{setting}" not in output.pattern for output in asked.outputs):
        ways["{setting}"] = None
    lines.settle(out)
    note_taken(places, connection, [item.view for item in out], "files", list(ways), again=asked.makes_all)
    return out


def _one(
    places: Places, row: Row, board: Board, timeline: Timeline, output: OutputIn, wished: Wished, lines: Lines,
    number: int,
) -> Wanted:  # fmt: skip
    settings, clip, plan, setting = timeline.settings, row.clip, row.plan, wished.setting
    delivery = board.house.deliveries.get(clip.delivery_id)
    key = lines.key(output.id, setting, clip.id, MadeOf())
    values = {
        "clip": PurePosixPath(clip.name).stem,
        "folder": board.folder(clip),
        "folders": clip.folder,
        "delivery": delivery.name if delivery else "",
        "timeline": settings.name,
        "rate": settings.rate.spoken,
        "intent": intent_text(row.resolved.decisions.intent),
        "speed": f"{decimal_text(plan.conformed.speed * 100, 2)}pc" if plan else "",
        "timecode": timecode_digits(plan.facts, plan.conformed.span[0]) if plan else "",
        "in": str(plan.conformed.span[0]) if plan else "",
        "length": str(row.after),
        "reel": reel_of(clip),
        "number": f"{number:03d}",
        "version": lines.version(key),
        "date": f"{date.today():%Y%m%d}",
    }
    encoding, path = encoding_of(setting), named_path(wished.folder, wished.pattern, setting, values)
    order, problem = None, row.refusal.sentence if row.refusal else None
    if plan is not None:
        order = row.once(order_of)
        assert order is not None
        try:
            made = file_planned(plan, places.footage, setting, places.product(path))
            insist_on_holding(made)
            if not is_as_known(made.source, made.facts.identity, quickly=True):
                problem = CHANGED
            elif plan.conformed.fields is Fields.ORIGINAL and clip.picture is None:
                problem = UNSEEN
        except RuleError as error:
            problem = str(error)
    view = FileLine(
        output=output.id,
        line=clip.id,
        clip_id=clip.id,
        name=board.distinct_name(clip),
        setting=setting.name,
        out_path=path,
        frames=row.after,
        seconds=float(row.after / settings.rate.value),
        length=duration_text(row.after, settings.rate, settings.drop_frame),
        problem=problem,
        remark=_remark(plan, encoding) if plan else None,
        samples=settings.width * settings.height,
        marks=[mark for mark in row.marks if mark in _ASKING],
    )
    return Wanted(view, key, setting, order, identities_of([clip]))


def _remark(plan: Plan, encoding: Encoding) -> str | None:
    """What will be in the file otherwise than somebody might expect, in sentences."""
    planned, clip, facts = plan.conformed, plan.clip, plan.facts
    alpha = planned.keeps_samples(plan.timeline.settings.scan)
    remarks = [encoding.loss_of(facts.pixel_format, facts.bits, facts.transfer, alpha=alpha)]
    if plan.keeps_other_raster:
        settings = plan.timeline.settings
        remarks.append(
            f"It stays {facts.width} × {facts.height}; the timeline is {settings.width} × {settings.height}."
        )
    left_in = planned.fields is Fields.ORIGINAL and planned.material.originals is None
    if left_in and clip.picture is not None and clip.picture.repeats is not None:
        remarks.append("Its repeats stay in: only samples were analysed. Analyse the whole clip in Intake.")
    return " ".join(filter(None, remarks)) or None
