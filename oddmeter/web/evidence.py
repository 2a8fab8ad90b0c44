"""Intake: the evidence about every clip, the verdicts, and settling them."""

from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from typing import Annotated

from fastapi import APIRouter, File, Query, UploadFile
from fastapi.responses import Response
from pydantic import BaseModel, Field

from oddmeter.core.claims import Word
from oddmeter.core.errors import RuleError
from oddmeter.core.evidence import NONE, RATES, Claim, Question, Source, State, Strength, Verdict, parse_value
from oddmeter.core.facts import Facts
from oddmeter.core.film import gauge
from oddmeter.core.logs import Column, LogEntry
from oddmeter.core.picture import BEYOND_REPAIR, PictureReport
from oddmeter.core.proxies import differences
from oddmeter.core.rates import Rate, decimal_text
from oddmeter.interchange.logs import read_log
from oddmeter.media.stills import sheet, still
from oddmeter.store import clips, evidence
from oddmeter.store.changes import MissingError, change
from oddmeter.store.clips import Clip
from oddmeter.store.database import Connection
from oddmeter.store.evidence import Look
from oddmeter.web.brief import ShowId
from oddmeter.web.changing import ClipRef
from oddmeter.web.context import Context, Here
from oddmeter.web.facts import FactsView, facts_view
from oddmeter.web.plan import ChangedView
from oddmeter.work.reports import add_report, noting_changes

router = APIRouter(tags=["intake"])

MOST_LISTED = 200


class Jpeg(Response):
    """A picture."""

    media_type = "image/jpeg"


class ClaimView(BaseModel):
    """What one source says."""

    source: Source
    words: str
    against: bool
    assumed: bool


class VerdictView(BaseModel):
    """What is taken as true to one question: in words, exact, how it stands, and all that speaks to it."""

    question: Question
    words: str
    value: str | None
    state: State
    source: Source | None
    why: str
    claims: list[ClaimView]


class LookView(BaseModel):
    """How far the looking at pictures has come."""

    state: str
    whole: bool
    done_frames: int
    total_frames: int
    fault: str | None


class StretchView(BaseModel):
    """A stretch that carries its pictures in one way."""

    first_frame: int
    last_frame: int
    words: str


class PictureView(BaseModel):
    """What the pictures show: how many frames were looked at, the stretches, cuts, and which of the frames from
    ``new_from`` on are new pictures."""

    examined: int
    whole: bool
    stretches: list[StretchView]
    cuts: list[int]
    repeats: str | None
    blended: bool
    new_from: int
    new: list[bool]


class IntervalView(BaseModel):
    """How many frames last so long; ``share`` is per cent of the most frequent length."""

    milliseconds: str
    count: int
    share: int


class EvidenceRow(BaseModel):
    """One clip with its verdicts. ``troubles`` are sentences about what is wrong with the file or its proxy."""

    id: int
    delivery_id: int
    name: str
    path: str
    root: str
    revision: int
    proxy_of: str | None
    facts: FactsView | None
    frames: int
    look: LookView | None
    verdicts: list[VerdictView]
    disputed: bool
    unsettled: bool
    troubles: list[str]


class Evidence(BaseModel):
    """The evidence about all clips of a show."""

    clips: list[EvidenceRow]


class Dossier(BaseModel):
    """What there is to look at about one clip beside its verdicts."""

    picture: PictureView | None
    intervals: list[IntervalView]
    start: str
    frames: int


class Settling(BaseModel):
    """A person's word on a question. Without a ``value`` each clip's verdict is confirmed as it stands."""

    clips: Annotated[list[ClipRef], Field(min_length=1, max_length=200_000)]
    question: Question
    value: str | None = None
    reason: Annotated[str, Field(max_length=500)] = ""


class Confirming(BaseModel):
    """Confirm every verdict of these clips that nothing speaks against."""

    clips: Annotated[list[ClipRef], Field(min_length=1, max_length=200_000)]


class Withdrawing(BaseModel):
    """Take back what was said to a question."""

    clips: Annotated[list[ClipRef], Field(min_length=1, max_length=200_000)]
    question: Question


class Looking(BaseModel):
    """Clips whose pictures are to be looked at; all frames where ``whole``."""

    clip_ids: Annotated[list[int], Field(min_length=1, max_length=200_000)]
    whole: bool = True


class LogView(BaseModel):
    """A report: its columns and what they mean, the first rows, what matched nothing and what was not understood."""

    id: int
    name: str
    title: str
    headings: list[str]
    columns: dict[Column, int]
    sample: list[list[str]]
    rows: int
    matched: int
    unmatched: list[str]
    troubles: list[str]


class LogMade(BaseModel):
    """A report that was read, and how many verdicts it changed."""

    id: int
    changed: int


class Mapping(BaseModel):
    """Which column of a report means what, counted from 0, and what the report is called in words."""

    columns: dict[Column, int]
    title: Annotated[str, Field(min_length=1, max_length=60)]


class LogPlace(BaseModel):
    """A report that lies below a media root."""

    root: str
    path: str


class ChangeOfVerdict(BaseModel):
    """A verdict that later evidence changed."""

    id: int
    clip_id: int
    clip: str
    question: Question
    before: str
    after: str
    because: str


class SheetPlace(BaseModel):
    """How pictures lie on a sheet."""

    count: int
    columns: int
    width: int
    height: int


@router.get("/api/shows/{show_id}/evidence")
def all_evidence(here: Here, show_id: ShowId) -> Evidence:
    """Every clip of the show with its verdicts, proxies among them."""
    with here.database.transaction() as connection:
        known = clips.clips_of_show(connection, show_id, proxies=True)
        looks = evidence.looks_of_show(connection, show_id)
    by_id = {clip.id: clip for clip in known}
    proxies: dict[int, list[Clip]] = {}
    for clip in known:
        if clip.proxy_of is not None:
            proxies.setdefault(clip.proxy_of, []).append(clip)
    return Evidence(clips=[_row(clip, looks.get(clip.id), by_id, proxies.get(clip.id, [])) for clip in known])


@router.get("/api/shows/{show_id}/clips/{clip_id}/evidence")
def dossier(here: Here, show_id: ShowId, clip_id: int) -> Dossier:
    """What there is to look at about one clip."""
    clip = _clip(here, show_id, clip_id)
    facts = clip.measured or Facts()
    most = max((count for _, count in facts.intervals), default=1)
    return Dossier(
        picture=_picture(clip.picture, facts) if clip.picture else None,
        intervals=[
            IntervalView(milliseconds=decimal_text(length * 1000, 3), count=count, share=-(-100 * count // most))
            for length, count in facts.intervals
        ],
        start=f"{decimal_text(facts.start, 3)} s",
        frames=facts.frames,
    )


@router.post("/api/shows/{show_id}/words")
def settle(here: Here, show_id: ShowId, asked: Settling) -> ChangedView:
    """Settle a question about clips, or confirm it as it stands."""
    known = _known(here, show_id, asked.clips)
    value = parse_value(asked.question, asked.value) if asked.value is not None else None
    told = [clip for clip in known if value is not None or clip.verdicts[asked.question].value is not None]
    if not told:
        raise RuleError("Nothing is known to confirm; say what it is.", "value")
    name = _asked_about(asked.question)
    what = f"{name} {spoken(asked.question, value)}" if value is not None else f"{name} confirmed"
    with _changing(here, show_id, f"{what} for {_whom(told)}", asked.clips) as connection:
        said: dict[str, list[int]] = {}
        for clip in told:
            said.setdefault(value or clip.verdicts[asked.question].value or "", []).append(clip.id)
        for answer, ids in said.items():
            evidence.say(connection, ids, Word(asked.question, answer, here.person, asked.reason.strip()))
    return ChangedView(title=f"{what} for {_whom(told)}")


@router.post("/api/shows/{show_id}/words/confirm")
def confirm(here: Here, show_id: ShowId, asked: Confirming) -> ChangedView:
    """Confirm all that agrees: each verdict that has a value and that nothing speaks against."""
    known = _known(here, show_id, asked.clips)
    agreeing = [
        (clip, found)
        for clip in known
        for found in clip.verdicts.values()
        if found.value is not None and found.state in (State.AGREED, State.ASSUMED)
    ]
    if not agreeing:
        raise RuleError("There is nothing left here that agrees and is not confirmed.", "value")
    title = f"All that agrees confirmed for {_whom([clip for clip, _ in agreeing])}"
    with _changing(here, show_id, title, asked.clips) as connection:
        said: dict[tuple[Question, str], list[int]] = {}
        for clip, found in agreeing:
            said.setdefault((found.question, found.value or ""), []).append(clip.id)
        for (question, answer), ids in said.items():
            evidence.say(connection, ids, Word(question, answer, here.person))
    return ChangedView(title=title)


@router.post("/api/shows/{show_id}/words/withdraw")
def withdraw(here: Here, show_id: ShowId, asked: Withdrawing) -> ChangedView:
    """Take back what was settled; the evidence speaks again."""
    known = _known(here, show_id, asked.clips)
    title = f"{_asked_about(asked.question)} left to the evidence for {_whom(known)}"
    with _changing(here, show_id, title, asked.clips) as connection:
        evidence.withdraw(connection, [clip.id for clip in known], asked.question)
    return ChangedView(title=title)


@router.post("/api/shows/{show_id}/looks", status_code=204)
def look(here: Here, show_id: ShowId, asked: Looking) -> None:
    """Look at the pictures of clips, or again, whole where that is asked."""
    with here.database.transaction() as connection:
        ids = [clip.id for clip in clips.clips_in_show(connection, show_id, asked.clip_ids)]
        evidence.ask_look(connection, ids, whole=asked.whole)
        here.queue.ask_look(connection, ids)


@router.post("/api/shows/{show_id}/looks/stop", status_code=204)
def stop_looking(here: Here, show_id: ShowId, asked: Looking) -> None:
    """Stop looking at the pictures of clips; what was known before stays."""
    with here.database.transaction() as connection:
        ids = [clip.id for clip in clips.clips_in_show(connection, show_id, asked.clip_ids)]
        evidence.stop_look(connection, ids)


@router.get("/api/shows/{show_id}/clips/{clip_id}/frames/{number}.jpg", response_class=Jpeg)
def one_frame(
    here: Here,
    show_id: ShowId,
    clip_id: int,
    number: int,
    width: Annotated[int, Query(ge=16, le=1920)] = 640,
    field: Annotated[str | None, Query(pattern="^(upper|lower)$")] = None,
) -> Jpeg:
    """One frame of a clip, or one of its fields."""
    clip = _clip(here, show_id, clip_id)
    facts = clip.measured
    if facts is None or facts.fault is not None or not 0 <= number < facts.frames:
        raise MissingError("This frame")
    picture = still(here.config.footage(clip.root, clip.path), facts, number, width, field)
    return Jpeg(picture, headers={"Cache-Control": "private, max-age=600"})


@router.get("/api/shows/{show_id}/clips/{clip_id}/sheet.jpg", response_class=Jpeg)
def frames_sheet(
    here: Here,
    show_id: ShowId,
    clip_id: int,
    first: Annotated[int, Query(ge=0)] = 0,
    count: Annotated[int, Query(ge=1, le=240)] = 96,
    width: Annotated[int, Query(ge=16, le=480)] = 200,
) -> Jpeg:
    """Consecutive frames of a clip, small, on one picture; how they lie on it is in the header ``X-Sheet``."""
    clip = _clip(here, show_id, clip_id)
    if clip.measured is None or clip.measured.fault is not None:
        raise MissingError("These frames")
    made = sheet(here.config.footage(clip.root, clip.path), clip.measured, first, count, width)
    place = SheetPlace(count=made.count, columns=made.columns, width=made.width, height=made.height)
    headers = {"Cache-Control": "private, max-age=600", "X-Sheet": place.model_dump_json()}
    return Jpeg(made.jpeg, headers=headers)


@router.get("/api/shows/{show_id}/logs")
def logs(here: Here, show_id: ShowId) -> list[LogView]:
    """The reports of a show."""
    with here.database.transaction() as connection:
        reports = evidence.logs_of_show(connection, show_id)
        found = evidence.matched(connection, show_id)
    unmatched = list(found.unmatched) if found else []
    out = []
    for report in reports:
        reading = report.reading
        own = set(reading.entries)
        left = [entry for entry in unmatched if entry in own]
        out.append(
            LogView(
                id=report.id,
                name=report.name,
                title=report.title,
                headings=list(report.table.headings),
                columns=report.columns,
                sample=[list(row) for row in report.table.rows[:4]],
                rows=len(reading.entries),
                matched=len(reading.entries) - len(left),
                unmatched=[_left_over(entry) for entry in left[:MOST_LISTED]],
                troubles=list(reading.troubles[:MOST_LISTED]),
            )
        )
    return out


@router.post("/api/shows/{show_id}/logs", status_code=201)
def bring_log_in(here: Here, show_id: ShowId, file: Annotated[UploadFile, File()]) -> LogMade:
    """Read a report that was dropped into the browser."""
    return _add_log(here, show_id, file.filename or "report.csv", file.file.read())


@router.post("/api/shows/{show_id}/logs/from-root", status_code=201)
def bring_log_in_from(here: Here, show_id: ShowId, asked: LogPlace) -> LogMade:
    """Read a report that lies beside the footage."""
    path = here.config.footage(asked.root, asked.path)
    if not path.is_file():
        raise MissingError("This report")
    return _add_log(here, show_id, path.name, path.read_bytes())


@router.put("/api/shows/{show_id}/logs/{log_id}")
def correct_log(here: Here, show_id: ShowId, log_id: int, asked: Mapping) -> LogMade:
    """Correct which column means what; remembered for the next report with these headings."""
    report = _report(here, show_id, log_id)
    if any(not 0 <= index < len(report.table.headings) for index in asked.columns.values()):
        raise RuleError("There is no such column.", "column")
    with change(here.database, show_id, f"Columns of {report.name} corrected", here.person) as connection:

        def correct() -> None:
            evidence.map_log(connection, log_id, asked.columns, asked.title)

        changed = noting_changes(connection, show_id, report.name, correct)
    return LogMade(id=log_id, changed=changed)


@router.delete("/api/shows/{show_id}/logs/{log_id}", status_code=204)
def take_log_out(here: Here, show_id: ShowId, log_id: int) -> None:
    """Take a report out of the show; it can be undone."""
    name = _report(here, show_id, log_id).name
    with change(here.database, show_id, f"{name} taken out", here.person) as connection:
        because = f"{name} was taken out"
        noting_changes(connection, show_id, because, lambda: evidence.take_log_out(connection, log_id))


@router.get("/api/shows/{show_id}/verdict-changes")
def verdict_changes(here: Here, show_id: ShowId) -> list[ChangeOfVerdict]:
    """What later evidence changed, the newest first."""
    with here.database.transaction() as connection:
        found = evidence.changes_of_show(connection, show_id)
    return [
        ChangeOfVerdict(
            id=changed.id,
            clip_id=changed.clip_id,
            clip=changed.clip_name,
            question=Question(changed.question),
            before=spoken(Question(changed.question), changed.before),
            after=spoken(Question(changed.question), changed.after),
            because=changed.because,
        )
        for changed in found
    ]


def spoken(question: Question, value: str | None) -> str:
    """A verdict's value as people say it."""
    if value is None:
        return "not known"
    if question in RATES:
        return Rate.parse(value).spoken
    if question is Question.REPEATS:
        return "none" if value == NONE else f"{Rate.parse(value)} unique"
    if question is Question.FIELD_ORDER:
        return f"{value} first"
    return gauge(value).name if question is Question.GAUGE else value


def _row(clip: Clip, look: Look | None, by_id: dict[int, Clip], proxies: Sequence[Clip]) -> EvidenceRow:
    found = list(clip.verdicts.values())
    original = by_id.get(clip.proxy_of) if clip.proxy_of is not None else None
    return EvidenceRow(
        id=clip.id,
        delivery_id=clip.delivery_id,
        name=clip.name,
        path=clip.path,
        root=clip.root,
        revision=clip.revision,
        proxy_of=original.name if original else None,
        facts=facts_view(clip.facts) if clip.facts else None,
        frames=clip.facts.frames if clip.facts else 0,
        look=LookView.model_validate(look, from_attributes=True) if look else None,
        verdicts=[_verdict(verdict) for verdict in found],
        disputed=any(verdict.state is State.DISPUTED for verdict in found),
        unsettled=any(verdict.value is not None and verdict.state is not State.SETTLED for verdict in found),
        troubles=list(_troubles(clip, original, proxies)),
    )


def _troubles(clip: Clip, original: Clip | None, proxies: Sequence[Clip]) -> Iterable[str]:
    if clip.facts is not None:
        if clip.facts.fault:
            yield clip.facts.fault
        yield from clip.facts.remarks
    pairs = [(original, clip)] if original else [(clip, proxy) for proxy in proxies]
    for whole, proxy in pairs:
        if whole.facts is not None and proxy.facts is not None and whole.facts.usable and proxy.facts.usable:
            for sentence in differences(whole.facts, proxy.facts):
                yield sentence if original else f"{proxy.name}: {sentence}"
    if clip.picture is not None and clip.picture.blended:
        yield BEYOND_REPAIR


def _verdict(verdict: Verdict) -> VerdictView:
    return VerdictView(
        question=verdict.question,
        words=spoken(verdict.question, verdict.value),
        value=verdict.value,
        state=verdict.state,
        source=verdict.source,
        why=verdict.why,
        claims=[
            ClaimView(
                source=claim.source,
                words=_in_column(claim),
                against=claim in verdict.against,
                assumed=claim.strength is Strength.ASSUMED,
            )
            for claim in verdict.claims
        ],
    )


def _in_column(claim: Claim) -> str:
    """A claim's words in its source's column: what it says first, then where."""
    head, colon, rest = claim.words.partition(": ")
    if not colon or claim.source is Source.PERSON:
        return claim.words
    if claim.source is Source.LOG:
        return f"{rest}, {head}"
    if claim.source is Source.HEADER and head.startswith("header, "):
        return f"{rest}, {head.removeprefix('header, ')}"
    return f"{rest}, for a {head}" if claim.source is Source.GAUGE else rest


def _picture(report: PictureReport, facts: Facts) -> PictureView:
    repeats = None
    if report.repeats is not None:
        rate = Rate(facts.file_rate.value * report.repeats.step).spoken if facts.file_rate else "?"
        repeats = f"{report.repeats.unique_frames} unique frames of {report.repeats.frames}, {rate} a second"
    return PictureView(
        examined=report.examined,
        whole=report.whole,
        stretches=[
            StretchView(first_frame=s.first_frame, last_frame=s.last_frame, words=s.words) for s in report.stretches
        ],
        cuts=list(report.cuts[:MOST_LISTED]),
        repeats=repeats,
        blended=report.blended,
        new_from=report.new_from,
        new=list(report.new),
    )


def _add_log(here: Context, show_id: int, name: str, data: bytes) -> LogMade:
    table = read_log(data)
    with change(here.database, show_id, f"{name} read", here.person) as connection:
        log_id, changed = add_report(connection, show_id, name, table)
    return LogMade(id=log_id, changed=changed)


@contextmanager
def _changing(here: Context, show_id: int, title: str, refs: Sequence[ClipRef]) -> Iterator[Connection]:
    """A change to clips, refused as a whole where one of them was changed since it was seen."""
    with change(here.database, show_id, title, here.person) as connection:
        clips.expect_revisions(connection, {ref.id: ref.revision for ref in refs})
        yield connection


def _report(here: Context, show_id: int, log_id: int) -> evidence.LogReport:
    with here.database.transaction() as connection:
        for report in evidence.logs_of_show(connection, show_id):
            if report.id == log_id:
                return report
    raise MissingError("This report")


def _clip(here: Context, show_id: int, clip_id: int) -> Clip:
    with here.database.transaction() as connection:
        return clips.clips_in_show(connection, show_id, [clip_id])[0]


def _known(here: Context, show_id: int, refs: Sequence[ClipRef]) -> list[Clip]:
    with here.database.transaction() as connection:
        return clips.clips_in_show(connection, show_id, [ref.id for ref in refs])


def _left_over(entry: LogEntry) -> str:
    said = [entry.clip, entry.reel, entry.timecode, entry.shot_rate.spoken if entry.shot_rate else ""]
    return f"row {entry.row}: {', '.join(filter(None, said)) or 'names no clip'}"


def _asked_about(question: Question) -> str:
    words = question.value.replace("_", " ")
    return words[0].upper() + words[1:]


def _whom(known: Sequence[Clip]) -> str:
    names = {clip.id: clip.name for clip in known}
    return next(iter(names.values())) if len(names) == 1 else f"{len(names)} clips"
