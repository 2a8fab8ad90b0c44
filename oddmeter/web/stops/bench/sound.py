"""The sound of a side of the Bench: to hear, as it will be made, and to see."""

from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response
from pydantic import BaseModel

from oddmeter.web.http.context import Here
from oddmeter.web.looking import Token
from oddmeter.web.views.values import FOREVER, Wav

router = APIRouter(prefix="/api", tags=["bench"])

_MOST_AT_ONCE = 600


class PeaksView(BaseModel):
    """A window of sound to draw: for each column its lowest and highest sample, of 127, and how much of the file had
    been read for it, in per cent."""

    low: list[int]
    high: list[int]
    percent: int


@router.get("/bench/{token}/sound", response_class=Wav)
def sound(
    here: Here, token: Token, first: Annotated[int, Query(ge=0)], count: Annotated[int, Query(ge=1, le=_MOST_AT_ONCE)],
    stream: Annotated[int, Query(ge=0)] = 0,
) -> Response:  # fmt: skip
    """The sound of consecutive timeline frames, exactly as it will be made."""
    return Wav(here.looking.wav(token, stream, first, count), headers=FOREVER)


@router.get("/bench/{token}/peaks")
def peaks(
    here: Here, token: Token, first: Annotated[int, Query(ge=0)], last: Annotated[int, Query(ge=0)],
    columns: Annotated[int, Query(ge=10, le=4000)] = 600, stream: Annotated[int, Query(ge=0)] = 0,
) -> PeaksView:  # fmt: skip
    """How loud a window of timeline frames is, ``last`` included, in so many columns."""
    end = here.looking.side(token).viewed.planned.frame_map.length - 1
    first, last = min(first, end), max(min(first, end), min(last, end))
    found = here.looking.peaks(token, stream, first, last, columns)
    return PeaksView(low=found.low, high=found.high, percent=found.percent)
