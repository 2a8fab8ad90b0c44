"""Deliveries and their clips: what came in, what is known of each, and what is decided on it."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property
from typing import Any

from psycopg.rows import dict_row
from psycopg.types.json import Jsonb

from oddmeter.core.claims import Word, claims_of, life_rate
from oddmeter.core.decisions import Decisions
from oddmeter.core.errors import RuleError
from oddmeter.core.evidence import Question, Verdict, verdicts
from oddmeter.core.facts import Facts, Scan, Sound, Timing
from oddmeter.core.logs import LogEntry
from oddmeter.core.picture import PictureReport
from oddmeter.core.proxies import pairs
from oddmeter.core.rates import Rate, fraction_text
from oddmeter.core.standing import Standing, settled, standing
from oddmeter.store.changes import ConflictError, MissingError, aside, last_person
from oddmeter.store.database import Connection, fraction_in, rate_in
from oddmeter.store.evidence import matched, report_in


@dataclass(frozen=True)
class Delivery:
    """A batch of footage: where it lies, and how far the probing has come."""

    id: int
    name: str
    root: str
    folder: str
    clips: int
    probed: int
    troubled: int


@dataclass(frozen=True)
class Decided:
    """What people decided on one clip itself: ``decisions``, those for one timeline alone in ``uses``, by its id, the
    recipe that was put on it, tags and a note; what holds is worked out with the levels above."""

    decisions: Decisions = field(default_factory=Decisions)
    recipe_id: int | None = None
    uses: Mapping[int, Decisions] = field(default_factory=dict)
    tags: frozenset[str] = frozenset()
    note: str = ""


@dataclass(frozen=True)
class Clip:
    """One file, or numbered sequence, with all that is known and decided.

    ``measured`` is what the probe found, None until it has; ``picture`` what the pictures show, None until they
    were looked at; ``entries`` are rows of reports; ``words`` what people settled. ``proxy_of`` is the clip that
    this one stands for, ``proxies`` how many stand for it. ``revision`` rises whenever a person changes the clip, its
    treatment or what is settled.
    """

    id: int
    delivery_id: int
    root: str
    path: str
    name: str
    measured: Facts | None
    picture: PictureReport | None
    entries: tuple[LogEntry, ...]
    words: tuple[Word, ...]
    decided: Decided
    revision: int
    show_id: int
    proxy_of: int | None
    proxies: int

    @cached_property
    def verdicts(self) -> dict[Question, Verdict]:
        """What is taken as true, and why."""
        return verdicts(claims_of(self.name, self.measured, self.picture, self.entries, self.words))

    @cached_property
    def facts(self) -> Facts | None:
        """The facts as the verdicts have them: rate, scan and field order."""
        facts = self.measured
        if facts is None or facts.fault is not None:
            return facts
        return settled(facts, self.verdicts)

    def forget(self) -> None:
        """Let go of the claims once they are reckoned with; they are drawn up again where they are asked for."""
        self.__dict__.pop("verdicts", None)

    @cached_property
    def standing(self) -> Standing:
        """The verdicts in short."""
        return standing(self.verdicts, self.facts, self.picture, self.motion_rate)

    @property
    def shot_rate(self) -> Rate | None:
        """The rate at which the camera or the film ran, as far as it is known."""
        return self.verdicts[Question.SHOT_RATE].rate

    @property
    def motion_rate(self) -> Rate | None:
        """The shot rate counted in frames of the file: where these carry pulldown or repeats, which are still in
        them, more frames pass in a second of life than pictures were taken."""
        shot, facts = self.shot_rate, self.facts
        if shot is None or facts is None or facts.file_rate is None or self.picture is None:
            return shot
        own = life_rate(self.picture, facts)
        return shot if own is None else Rate(shot.value * facts.file_rate.value / own.value)


_DECIDED = """t.decisions, t.recipe_id, t.note,
           (SELECT jsonb_object_agg(u.timeline_id, u.decisions) FROM clip_use u WHERE u.clip_id = c.id) AS uses,
           (SELECT array_agg(g.name) FROM clip_tag ct JOIN tag g ON g.id = ct.tag_id WHERE ct.clip_id = c.id) AS tags"""
CLIPS = f"""
    SELECT c.id, c.delivery_id, d.root, d.show_id, c.path, c.name, c.proxy_of, c.revision + t.revision AS revision,
           f.*, p.report, {_DECIDED},
           (SELECT jsonb_agg(to_jsonb(w)) FROM word w WHERE w.clip_id = c.id) AS words,
           (SELECT count(*) FROM clip x WHERE x.proxy_of = c.id) AS proxies
    FROM clip c
    JOIN delivery d ON d.id = c.delivery_id
    JOIN clip_facts f ON f.clip_id = c.id
    JOIN treatment t ON t.id = c.id
    LEFT JOIN picture p ON p.clip_id = c.id
"""


def deliveries(connection: Connection, show_id: int) -> list[Delivery]:
    """The deliveries of a show in the order they came in, without those taken back."""
    with connection.cursor(row_factory=dict_row) as cursor:
        rows = cursor.execute(
            "SELECT d.id, d.name, d.root, d.folder, count(c.id) AS clips,"
            " count(*) FILTER (WHERE f.state = 'done') AS probed,"
            " count(*) FILTER (WHERE f.fault IS NOT NULL OR cardinality(f.remarks) > 0) AS troubled"
            " FROM delivery d LEFT JOIN clip c ON c.delivery_id = d.id LEFT JOIN clip_facts f ON f.clip_id = c.id"
            " WHERE d.show_id = %s AND NOT d.removed GROUP BY d.id ORDER BY d.id",
            (show_id,),
        ).fetchall()
    return [Delivery(**row) for row in rows]


def clips_of_show(connection: Connection, show_id: int, *, proxies: bool = False) -> list[Clip]:
    """All clips of a show, grouped by delivery and in order of name; proxies, which follow their originals in
    everything, only where they are asked for."""
    where = "WHERE d.show_id = %s AND NOT d.removed AND (c.proxy_of IS NULL OR %s) ORDER BY d.id, c.name, c.id"
    return _clips(connection, where, (show_id, proxies))


def clips_by_id(connection: Connection, ids: Iterable[int], *, even_removed: bool = False) -> list[Clip]:
    """The clips with these ids; raises ``MissingError`` where one is not there.

    Clips of a delivery that was taken out count as not there, unless ``even_removed``.
    """
    wanted = list(dict.fromkeys(ids))
    where = "WHERE c.id = ANY(%s) AND (NOT d.removed OR %s) ORDER BY d.id, c.name, c.id"
    found = _clips(connection, where, (wanted, even_removed))
    if len(found) != len(wanted):
        raise MissingError("A clip")
    return found


def clips_if_there(connection: Connection, clip_id: int) -> Clip | None:
    """The clip with this id, even of a delivery that was taken out; None where there is none."""
    found = _clips(connection, "WHERE c.id = %s", (clip_id,))
    return found[0] if found else None


STAMPS = """
    SELECT c.id, f.xmin::text || ' ' || coalesce(p.xmin::text, '') || coalesce(w.stamp, ''),
           c.xmin::text || ' ' || t.xmin::text
    FROM clip c
    JOIN delivery d ON d.id = c.delivery_id
    JOIN treatment t ON t.id = c.id
    JOIN clip_facts f ON f.clip_id = c.id
    LEFT JOIN picture p ON p.clip_id = c.id
    LEFT JOIN (SELECT clip_id, string_agg(' ' || id || ':' || xmin::text, '' ORDER BY id) AS stamp
               FROM word GROUP BY clip_id) w ON w.clip_id = c.id
    WHERE d.show_id = %s AND NOT d.removed AND c.proxy_of IS NULL ORDER BY d.id, c.name, c.id
"""


@dataclass(frozen=True)
class Stamps:
    """Which transactions wrote last what is known of each clip, and what is decided on it, by clip in the order of the
    ledger; and the same for the show's reports."""

    known: Mapping[int, str]
    decided: Mapping[int, str]
    reports: str


def stamps(connection: Connection, show_id: int) -> Stamps:
    """The stamps of a show's clips, without proxies."""
    rows = connection.execute(STAMPS, (show_id,)).fetchall()
    reports = connection.execute(
        "SELECT string_agg(id || ' ' || xmin::text, ' ' ORDER BY id) FROM log_report WHERE show_id = %s", (show_id,)
    ).fetchone()
    ids = [int(str(row[0])) for row in rows]
    known, decided = (dict(zip(ids, (str(row[i]) for row in rows), strict=True)) for i in (1, 2))
    return Stamps(known, decided, str(reports))


def decided(connection: Connection, ids: Iterable[int]) -> dict[int, tuple[Decided, int]]:
    """What is decided on these clips, and the revision each is at."""
    with connection.cursor(row_factory=dict_row) as cursor:
        rows = cursor.execute(
            f"SELECT c.id, c.revision + t.revision AS revision, {_DECIDED} FROM clip c"
            " JOIN treatment t ON t.id = c.id WHERE c.id = ANY(%s)".encode(),
            (list(ids),),
        ).fetchall()
    return {row["id"]: (_decided(row), row["revision"]) for row in rows}


def place(connection: Connection, clip_id: int) -> tuple[str, str] | None:
    """The root and the path of a clip, even where it was taken out; None where there is none."""
    row = connection.execute(
        "SELECT d.root, c.path FROM clip c JOIN delivery d ON d.id = c.delivery_id WHERE c.id = %s", (clip_id,)
    ).fetchone()
    return None if row is None else (str(row[0]), str(row[1]))


def clips_in_show(connection: Connection, show_id: int, ids: Iterable[int]) -> list[Clip]:
    """These clips, all of one show; raises ``RuleError`` where one belongs to another."""
    own = {delivery.id for delivery in deliveries(connection, show_id)}
    found = clips_by_id(connection, ids)
    if any(clip.delivery_id not in own for clip in found):
        raise RuleError("A clip belongs to another show.", "missing")
    return found


def add_delivery(connection: Connection, show_id: int, name: str, root: str, folder: str, paths: Sequence[str]) -> int:
    """Put down a delivery and its clips, not yet part of the show; returns its id.

    ``bring_in`` is the change that can be undone; the rows themselves stay, with all that is found out about
    them.
    """
    with aside(connection):
        return _put_down(connection, show_id, name, root, folder, paths)


def _put_down(connection: Connection, show_id: int, name: str, root: str, folder: str, paths: Sequence[str]) -> int:
    made = connection.execute(
        "INSERT INTO delivery (show_id, name, root, folder) VALUES (%s, %s, %s, %s) RETURNING id",
        (show_id, name, root, folder),
    ).fetchone()
    assert made is not None
    delivery = int(str(made[0]))
    connection.execute(
        "WITH new AS (INSERT INTO clip (delivery_id, path, name)"
        " SELECT %s, path, regexp_replace(path, '^.*/', '') FROM unnest(%s::text[]) AS path RETURNING id),"
        " facts AS (INSERT INTO clip_facts (clip_id) SELECT id FROM new)"
        ", looks AS (INSERT INTO picture (clip_id) SELECT id FROM new)"
        " INSERT INTO treatment (id) SELECT id FROM new",
        (delivery, list(paths)),
    )
    for proxy, original in pairs(paths).items():
        connection.execute(
            "UPDATE clip SET proxy_of = (SELECT id FROM clip WHERE delivery_id = %s AND path = %s)"
            " WHERE delivery_id = %s AND path = %s",
            (delivery, original, delivery, proxy),
        )
    return delivery


def bring_in(connection: Connection, delivery_id: int) -> None:
    """Make a delivery part of its show."""
    connection.execute("UPDATE delivery SET removed = false WHERE id = %s", (delivery_id,))


def take_out(connection: Connection, delivery_id: int) -> None:
    """Take a delivery out of its show; nothing on disk changes. Raises ``MissingError`` where it is not in it."""
    done = connection.execute("UPDATE delivery SET removed = true WHERE id = %s AND NOT removed", (delivery_id,))
    if done.rowcount != 1:
        raise MissingError("This delivery")


def unprobed(connection: Connection, delivery_id: int | None = None) -> list[int]:
    """The clips that have not been probed yet."""
    rows = connection.execute(
        "SELECT clip_id FROM clip_facts JOIN clip ON clip.id = clip_id"
        " WHERE state <> 'done' AND (%(id)s::bigint IS NULL OR delivery_id = %(id)s) ORDER BY clip_id",
        {"id": delivery_id},
    ).fetchall()
    return [int(str(row[0])) for row in rows]


def keep_facts(connection: Connection, clip_id: int, facts: Facts) -> None:
    """Write down what the probe found."""
    sound = facts.sound
    connection.execute(
        "UPDATE clip_facts SET state = 'done', frames = %(frames)s, file_rate = %(file_rate)s, timing = %(timing)s,"
        " measured_rate = %(measured_rate)s, width = %(width)s, height = %(height)s, pixel_aspect = %(pixel_aspect)s,"
        " scan = %(scan)s, field_order = %(field_order)s, timecode = %(timecode)s, sound_rate = %(sound_rate)s,"
        " sound_channels = %(sound_channels)s, sound_seconds = %(sound_seconds)s, codec = %(codec)s,"
        " fault = %(fault)s, remarks = %(remarks)s, stated_rate = %(stated_rate)s,"
        " stream_rate = %(stream_rate)s, capture_rate = %(capture_rate)s,"
        " capture_key = %(capture_key)s, start_seconds = %(start)s, duplicates = %(duplicates)s, gaps = %(gaps)s,"
        " intervals = %(intervals)s WHERE clip_id = %(clip_id)s",
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
            "sound_rate": sound.sample_rate if sound else None,
            "sound_channels": sound.channels if sound else None,
            "sound_seconds": fraction_text(sound.seconds) if sound else None,
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
            "intervals": Jsonb([[fraction_text(length), count] for length, count in facts.intervals]),
        },
    )


def expect_revisions(connection: Connection, expected: dict[int, int]) -> None:
    """Hold the clips until the transaction ends, and make sure that each is still at the revision seen.

    Raises ``ConflictError``, naming the clips and who changed them, where some are not.
    """
    rows = connection.execute(
        "SELECT c.id, c.name, c.revision + t.revision FROM clip c JOIN treatment t ON t.id = c.id"
        " JOIN delivery d ON d.id = c.delivery_id WHERE c.id = ANY(%s) AND NOT d.removed ORDER BY c.id FOR UPDATE OF t",
        (list(expected),),
    ).fetchall()
    if len(rows) != len(expected):
        raise MissingError("A clip")
    changed = [(int(str(row[0])), str(row[1])) for row in rows if row[2] != expected[int(str(row[0]))]]
    if changed:
        first_id, first = changed[0]
        person = last_person(connection, "clip", first_id)
        others = f" and {len(changed) - 1} more" if len(changed) > 1 else ""
        raise ConflictError(f"{person or 'Somebody'} changed {first}{others} first. Nothing was changed; look again.")


def _clips(connection: Connection, where: str, parameters: Sequence[object]) -> list[Clip]:
    with connection.cursor(row_factory=dict_row) as cursor:
        rows = cursor.execute(f"{CLIPS} {where}".encode(), parameters).fetchall()
    entries: dict[int, tuple[LogEntry, ...]] = {}
    for show_id in {row["show_id"] for row in rows}:
        if found := matched(connection, show_id):
            entries |= found.entries
    return [_clip(row, entries.get(row["id"], ())) for row in rows]


def _clip(row: dict[str, Any], entries: tuple[LogEntry, ...]) -> Clip:
    return Clip(
        id=row["id"],
        delivery_id=row["delivery_id"],
        root=row["root"],
        path=row["path"],
        name=row["name"],
        measured=_facts(row) if row["state"] == "done" else None,
        picture=report_in(row["report"]) if row["report"] else None,
        entries=entries,
        words=tuple(Word(Question(w["question"]), w["value"], w["person"], w["reason"]) for w in row["words"] or ()),
        decided=_decided(row),
        revision=row["revision"],
        show_id=row["show_id"],
        proxy_of=row["proxy_of"],
        proxies=row["proxies"],
    )


def _decided(row: dict[str, Any]) -> Decided:
    return Decided(
        Decisions.of(row["decisions"]),
        row["recipe_id"],
        {int(timeline): Decisions.of(texts) for timeline, texts in (row["uses"] or {}).items()},
        frozenset(row["tags"] or ()),
        row["note"],
    )


def _facts(row: dict[str, Any]) -> Facts:
    sound = None
    if row["sound_rate"] is not None:
        sound = Sound(row["sound_rate"], row["sound_channels"], Fraction(row["sound_seconds"]))
    return Facts(
        frames=row["frames"],
        file_rate=rate_in(row["file_rate"]),
        timing=Timing(row["timing"]),
        measured_rate=fraction_in(row["measured_rate"]),
        width=row["width"],
        height=row["height"],
        pixel_aspect=Fraction(row["pixel_aspect"]),
        scan=Scan(row["scan"]),
        field_order=row["field_order"],
        timecode=row["timecode"],
        sound=sound,
        codec=row["codec"],
        fault=row["fault"],
        remarks=tuple(row["remarks"]),
        stated_rate=fraction_in(row["stated_rate"]),
        stream_rate=fraction_in(row["stream_rate"]),
        capture_rate=fraction_in(row["capture_rate"]),
        capture_key=row["capture_key"],
        start=Fraction(row["start_seconds"]),
        duplicates=row["duplicates"],
        gaps=row["gaps"],
        intervals=tuple((Fraction(length), count) for length, count in row["intervals"]),
    )
