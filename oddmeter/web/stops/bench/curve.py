"""Speed along a shot on the Bench: the curve of a side, and one edit of it at a time."""

from collections.abc import Callable
from fractions import Fraction
from typing import Annotated, Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oddmeter.core.conform.edits import (
    drawn,
    even_speeds,
    frame_at,
    measure,
    measured,
    point_of,
    stepped,
    with_moment,
    with_point,
    with_segment,
    with_speed_steps,
    with_stretch,
    with_turn,
    without_point,
)
from oddmeter.core.conform.seeking import cut_frames
from oddmeter.core.conform.speeds import Conform
from oddmeter.core.decisions.curves import Curve, SpeedOf
from oddmeter.core.decisions.treatment import Intent
from oddmeter.core.numbers.axes import snapped
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import exact_percent_text, number_text, parse_signed
from oddmeter.core.planning.plans import Plan
from oddmeter.web.http.context import Context, Here
from oddmeter.web.looking import Token
from oddmeter.web.stops.bench.markers import markers_on
from oddmeter.web.stops.bench.music import moments_on
from oddmeter.web.stops.bench.sides import side_asked
from oddmeter.web.views.asked import IntentIn, ShowId, TreatmentIn
from oddmeter.web.views.music import beats_of
from oddmeter.web.views.values import LengthView, length_view

router = APIRouter(prefix="/api", tags=["bench"])


class PointView(BaseModel):
    """A point of a curve: its real source frame, the timeline frame at which it comes, the speeds with which it is
    reached and left, exact and in words, timeline frames for which its picture holds, the ease of both ends of the turn
    that begins at it, and the timeline frame that it is pinned to."""

    frame: int
    comes: float
    arrives: str
    arrives_words: str
    leaves: str
    leaves_words: str
    arrives_speed: float
    leaves_speed: float
    holds: int
    ease_begins: str
    ease_finishes: str
    at: int | None


class SpeedChoice(BaseModel):
    """A speed that is offered, exact and in words."""

    text: str
    words: str


class CurveView(BaseModel):
    """The curve of a side: its points, the text that keeps it, the slow floor, speeds at which
    frames fall evenly, and the factors of pinned sections in words. ``has`` is false where one speed holds
    throughout."""

    has: bool
    text: str
    of: SpeedOf
    points: list[PointView]
    floor: float
    floor_words: str
    even: list[SpeedChoice]
    scaled: list[str]


class CurveEdit(BaseModel):
    """One edit of the curve of a side, ``side`` being how that differs from what is planned. What is typed as
    ``text`` is a speed, ``40%``, ``x0.4``, ``-1/2``; frames, or for *fit* ``to`` a timeline frame; or an ease from
    0, soft, to 3. ``frame`` is a timeline frame, but for *move* a source frame; *carry* moves a point to the
    picture at a timeline frame, *place* puts a point on the source frame ``source`` and pins it to the timeline
    frame. With ``drawn``, a speed is
    one as the lane draws it, and goes to the nearest five per cent, as *faster* and *slower* do from a point on. Within
    ``snap`` timeline frames, what falls on a frame goes to the nearest beat, moment, marker, cut or
    other point of the side of that ``token``."""

    side: TreatmentIn = TreatmentIn()
    do: Literal[
        "point", "stretch", "fit", "move", "carry", "arrives", "leaves", "both", "segment", "holds", "ease", "pin",
        "unpin", "remove", "of", "place", "faster", "slower",
    ]  # fmt: skip
    number: Annotated[int | None, Field(ge=-1, le=1000)] = None
    frame: Annotated[int | None, Field(ge=0, le=1 << 31)] = None
    last: Annotated[int | None, Field(ge=0, le=1 << 31)] = None
    text: Annotated[str, Field(max_length=60)] = ""
    drawn: bool = False
    end: Literal["begin", "finish", "both"] = "both"
    source: Annotated[int | None, Field(ge=0, le=1 << 31)] = None
    snap: Annotated[int, Field(ge=0, le=10_000)] = 0
    token: Token | None = None


class CurveEdited(BaseModel):
    """What an edit makes: the treatment to take, the curve, its length before and after, and in words which points come
    at other timeline frames."""

    take: TreatmentIn
    curve: CurveView
    before: LengthView
    after: LengthView
    moved: list[str]


def curve_view(planned: Conform) -> CurveView:
    """The curve of a plan for the page; it is drawn, so floats will do where nothing is decided by them."""
    now = drawn(planned)
    floor_speed = planned.slow_floor / measure(planned)
    return CurveView(
        has=planned.treatment.curve is not None,
        text=str(now.curve),
        of=now.curve.of,
        points=[
            PointView(
                frame=point.frame or 0, comes=float(comes), arrives=number_text(point.arrives),
                arrives_words=exact_percent_text(point.arrives), leaves=number_text(point.leaves),
                leaves_words=exact_percent_text(point.leaves), arrives_speed=float(speeds[0]),
                leaves_speed=float(speeds[1]), holds=point.holds,
                ease_begins=number_text(point.ease[0]),
                ease_finishes=number_text(point.ease[1]), at=point.at,
            )
            for point, comes, speeds in zip(now.curve.points, now.comes, now.speeds, strict=True)
        ],
        floor=float(planned.slow_floor),
        floor_words=exact_percent_text(floor_speed),
        even=[SpeedChoice(text=number_text(speed), words=exact_percent_text(speed)) for speed in even_speeds(planned)],
        scaled=[
            f"speeds from {'the in point' if change.from_point == 0 else f'point {change.from_point + 1}'} to point"
            f" {change.to_point + 1} × {number_text(change.by)}"
            for change in planned.scaled
        ],
    )  # fmt: skip


@router.post("/shows/{show_id}/bench/{clip_id}/curve", response_model_exclude_unset=True)
def edit_curve(here: Here, show_id: ShowId, clip_id: int, asked: CurveEdit) -> CurveEdited:
    """An edit of a side's curve worked out; nothing is kept by it."""
    board = here.boards.open(show_id)
    row = board.some([clip_id], board.timeline())[0]
    before = side_asked(here, board, row, asked.side)
    curve = _edited(before, asked.model_copy(update={"frame": _snapped(here, show_id, before, asked)}))
    take = asked.side.model_copy(update={"intent": IntentIn(intent=Intent.CURVE, value=str(curve))})
    after = side_asked(here, board, row, TreatmentIn.model_validate(take.model_dump(exclude_unset=True)))
    return CurveEdited(
        take=take,
        curve=curve_view(after.conformed),
        before=length_view(before.after, before.timeline),
        after=length_view(after.after, after.timeline),
        moved=_moved(before.conformed, after.conformed),
    )


def _snapped(here: Context, show_id: int, plan: Plan, asked: CurveEdit) -> int | None:
    """The timeline frame that is asked for, or the nearest one on which something falls."""
    if asked.frame is None or not asked.snap or asked.token is None or asked.do not in ("point", "carry", "pin"):
        return asked.frame
    viewed, frame = here.looking.side(asked.token).viewed, asked.frame
    spots = {moment.comes for moment in moments_on(here, asked.token, at_once=True)}
    spots |= {marker.comes for marker in markers_on(here, plan.known.clip.id, asked.token)}
    spots |= set(cut_frames(viewed.planned, sorted(viewed.cuts)))
    points = drawn(plan.conformed).comes if plan.conformed.treatment.curve else ()
    spots |= {round(comes) for number, comes in enumerate(points) if number != asked.number}
    if music := plan.conformed.treatment.music:
        spots |= {round(music.place(beat, plan.timeline.settings.rate)) for beat in beats_of(here, show_id, music)[0]}
    return snapped(frame, spots, asked.snap)


def _edited(plan: Plan, asked: CurveEdit) -> Curve:
    return _EDITS[asked.do](plan.conformed, asked)


def _eased(planned: Conform, asked: CurveEdit) -> Curve:
    number, value = _given(asked.number), parse_signed(asked.text)
    begin, finish = point_of(drawn(planned).curve, number).ease
    ease = (value if asked.end != "finish" else begin, value if asked.end != "begin" else finish)
    return with_turn(planned, number, ease=ease)


def _speed_of(text: str) -> SpeedOf:
    if text not in {measure.value for measure in SpeedOf}:
        raise RuleError(f"A curve sets {' or '.join(measure.value for measure in SpeedOf)}, not “{text}”.", "curve")
    return SpeedOf(text)


def _speed(planned: Conform, asked: CurveEdit) -> Fraction:
    """The speed that was typed, or that stands in the lane where it was dragged to."""
    speed = parse_signed(asked.text)
    return stepped(planned, speed) if asked.drawn else speed


def _sped(*names: str) -> Callable[[Conform, CurveEdit], Curve]:
    def edit(planned: Conform, asked: CurveEdit) -> Curve:
        return with_turn(planned, _given(asked.number), **dict.fromkeys(names, _speed(planned, asked)))

    return edit


_EDITS: dict[str, Callable[[Conform, CurveEdit], Curve]] = {
    "point": lambda planned, asked: with_point(planned, _given(asked.frame)),
    "stretch": lambda planned, asked: with_stretch(
        planned, _given(asked.frame), _given(asked.last), parse_signed(asked.text)
    ),
    "fit": lambda planned, asked: with_stretch(planned, _given(asked.frame), _given(asked.last), None, _fitted(asked)),
    "segment": lambda planned, asked: with_segment(planned, _given(asked.number), _speed(planned, asked)),
    "of": lambda planned, asked: measured(planned, _speed_of(asked.text)),
    "remove": lambda planned, asked: without_point(planned, _given(asked.number)),
    "move": lambda planned, asked: with_turn(planned, _given(asked.number), frame=_given(asked.frame)),
    "carry": lambda planned, asked: with_turn(
        planned, _given(asked.number), frame=frame_at(planned, _given(asked.frame))
    ),
    "place": lambda planned, asked: with_moment(planned, _given(asked.source), asked.frame),
    "holds": lambda planned, asked: with_turn(planned, _given(asked.number), holds=_count(asked.text)),
    "pin": lambda planned, asked: with_turn(planned, _given(asked.number), at=_given(asked.frame)),
    "unpin": lambda planned, asked: with_turn(planned, _given(asked.number), at=None),
    "ease": _eased,
    "faster": lambda planned, asked: with_speed_steps(planned, _given(asked.number), 1),
    "slower": lambda planned, asked: with_speed_steps(planned, _given(asked.number), -1),
    "arrives": _sped("arrives"),
    "leaves": _sped("leaves"),
    "both": _sped("arrives", "leaves"),
}


def _moved(before: Conform, after: Conform) -> list[str]:
    """Which points that were there come at other timeline frames, and by how many."""
    earlier, later = drawn(before), drawn(after)
    was = {point.frame: comes for point, comes in zip(earlier.curve.points, earlier.comes, strict=True)}
    out = []
    for number, (point, comes) in enumerate(zip(later.curve.points, later.comes, strict=True)):
        shift = comes - was.get(point.frame, comes)
        if abs(shift) >= Fraction(1, 2):
            frames = round(shift)
            out.append(f"point {number + 1} {'+' if frames > 0 else '−'}{abs(frames)}")
    return out


def _given(value: int | None) -> int:
    if value is None:
        raise RuleError("This edit needs a frame or a point number.", "curve")
    return value


def _fitted(asked: CurveEdit) -> int:
    """The frames that a stretch shall fill: so many, or ``to 78``, up to that timeline frame."""
    typed = asked.text.strip().lower()
    if not typed.startswith("to"):
        return _count(asked.text)
    frames = _count(typed.removeprefix("to")) - _given(asked.frame)
    if frames < 1:
        raise RuleError("The range would end before it begins.", "curve")
    return frames


def _count(text: str) -> int:
    typed = text.strip().removesuffix("f").strip()
    if not typed.isdecimal() or len(typed) > 9:
        raise RuleError(f"“{text.strip()}” is not a number of frames.", "curve")
    return int(typed)
