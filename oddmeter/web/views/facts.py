"""Facts as the page shows them."""

from fractions import Fraction

from pydantic import BaseModel

from oddmeter.core.evidence.facts import Facts, Sound, Timing
from oddmeter.core.numbers.numerals import decimal_text, fixed_text, number_text
from oddmeter.core.pictures.scan import Scan
from oddmeter.core.pictures.turn import Turn
from oddmeter.web.views.values import RateView, rate_view


class FactsView(BaseModel):
    """What is known of a file: measured, and settled where people did."""

    frames: int
    file_rate: RateView | None
    timing: Timing
    measured_rate: str | None
    raster: str
    turn: str | None
    depth: str
    pixel_aspect: str
    scan: str
    timecode: str | None
    sound: str | None
    length: str | None
    codec: str
    fault: str | None
    remarks: list[str]


def facts_view(facts: Facts) -> FactsView:
    """Facts for the page."""
    seconds = facts.lasts
    scans = {Scan.PROGRESSIVE: "progressive", Scan.UNKNOWN: "not stated", Scan.INTERLACED: "interlaced"}
    scan = scans[facts.scan] + (f", {facts.field_order}" if facts.field_order else "")
    return FactsView(
        frames=facts.frames,
        file_rate=rate_view(facts.file_rate) if facts.file_rate else None,
        timing=facts.timing,
        measured_rate=decimal_text(facts.measured_rate, 3) if facts.measured_rate else None,
        raster=f"{facts.width} × {facts.height}" if facts.width else "",
        turn=facts.turn.value if facts.turn is not Turn.NONE else None,
        depth=f"{facts.bits} bit{f', {facts.transfer}' if facts.transfer else ''}" if facts.bits else "",
        pixel_aspect=number_text(facts.pixel_aspect),
        scan=scan,
        timecode=facts.timecode,
        sound=_sounds_words(facts.sounds) if facts.sounds else None,
        length=f"{fixed_text(seconds, 2)} s" if seconds is not None else None,
        codec=facts.codec,
        fault=facts.fault,
        remarks=list(facts.remarks),
    )


def _sounds_words(sounds: tuple[Sound, ...]) -> str:
    """Each sound stream: its samples a second and its channels, ``48 kHz × 2``."""
    return ", ".join(f"{decimal_text(Fraction(sound.sample_rate, 1000), 1)} kHz × {sound.channels}" for sound in sounds)
