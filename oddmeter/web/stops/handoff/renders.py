"""Handoff: what to make, under which names."""

from collections.abc import Sequence
from dataclasses import dataclass
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
from oddmeter.core.planning.filenames import OF_EVENTS, WORDS, safe_folder
from oddmeter.core.planning.plans import Plan
from oddmeter.core.planning.timelines import Timeline
from oddmeter.media.files.identity import is_as_known
from oddmeter.media.settings.encoding import Encoding, encoding_of
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import SHIPPED
from oddmeter.media.writing.holding import insist_on_holding
from oddmeter.store import renders
from oddmeter.store.database import Connection
from oddmeter.web.board import Board, Row
from oddmeter.web.http.context import Context, Here
from oddmeter.web.views.asked import ShowId
from oddmeter.web.views.files import named_path, note_taken, queued
from oddmeter.web.views.settings import document_of, settings_in
from oddmeter.work.orders import order_of, plan_to_make

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
    """A word that can stand in a name pattern."""

    word: str
    meaning: str


class HandoffChoices(BaseModel):
    """What can be chosen, and where made files go on the server."""

    settings: list[SettingView]
    words: list[NameWord]
    made_folder: str


class OutputIn(BaseModel):
    """Files to make: of which clips, with which setting, where, and under which names."""

    clip_ids: Annotated[list[int], Field(min_length=1, max_length=100_000)]
    setting: str
    folder: str = ""
    pattern: str = "{clip}_{rate}"


class MakeIn(BaseModel):
    """Outputs to make at once; a clip may be in several. One of them may stand by itself, without a list."""

    outputs: Annotated[list[OutputIn], Field(min_length=1, max_length=100)]

    @model_validator(mode="before")
    @classmethod
    def _of_one(cls, asked: Any) -> Any:
        return {"outputs": [asked]} if isinstance(asked, dict) and "outputs" not in asked else asked


_MEASURED = 20
"""Files of a setting that its size is measured on."""
UNSEEN = "its pictures have not been analysed yet, so pulldown and repeats cannot be removed"


class FilePreview(BaseModel):
    """One file that would be made; ``problem`` says why it cannot be, ``remark`` what is left out of it."""

    clip_id: int
    clip_name: str
    setting: str
    out_path: str
    frames: int
    seconds: float
    length: str
    problem: str | None
    remark: str | None


class Queued(BaseModel):
    """What was queued, and what was not."""

    queued: int
    refused: list[FilePreview]


@router.get("/shows/{show_id}/handoff")
def choices(here: Here, show_id: ShowId) -> HandoffChoices:
    """The settings of a show, the words for names, and the folder for made files."""
    with here.database.transaction() as connection:
        known = settings_in(connection, show_id)
        lately = renders.made_lately(connection, show_id, _MEASURED)
    sizes = _sizes(here, lately)
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
        words=[NameWord(word=word, meaning=meaning) for word, meaning in WORDS.items() if word not in OF_EVENTS],
        made_folder=str(here.config.made),
    )


def _sizes(here: Context, lately: Sequence[renders.MadeLately]) -> dict[str, float]:
    """Megabytes a minute by setting, of files that are still there."""
    found: dict[str, list[tuple[int, float]]] = {}
    for made in lately:
        path = here.config.product(made.out_path)
        files = [path] if path.is_file() else list(path.iterdir()) if path.is_dir() else []
        if files and made.seconds > 0:
            size = sum(file.stat().st_size for file in files)
            found.setdefault(made.setting, []).append((size, made.seconds))
    return {
        setting: sum(size for size, _ in sizes) / sum(seconds for _, seconds in sizes) * 60 / 1e6
        for setting, sizes in found.items()
    }


@router.post("/shows/{show_id}/handoff/preview")
def preview(here: Here, show_id: ShowId, asked: MakeIn) -> list[FilePreview]:
    """The names of the files that would be made, and what stands against any of them."""
    board = here.boards.open(show_id)
    with here.database.transaction() as connection:
        return [wanted.view for wanted in _wanted(here, connection, board, asked)]


@router.post("/shows/{show_id}/renders", status_code=201)
def make(here: Here, show_id: ShowId, asked: MakeIn) -> Queued:
    """Queue files. What cannot be made is refused by name; the rest is queued."""
    board = here.boards.open(show_id)
    with here.database.transaction() as connection:
        wanted = _wanted(here, connection, board, asked)
        files = [
            (renders.Asked(
                file.plan.timeline.id, file.plan.clip.id, file.setting.name, document_of(file.setting),
                file.view.out_path, order_of(file.plan).model_dump(mode="json"), file.view.frames,
            ), file.view)
            for file in wanted if file.plan is not None and not file.view.problem
        ]  # fmt: skip
        count = queued(here, connection, files)
    return Queued(queued=count, refused=[file.view for file in wanted if file.view.problem])


@dataclass(frozen=True)
class _Wanted:
    plan: Plan | None
    setting: Setting
    view: FilePreview


def _wanted(here: Context, connection: Connection, board: Board, asked: MakeIn) -> list[_Wanted]:
    timeline, known, out = board.timeline(), settings_in(connection, board.show.id), list[_Wanted]()
    remedies: dict[str, None] = {}
    for output in asked.outputs:
        setting = known.get(output.setting)
        if setting is None:
            raise RuleError(f"There is no setting “{output.setting}” in this show.", "setting")
        folder = safe_folder(output.folder)
        out += [
            _one(here, row, board, timeline, folder, output.pattern, setting, number)
            for number, row in enumerate(board.some(output.clip_ids, timeline), 1)
        ]
        if board.apart.keys() & output.clip_ids and "{folder}" not in output.pattern:
            remedies["{folder}"] = None
    if len(asked.outputs) > 1 and any("{setting}" not in output.pattern for output in asked.outputs):
        remedies["{setting}"] = None
    remedy = f"; add {' or '.join(remedies)}" if remedies else ""
    note_taken(here, connection, [item.view for item in out], "files", remedy)
    return out


def _one(
    here: Context,
    row: Row,
    board: Board,
    timeline: Timeline,
    folder: str,
    pattern: str,
    setting: Setting,
    number: int,
) -> _Wanted:
    settings, clip, plan = timeline.settings, row.clip, row.plan
    delivery = board.house.deliveries.get(clip.delivery_id)
    values = {
        "clip": PurePosixPath(clip.name).stem,
        "folder": board.folder(clip),
        "delivery": delivery.name if delivery else "",
        "timeline": settings.name,
        "rate": settings.rate.spoken,
        "intent": intent_text(row.resolved.decisions.intent),
        "speed": f"{decimal_text(plan.conformed.speed * 100, 2)}pc" if plan else "",
        "timecode": _digits(plan) if plan else "",
        "in": str(plan.conformed.span[0]) if plan else "",
        "length": str(row.after),
        "number": f"{number:03d}",
        "date": f"{date.today():%Y%m%d}",
    }
    encoding, path = encoding_of(setting), named_path(folder, pattern, setting, values)
    problem = row.refusal.sentence if row.refusal else None
    if plan is not None:
        try:
            made = plan_to_make(order_of(plan), clip, here.config, setting, path)
            insist_on_holding(made)
            if not is_as_known(made.source, made.facts.identity, quickly=True):
                problem = CHANGED
            elif plan.conformed.fields is Fields.ORIGINAL and clip.picture is None:
                problem = UNSEEN
        except RuleError as error:
            problem = str(error)
    view = FilePreview(
        clip_id=clip.id,
        clip_name=board.distinct_name(clip),
        setting=setting.name,
        out_path=path,
        frames=row.after,
        seconds=float(row.after / settings.rate.value),
        length=duration_text(row.after, settings.rate, settings.drop_frame),
        problem=problem,
        remark=_remark(plan, encoding) if plan else None,
    )
    return _Wanted(plan, setting, view)


def _digits(plan: Plan) -> str:
    """The timecode of a clip's first frame that is used, without what file systems refuse."""
    first = plan.facts.timecode_of(plan.conformed.span[0])
    return "".join(sign for sign in str(first) if sign.isdecimal()) if first else ""


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
