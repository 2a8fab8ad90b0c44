"""Music beside a clip on the Bench: which, where it starts, its beats; and the moments that fall on them."""

from collections.abc import Callable
from fractions import Fraction
from typing import Annotated, Literal

from fastapi import APIRouter
from pydantic import BaseModel, BeforeValidator, Field

from oddmeter.core.decisions.music import (
    NO_MUSIC,
    Music,
    MusicBeats,
    doubled,
    halved,
    nearest_beat,
    tapped,
    tempo,
    with_beat,
    with_moved_beat,
    without_beat,
)
from oddmeter.core.decisions.parts import Part
from oddmeter.core.decisions.treatment import Intent
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import decimal_text
from oddmeter.core.numbers.timecode import parse_length
from oddmeter.core.planning.plans import Plan
from oddmeter.media.analysis.moments import MomentKind
from oddmeter.store.changes import change
from oddmeter.store.decisions import forget_beats, keep_beats
from oddmeter.web.http.context import Context, Here
from oddmeter.web.looking import Token
from oddmeter.web.stops.bench.sides import comes_at, side_asked
from oddmeter.web.views.asked import IntentIn, ShowId, TreatmentIn
from oddmeter.web.views.music import beats_of

router = APIRouter(prefix="/api", tags=["bench"])


class MusicChoice(BaseModel):
    """A file of the show with sound, which can be music beside a clip."""

    root: str
    path: str
    name: str
    only_sound: bool


class BeatsView(BaseModel):
    """The music beside a side: its file, where it starts and fades, its tempo, and its beats, each at the nearest
    timeline frame; ``ends`` is the frame after its last one. ``changed`` where people have changed what was found."""

    name: str
    start: int
    fade: int
    tempo: str
    beats: list[int]
    first_beat: int | None
    ends: int
    changed: bool


class MusicEdit(BaseModel):
    """One edit of the music beside a side, ``side`` being how that differs from what is planned. *choose* takes
    ``root`` and ``path``, *start* the timeline frame on which the music begins, *first-beat* that on which its first
    beat falls; ``text`` is a fade in frames. *end-here* and *end-with-music* fit the clip to a length."""

    side: TreatmentIn = TreatmentIn()
    do: Annotated[
        Literal["choose", "start", "first-beat", "fade", "off", "end-here", "end-with-music"],
        BeforeValidator(lambda do: "first-beat" if do == "first-stroke" else do),
    ]
    root: Annotated[str, Field(max_length=200)] = ""
    path: Annotated[str, Field(max_length=4000)] = ""
    frame: Annotated[int, Field(ge=-(1 << 31), le=1 << 31)] = 0
    text: Annotated[str, Field(max_length=60)] = ""


class MusicEdited(BaseModel):
    """The treatment that an edit makes."""

    take: TreatmentIn


class BeatEdit(BaseModel):
    """One edit of the beats of the music beside a side. ``frame`` and ``to`` are timeline frames: *move* takes the
    beat nearest to one to the other, *add* and *remove* put one down and take the nearest away; *tap* puts down
    beats at ``taps``, exact timeline frames as decimals."""

    side: TreatmentIn = TreatmentIn()
    do: Literal["move", "add", "remove", "halve", "double", "tap", "find"]
    frame: Annotated[int, Field(ge=-(1 << 31), le=1 << 31)] = 0
    to: Annotated[int, Field(ge=-(1 << 31), le=1 << 31)] = 0
    taps: Annotated[list[Annotated[str, Field(pattern=r"^-?\d{1,9}(\.\d{1,6})?$")]], Field(max_length=5000)] = []


class ActionView(BaseModel):
    """A moment of the action: its source frame, the timeline frame that first shows it, and what happens."""

    frame: int
    comes: int
    kind: MomentKind


@router.get("/shows/{show_id}/music")
def list_music(here: Here, show_id: ShowId) -> list[MusicChoice]:
    """Every file of the show that has sound, those that are nothing else first."""
    board = here.boards.open(show_id)
    found = [
        MusicChoice(root=clip.root, path=clip.path, name=board.distinct_name(clip), only_sound=not clip.facts.usable)
        for clip in (row.clip for row in board.rows(board.timeline()).values())
        if clip.facts is not None and clip.facts.sounds
    ]
    return sorted(found, key=lambda piece: (not piece.only_sound, piece.name))


@router.post("/shows/{show_id}/bench/{clip_id}/music", response_model_exclude_unset=True)
def edit_music(here: Here, show_id: ShowId, clip_id: int, asked: MusicEdit) -> MusicEdited:
    """An edit of a side's music worked out; nothing is kept by it."""
    plan = _plan(here, show_id, clip_id, asked.side)
    music, take = plan.conformed.treatment.music, asked.side
    if asked.do in ("end-here", "end-with-music"):
        frames = asked.frame
        if asked.do == "end-with-music":
            frames = _ends(here, plan, _known(music))
        if frames < 1:
            raise RuleError("The clip would have no length. Choose a later frame.", "music")
        return MusicEdited(take=take.model_copy(update={"intent": IntentIn(intent=Intent.FIT, value=f"{frames}f")}))
    made = _edited(here, plan, music, asked)
    return MusicEdited(take=take.model_copy(update={"set": {**take.set, Part.MUSIC: str(made)}}))


@router.post("/shows/{show_id}/bench/{clip_id}/strokes", include_in_schema=False)  # as it was called before
@router.post("/shows/{show_id}/bench/{clip_id}/beats")
def find_beats(here: Here, show_id: ShowId, clip_id: int, side: TreatmentIn) -> BeatsView:
    """The music beside a side with its beats."""
    plan = _plan(here, show_id, clip_id, side)
    return _view(here, plan, _known(plan.conformed.treatment.music))


@router.post("/shows/{show_id}/bench/{clip_id}/strokes/edit", include_in_schema=False)
@router.post("/shows/{show_id}/bench/{clip_id}/beats/edit")
def edit_beats(here: Here, show_id: ShowId, clip_id: int, asked: BeatEdit) -> BeatsView:
    """Change the beats of the music beside a side; it can be undone like any change."""
    plan = _plan(here, show_id, clip_id, asked.side)
    music = _known(plan.conformed.treatment.music)
    beats, _ = beats_of(here, show_id, music)
    made = _EDITS[asked.do](plan, music, beats, asked)
    title = f"Beats of {music.name}: {_TITLES[asked.do]}"
    with change(here.database, show_id, title, here.person) as connection:
        if made is None:
            forget_beats(connection, show_id, music)
        else:
            keep_beats(connection, show_id, music, made)
    return _view(here, plan, music)


@router.get("/bench/{token}/moments")
def find_moments(here: Here, token: Token) -> list[ActionView]:
    """The moments of the action that come on the timeline of a side."""
    return moments_on(here, token)


def moments_on(here: Context, token: Token, *, at_once: bool = False) -> list[ActionView]:
    """The moments of a side's clip, in the order in which they come; ``at_once`` those that are known by now."""
    planned = here.looking.side(token).viewed.planned
    found = [(moment, comes_at(planned, moment.frame)) for moment in here.looking.moments(token, at_once=at_once)]
    out = [
        ActionView(frame=moment.frame, comes=comes, kind=moment.kind) for moment, comes in found if comes is not None
    ]
    return sorted(out, key=lambda moment: (moment.comes, moment.frame))


def _plan(here: Context, show_id: int, clip_id: int, side: TreatmentIn) -> Plan:
    board = here.boards.open(show_id)
    return side_asked(here, board, board.some([clip_id], board.timeline())[0], side)


def _known(music: Music) -> Music:
    if not music:
        raise RuleError("No music has been added to this clip yet.", "music")
    return music


def _edited(here: Context, plan: Plan, music: Music, asked: MusicEdit) -> Music:
    rate = plan.timeline.settings.rate
    if asked.do == "off":
        return NO_MUSIC
    if asked.do == "choose":
        here.config.footage(asked.root, asked.path)
        return Music(asked.root, asked.path, music.start, music.fade)
    music = _known(music)
    if asked.do == "fade":
        fade = parse_length(asked.text, rate, plan.timeline.settings.drop_frame) if asked.text.strip() != "0" else 0
        return Music(music.root, music.path, music.start, fade)
    if asked.do == "start":
        return Music(music.root, music.path, asked.frame, music.fade)
    beats, _ = beats_of(here, plan.known.clip.show_id, music)
    nearest_beat(beats, Fraction(0))
    start = asked.frame - round(beats[0] * rate.value)
    return Music(music.root, music.path, start, music.fade)


def _view(here: Context, plan: Plan, music: Music) -> BeatsView:
    rate = plan.timeline.settings.rate
    beats, changed = beats_of(here, plan.known.clip.show_id, music)
    speed = tempo(beats)
    frames = [round(music.place(beat, rate)) for beat in beats]
    return BeatsView(
        name=music.name,
        start=music.start,
        fade=music.fade,
        tempo=decimal_text(speed, 1) if speed else "",
        beats=frames,
        first_beat=frames[0] if frames else None,
        ends=_ends(here, plan, music),
        changed=changed,
    )


def _ends(here: Context, plan: Plan, music: Music) -> int:
    """The timeline frame at which the music has ended."""
    rate = plan.timeline.settings.rate
    lasts = here.looking.sound_seconds(here.config.footage(music.root, music.path))
    return -int(-music.place(lasts, rate) // 1)


_EDITS: dict[str, Callable[[Plan, Music, MusicBeats, BeatEdit], MusicBeats | None]] = {
    "move": lambda plan, music, beats, asked: with_moved_beat(
        beats, nearest_beat(beats, _second(plan, music, asked.frame)), _second(plan, music, asked.to)
    ),
    "add": lambda plan, music, beats, asked: with_beat(beats, _second(plan, music, asked.frame)),
    "remove": lambda plan, music, beats, asked: without_beat(
        beats, nearest_beat(beats, _second(plan, music, asked.frame))
    ),
    "halve": lambda plan, music, beats, asked: halved(beats),
    "double": lambda plan, music, beats, asked: doubled(beats),
    "tap": lambda plan, music, beats, asked: tapped(
        beats, [music.second(Fraction(tap), plan.timeline.settings.rate) for tap in asked.taps]
    ),
    "find": lambda plan, music, beats, asked: None,
}
_TITLES = {
    "move": "one moved", "add": "one added", "remove": "one taken out", "halve": "every other one",
    "double": "twice as many", "tap": "tapped", "find": "found again",
}  # fmt: skip


def _second(plan: Plan, music: Music, frame: int) -> Fraction:
    return music.second(Fraction(frame), plan.timeline.settings.rate)
