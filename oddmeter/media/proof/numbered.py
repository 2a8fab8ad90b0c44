"""Folders of numbered pictures, compared with their plan: every number is there, and the rate, the timecode and the
samples are said as they were planned."""

import struct
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

from av.video.frame import VideoFrame

from oddmeter.core.conform.proof import Check
from oddmeter.core.evidence.facts import Facts, Timing
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import Scan
from oddmeter.media.files.opened import opened, pictures_in
from oddmeter.media.files.sequence import sequence
from oddmeter.media.plans import FilePlan, first_number
from oddmeter.media.writing.numbered import after, digits_of, sidecar_in


def with_sidecar(made: Facts, folder: Path) -> Facts:
    """The facts of a sequence with the rate, the timecode and the pixel shape that are said beside its pictures."""
    said = sidecar_in(folder)
    try:
        rate, aspect = Rate(Fraction(str(said["rate"]))), Fraction(str(said["pixel_aspect"]))
    except (KeyError, ValueError, ZeroDivisionError):
        return made
    return replace(
        made, file_rate=rate, timecode=str(said.get("timecode") or ""), pixel_aspect=aspect, timing=Timing.CONSTANT,
        scan=Scan.PROGRESSIVE,
    )  # fmt: skip


def numbered_checks(plan: FilePlan, made: Facts, stored: str, like: VideoFrame) -> list[Check]:
    """Checks of numbers, codec and samples, and of the headers of DPX."""
    found, first = sequence(plan.opened_as), first_number(plan)
    last = first + plan.length - 1
    there = f"{found.numbers[0]} to {found.numbers[-1]}" if found.numbers else "none"
    if found.missing:
        there += f", {sum(b - a + 1 for a, b in found.missing)} missing"
    own = {file.name for file in plan.out.iterdir() if file.suffix == plan.setting.codec.suffix}
    extra = own - {file.name for file in found.files}
    checks = [
        Check.of_equal("numbers", f"{first} to {last}", there),
        Check.of_equal("other pictures", "none", ", ".join(sorted(extra)[:3]) or "none"),
    ]
    with opened(found.files[0]) as container:
        video = pictures_in(container)
        codec = video.codec_context.codec.canonical_name if video is not None else "none"
    checks += [
        Check.of_equal("codec", plan.setting.codec.encoder, codec),
        Check.of_equal("samples", plan.encoding.read_as(stored), made.pixel_format),
    ]
    if plan.setting.codec.name == "dpx":
        heads = [head_of(file) for file in (found.files[0], found.files[-1])]
        rate, timed = float(plan.rate.value), plan.setting.timecode
        wanted = [
            _head_words(number, rate, f"{digits_of(after(plan.start, number)):08x}" if timed else "ffffffff")
            for number in (0, plan.length - 1)
        ]
        stated = [_head_words(head["place"], head["rate"], head["timecode"]) for head in heads]
        checks.append(Check.of_equal("headers, first and last", " and ".join(wanted), " and ".join(stated)))
    return checks


def _head_words(place: int, rate: float, timecode: str) -> str:
    return f"place {place} at {rate:.3f}, timecode {timecode}"


def head_of(file: Path) -> dict[str, Any]:
    """The place in its sequence, the rate and the timecode, as eight digits, that the headers of a DPX picture hold."""
    data = file.read_bytes()[:2048]
    order = ">" if data[:4] == b"SDPX" else "<"
    (place,) = struct.unpack_from(f"{order}I", data, 1712)
    (timecode,) = struct.unpack_from(f"{order}I", data, 1920)
    (rate,) = struct.unpack_from(f"{order}f", data, 1940)
    return {"place": place, "rate": rate, "timecode": f"{timecode:08x}"}
