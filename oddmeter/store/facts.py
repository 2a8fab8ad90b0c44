"""Facts as they are stored: what the probe found about each clip."""

import zlib
from collections.abc import Iterable
from dataclasses import asdict
from fractions import Fraction
from typing import Any

from psycopg.rows import dict_row
from psycopg.types.json import Jsonb

from oddmeter.core.evidence.facts import Facts, Sound, Timing
from oddmeter.core.evidence.identity import Identity
from oddmeter.core.evidence.unevenness import ClockStretch, Unevenness
from oddmeter.core.numbers.clock import Clock
from oddmeter.core.numbers.frame_index import FrameIndex
from oddmeter.core.numbers.numerals import fraction_text
from oddmeter.core.numbers.sound_times import SoundRun, SoundTimes
from oddmeter.core.pictures.scan import FieldOrder, Scan
from oddmeter.core.pictures.turn import Turn
from oddmeter.store.database import Connection, fraction_from, rate_from


def keep_facts(connection: Connection, clip_id: int, facts: Facts) -> None:
    """Write down what the probe found."""
    connection.execute(
        "UPDATE clip_facts SET state = 'done', frames = %(frames)s, file_rate = %(file_rate)s, timing = %(timing)s,"
        " measured_rate = %(measured_rate)s, width = %(width)s, height = %(height)s, pixel_aspect = %(pixel_aspect)s,"
        " scan = %(scan)s, field_order = %(field_order)s, timecode = %(timecode)s, sounds = %(sounds)s,"
        " codec = %(codec)s,"
        " fault = %(fault)s, remarks = %(remarks)s, stated_rate = %(stated_rate)s,"
        " stream_rate = %(stream_rate)s, capture_rate = %(capture_rate)s,"
        " capture_key = %(capture_key)s, start_seconds = %(start)s, duplicates = %(duplicates)s, gaps = %(gaps)s,"
        " intervals = %(intervals)s, identity = %(identity)s, replaced = false, turn = %(turn)s,"
        " pixel_format = %(pixel_format)s, bits = %(bits)s, transfer = %(transfer)s,"
        " frame_index = %(index)s,"
        " clock = %(clock)s, clock_base = %(clock_base)s, uneven = %(uneven)s WHERE clip_id = %(clip_id)s",
        {
            "clip_id": clip_id,
            "frames": facts.frames,
            "file_rate": facts.file_rate.exact if facts.file_rate else None,
            "timing": facts.timing.value,
            "measured_rate": fraction_text(facts.measured_rate) if facts.measured_rate else None,
            "width": facts.width,
            "height": facts.height,
            "pixel_aspect": fraction_text(facts.pixel_aspect),
            "scan": facts.scan.value,
            "field_order": facts.field_order,
            "timecode": facts.timecode,
            "sounds": Jsonb([_sound_document(sound) for sound in facts.sounds]),
            "codec": facts.codec,
            "fault": facts.fault,
            "remarks": list(facts.remarks),
            "stated_rate": fraction_text(facts.stated_rate) if facts.stated_rate else None,
            "stream_rate": fraction_text(facts.stream_rate) if facts.stream_rate else None,
            "capture_rate": fraction_text(facts.capture_rate) if facts.capture_rate else None,
            "capture_key": facts.capture_key,
            "start": fraction_text(facts.start),
            "duplicates": facts.duplicates,
            "gaps": facts.gaps,
            "identity": Jsonb(asdict(facts.identity)) if facts.identity else None,
            "turn": facts.turn.value,
            "pixel_format": facts.pixel_format,
            "bits": facts.bits,
            "transfer": facts.transfer,
            "index": facts.index.packed if facts.index else None,
            "clock": zlib.compress(facts.clock.packed) if facts.clock else None,
            "clock_base": fraction_text(facts.clock.base) if facts.clock else None,
            "uneven": Jsonb(_uneven_document(facts.uneven)) if facts.uneven else None,
            "intervals": Jsonb([[fraction_text(length), count] for length, count in facts.intervals]),
        },
    )


def note_replaced(connection: Connection, clip_ids: Iterable[int], replaced: bool = True) -> None:
    """Write down that the files of these clips are no longer those that were looked at, or that they are again."""
    connection.execute(
        "UPDATE clip_facts SET replaced = %(now)s WHERE clip_id = ANY(%(ids)s) AND replaced <> %(now)s",
        {"now": replaced, "ids": list(clip_ids)},
    )


_IDENTIFIED = (
    "FROM clip_facts f JOIN clip c ON c.id = f.clip_id JOIN delivery d ON d.id = c.delivery_id"
    " WHERE d.show_id = %s AND NOT d.removed AND f.state = 'done' AND f.identity IS NOT NULL"
)


def identities(connection: Connection, show_id: int) -> list[tuple[int, str, str, Identity, bool]]:
    """For each clip of a show whose file was identified: its id, root and path, what identifies it, and whether it was
    found to be another file since."""
    with connection.cursor(row_factory=dict_row) as cursor:
        rows = cursor.execute(
            f"SELECT c.id, d.root, c.path, f.identity, f.replaced {_IDENTIFIED}".encode(),
            (show_id,),
        ).fetchall()
    return [(row["id"], row["root"], row["path"], Identity(**row["identity"]), row["replaced"]) for row in rows]


def identity_at(connection: Connection, show_id: int, root: str, path: str) -> Identity | None:
    """What identifies the file at a place in a show, where a clip is brought in from there."""
    row = connection.execute(
        f"SELECT f.identity {_IDENTIFIED} AND d.root = %s AND c.path = %s ORDER BY c.id DESC LIMIT 1".encode(),
        (show_id, root, path),
    ).fetchone()
    return None if row is None else Identity(**row[0])  # type: ignore[arg-type]


def identify_whole(connection: Connection, clip_id: int, identity: Identity) -> None:
    """Keep the hash of all of a file, where the clip still is that file."""
    connection.execute(
        "UPDATE clip_facts SET identity = %s WHERE clip_id = %s AND identity->>'samples' = %s",
        (Jsonb(asdict(identity)), clip_id, identity.samples),
    )


def probe_again(connection: Connection, clip_ids: Iterable[int]) -> None:
    """Put down that clips are to be probed anew; what is decided and said on them stays."""
    connection.execute(
        "UPDATE clip_facts SET state = 'waiting', replaced = false WHERE clip_id = ANY(%s)", (list(clip_ids),)
    )


def facts_from(row: dict[str, Any]) -> Facts:
    """A row of the table ``clip_facts`` as a value."""
    return Facts(
        frames=row["frames"],
        file_rate=rate_from(row["file_rate"]),
        timing=Timing(row["timing"]),
        measured_rate=fraction_from(row["measured_rate"]),
        width=row["width"],
        height=row["height"],
        pixel_aspect=Fraction(row["pixel_aspect"]),
        scan=Scan(row["scan"]),
        field_order=FieldOrder(row["field_order"]) if row["field_order"] else None,
        timecode=row["timecode"],
        sounds=tuple(_sound_from(sound) for sound in row["sounds"]),
        codec=row["codec"],
        fault=row["fault"],
        remarks=tuple(row["remarks"]),
        stated_rate=fraction_from(row["stated_rate"]),
        stream_rate=fraction_from(row["stream_rate"]),
        capture_rate=fraction_from(row["capture_rate"]),
        capture_key=row["capture_key"],
        start=Fraction(row["start_seconds"]),
        duplicates=row["duplicates"],
        gaps=row["gaps"],
        turn=Turn(row["turn"]),
        pixel_format=row["pixel_format"],
        bits=row["bits"],
        transfer=row["transfer"],
        identity=Identity(**row["identity"]) if row["identity"] else None,
        index=FrameIndex(bytes(row["frame_index"])) if row["frame_index"] else None,
        clock=Clock(zlib.decompress(row["clock"]), Fraction(row["clock_base"])) if row["clock"] else None,
        uneven=_uneven_from(row["uneven"]) if row["uneven"] else None,
        intervals=tuple((Fraction(length), count) for length, count in row["intervals"]),
    )


def _sound_document(sound: Sound) -> dict[str, Any]:
    times = sound.times
    stated = {
        "zero": fraction_text(times.zero) if times.zero is not None else None,
        "runs": [[fraction_text(run.begins), fraction_text(run.ends)] for run in times.runs],
        "rate": fraction_text(times.rate) if times.rate is not None else None,
        "moved": [fraction_text(seconds) for seconds in times.moved],
    }
    return asdict(sound) | {"seconds": fraction_text(sound.seconds), "times": stated}


def _sound_from(document: Any) -> Sound:
    stated = document.get("times") or {"zero": None, "runs": [], "rate": None, "moved": []}
    runs = tuple(SoundRun(Fraction(begins), Fraction(ends)) for begins, ends in stated["runs"])
    moved = tuple(Fraction(seconds) for seconds in stated["moved"])
    times = SoundTimes(fraction_from(stated["zero"]), runs, fraction_from(stated["rate"]), moved)
    return Sound(**document | {"seconds": Fraction(document["seconds"]), "times": times})


def _uneven_document(uneven: Unevenness) -> dict[str, Any]:
    stretches = [
        {"first": stretch.first, "last": stretch.last, "rate": fraction_text(stretch.rate),
         "standard": stretch.standard, "jitter": fraction_text(stretch.jitter)}
        for stretch in uneven.stretches
    ]  # fmt: skip
    return {"stretches": stretches, "twice": uneven.twice, "missing": uneven.missing, "changing": uneven.changing}


def _uneven_from(document: Any) -> Unevenness:
    stretches = tuple(
        ClockStretch(
            stretch["first"],
            stretch["last"],
            Fraction(stretch["rate"]),
            stretch["standard"],
            Fraction(stretch["jitter"]),
        )
        for stretch in document["stretches"]
    )
    return Unevenness(stretches, tuple(document["twice"]), tuple(document["missing"]), document["changing"])
