"""Intake: the evidence about every clip, the verdicts, and settling them."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Annotated

from fastapi import APIRouter
from fastapi.responses import Response
from pydantic import BaseModel, Field

from oddmeter.core.evidence.claims import Word
from oddmeter.core.evidence.identity import CHANGED
from oddmeter.core.evidence.proxies import differences
from oddmeter.core.evidence.verdicts import Certainty, Claim, Question, Source, Strength, Verdict, parse_value
from oddmeter.core.evidence.vocabulary import question_name, spoken
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.report import BEYOND_REPAIR
from oddmeter.core.planning.clips import Clip, KnownClip
from oddmeter.store import clips, facts, looks, words
from oddmeter.store.changes import change, entitle
from oddmeter.store.database import Connection
from oddmeter.store.looks import Examination
from oddmeter.web.board import Board
from oddmeter.web.http.context import Context, Here
from oddmeter.web.views.asked import MOST_ROWS, ClipRef, ShowId
from oddmeter.web.views.changes import ChangedView
from oddmeter.web.views.facts import FactsView, facts_view
from oddmeter.web.views.values import Json

router = APIRouter(tags=["intake"])


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
    state: Certainty
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
    unsettled: bool
    replaced: bool
    troubles: list[str]


class EvidenceLine(BaseModel):
    """One clip in the list of all: which questions are disputed, and to which the answer is only assumed. ``seen``
    where its file has been opened, ``usable`` where something can be said about it, ``trouble`` where something is
    wrong."""

    id: int
    delivery_id: int
    name: str
    path: str
    revision: int
    seen: bool
    usable: bool
    trouble: bool
    disputed: list[Question]
    assumed: list[Question]


class Evidence(BaseModel):
    """How the evidence about all clips of a show stands; the rows themselves are asked for as they are drawn."""

    clips: list[EvidenceLine]


class EvidenceRowsAsked(BaseModel):
    """The clips whose evidence is to be drawn."""

    ids: Annotated[list[int], Field(max_length=MOST_ROWS)]


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


@router.get("/api/shows/{show_id}/evidence", response_model=Evidence)
def all_evidence(here: Here, show_id: ShowId) -> Response:
    """How the evidence about every clip of the show stands, proxies among them."""
    here.sources.look_after(show_id)
    return Json(here.boards.answer(show_id, "evidence", lambda board: evidence_of(board).model_dump_json().encode()))


@router.post("/api/shows/{show_id}/evidence/rows")
def evidence_rows(here: Here, show_id: ShowId, asked: EvidenceRowsAsked) -> list[EvidenceRow]:
    """Some clips with their verdicts; those that are no longer there are left out."""
    board = here.boards.some(show_id, asked.ids)
    with here.database.transaction() as connection:
        looked = looks.looks_at(connection, asked.ids)
    everything = board.everything
    proxies = proxies_of(board)
    return [
        _row(one.clip, looked.get(clip_id), everything, proxies.get(clip_id, []))
        for clip_id in asked.ids
        if (one := everything.get(clip_id))
    ]


def evidence_of(board: Board) -> Evidence:
    """How the evidence about every clip of a show stands, by delivery and name."""
    everything = board.everything
    proxies = proxies_of(board)
    order = sorted(
        everything.values(), key=lambda planned: (planned.clip.delivery_id, planned.clip.name, planned.clip.id)
    )
    return Evidence(clips=[_line(board, planned, everything, proxies.get(planned.clip.id, [])) for planned in order])


def proxies_of(board: Board) -> dict[int, list[Clip]]:
    """The proxies on a board by their original."""
    out: dict[int, list[Clip]] = {}
    for proxy in board.proxies.values():
        assert proxy.clip.proxy_of is not None
        out.setdefault(proxy.clip.proxy_of, []).append(proxy.clip)
    return out


@router.post("/api/shows/{show_id}/words")
def settle(here: Here, show_id: ShowId, asked: Settling) -> ChangedView:
    """Settle a question about clips, or confirm it as it stands."""
    value = parse_value(asked.question, asked.value) if asked.value is not None else None
    with _changing(here, show_id, asked.clips) as (connection, known):
        concerned = [clip for clip in known if value is not None or clip.verdicts[asked.question].value is not None]
        if not concerned:
            raise RuleError("There is no value to confirm. Enter one.", "value")
        name = question_name(asked.question)
        what = f"{name} {spoken(asked.question, value)}" if value is not None else f"{name} confirmed"
        said: dict[str, list[int]] = {}
        for clip in concerned:
            said.setdefault(value or clip.verdicts[asked.question].value or "", []).append(clip.id)
        for answer, ids in said.items():
            words.say(connection, ids, Word(asked.question, answer, here.person, asked.reason.strip()))
        return _entitled(connection, f"{what} for {_whom(concerned)}")


@router.post("/api/shows/{show_id}/words/confirm")
def confirm(here: Here, show_id: ShowId, asked: Confirming) -> ChangedView:
    """Confirm all that agrees: each verdict that has a value and that nothing speaks against."""
    with _changing(here, show_id, asked.clips) as (connection, known):
        agreeing = [
            (clip, found)
            for clip in known
            for found in clip.verdicts.values()
            if found.value is not None and found.state in (Certainty.AGREED, Certainty.ASSUMED)
        ]
        if not agreeing:
            raise RuleError("Everything that agrees here is already confirmed.", "value")
        said: dict[tuple[Question, str], list[int]] = {}
        for clip, found in agreeing:
            said.setdefault((found.question, found.value or ""), []).append(clip.id)
        for (question, answer), ids in said.items():
            words.say(connection, ids, Word(question, answer, here.person))
        return _entitled(connection, f"All that agrees confirmed for {_whom([clip for clip, _ in agreeing])}")


@router.post("/api/shows/{show_id}/words/withdraw")
def withdraw(here: Here, show_id: ShowId, asked: Withdrawing) -> ChangedView:
    """Take back what was settled; the evidence speaks again."""
    with _changing(here, show_id, asked.clips) as (connection, known):
        words.withdraw(connection, [clip.id for clip in known], asked.question)
        return _entitled(connection, f"{question_name(asked.question)} left to the evidence for {_whom(known)}")


@router.post("/api/shows/{show_id}/looks", status_code=204)
def look(here: Here, show_id: ShowId, asked: Looking) -> None:
    """Look at the pictures of clips, or again, whole where that is asked."""
    with here.database.transaction() as connection:
        ids = [clip.id for clip in clips.clips_in_show(connection, show_id, asked.clip_ids)]
        looks.ask_look(connection, ids, whole=asked.whole)
        here.queue.ask_look(connection, ids)


@router.post("/api/shows/{show_id}/looks/again", status_code=204)
def look_again(here: Here, show_id: ShowId, asked: Looking) -> None:
    """Look at files anew that have changed since: their rates, then their pictures. What is decided and said stays."""
    with here.database.transaction() as connection:
        ids = [clip.id for clip in clips.clips_in_show(connection, show_id, asked.clip_ids)]
        facts.probe_again(connection, ids)
        looks.forget(connection, ids)
        looks.ask_look(connection, ids, whole=False)
        here.queue.ask_probe(connection, ids)
        here.queue.ask_look(connection, ids)


@router.post("/api/shows/{show_id}/looks/stop", status_code=204)
def stop_looking(here: Here, show_id: ShowId, asked: Looking) -> None:
    """Stop looking at the pictures of clips; what was known before stays."""
    with here.database.transaction() as connection:
        ids = [clip.id for clip in clips.clips_in_show(connection, show_id, asked.clip_ids)]
        looks.stop_look(connection, ids)


def _line(board: Board, known: KnownClip, everything: Mapping[int, KnownClip], proxies: Sequence[Clip]) -> EvidenceLine:
    clip, states = known.clip, known.findings.states
    return EvidenceLine(
        id=clip.id,
        delivery_id=clip.delivery_id,
        name=board.distinct_name(clip),
        path=clip.path,
        revision=clip.revision,
        seen=known.facts is not None,
        usable=known.facts is not None and not known.facts.fault,
        trouble=any(_troubles(clip, _original(clip, everything), proxies)),
        disputed=[question for question, state in states.items() if state is Certainty.DISPUTED],
        assumed=[question for question, state in states.items() if state is Certainty.ASSUMED],
    )


def _original(clip: Clip, everything: Mapping[int, KnownClip]) -> Clip | None:
    found = everything.get(clip.proxy_of) if clip.proxy_of is not None else None
    return found.clip if found else None


def _row(
    clip: Clip, look: Examination | None, everything: Mapping[int, KnownClip], proxies: Sequence[Clip]
) -> EvidenceRow:
    found = list(clip.verdicts.values())
    original = _original(clip, everything)
    clip.forget()
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
        unsettled=any(verdict.value is not None and verdict.state is not Certainty.SETTLED for verdict in found),
        replaced=clip.replaced,
        troubles=list(_troubles(clip, original, proxies)),
    )


def _troubles(clip: Clip, original: Clip | None, proxies: Sequence[Clip]) -> Iterable[str]:
    if clip.replaced:
        yield CHANGED
    if clip.facts is not None:
        if clip.facts.fault and not clip.facts.only_sound:
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


@contextmanager
def _changing(here: Context, show_id: int, refs: Sequence[ClipRef]) -> Iterator[tuple[Connection, list[Clip]]]:
    """A change to clips of a show, as they stand within it; refused as a whole where one of them was changed since it
    was seen."""
    with change(here.database, show_id, "", here.person) as connection:
        clips.expect_revisions(connection, show_id, {ref.id: ref.revision for ref in refs})
        yield connection, clips.clips_in_show(connection, show_id, [ref.id for ref in refs])


def _entitled(connection: Connection, title: str) -> ChangedView:
    entitle(connection, title)
    return ChangedView(title=title)


def _whom(known: Sequence[Clip]) -> str:
    names = {clip.id: clip.name for clip in known}
    return next(iter(names.values())) if len(names) == 1 else f"{len(names)} clips"
