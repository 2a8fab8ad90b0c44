"""From what is known of a clip to claims: a function for each source of evidence."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction

from oddmeter.core.evidence.facts import Facts, Timing
from oddmeter.core.evidence.film import gauge
from oddmeter.core.evidence.hints import hints
from oddmeter.core.evidence.logs import LogEntry
from oddmeter.core.evidence.verdicts import NONE, Claim, Question, Source, Strength, Verdict, verdict
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.numerals import decimal_text, fraction_text
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.fields import beneath
from oddmeter.core.pictures.report import PictureReport
from oddmeter.core.pictures.scan import Scan


@dataclass(frozen=True)
class Word:
    """What a person said to a question, and why."""

    question: Question
    value: str
    person: str
    reason: str = ""


def claims_of(
    name: str,
    facts: Facts | None,
    picture: PictureReport | None = None,
    entries: Sequence[LogEntry] = (),
    words: Iterable[Word] = (),
) -> tuple[Claim, ...]:
    """Everything that is claimed about a clip, by every source."""
    return _all(from_person(words), from_log(entries), _from_clip(name, facts, picture), facts)


def verdicts_by_logs(
    name: str,
    facts: Facts | None,
    picture: PictureReport | None,
    words: Sequence[Word],
    *logs: Sequence[LogEntry],
) -> tuple[dict[Question, Verdict], ...]:
    """For each of several sets of log entries the verdicts about one clip, to those questions alone whose verdicts may
    differ between them: what a log speaks to, and with the gauge or the file rate the shot rate."""
    said = [tuple(from_log(entries)) for entries in logs]
    touched = {claim.question for claims in said for claim in claims}
    if touched & {Question.GAUGE, Question.FILE_RATE}:
        touched.add(Question.SHOT_RATE)
    if not touched:
        return tuple({} for _ in logs)
    first, last = tuple(from_person(words)), tuple(_from_clip(name, facts, picture))
    every = [_all(first, claims, last, facts) for claims in said]
    return tuple({question: verdict(question, claims) for question in touched} for claims in every)


def _all(
    first: Iterable[Claim], logs: Iterable[Claim], last: Iterable[Claim], facts: Facts | None
) -> tuple[Claim, ...]:
    claims = [*first, *logs, *last]
    return (*claims, *_from_habit(claims, facts))


def _from_clip(name: str, facts: Facts | None, picture: PictureReport | None) -> Iterator[Claim]:
    yield from from_name(name)
    if facts is not None and facts.fault is None:
        yield from from_timestamps(facts)
        yield from from_header(facts)
        if picture is not None:
            yield from from_picture(picture, facts)


def from_header(facts: Facts) -> Iterator[Claim]:
    """What the file says about itself."""
    if facts.stated_rate is not None:
        rate = _snapped(facts.stated_rate)
        yield Claim(
            Question.FILE_RATE, Source.HEADER, Strength.STATED, rate.exact, f"header: {_spoken(facts.stated_rate)}"
        )
    if facts.stream_rate is not None and facts.stream_rate != facts.stated_rate:
        rate = _snapped(facts.stream_rate)
        words = f"header, stream: {_spoken(facts.stream_rate)}"
        yield Claim(Question.FILE_RATE, Source.HEADER, Strength.STATED, rate.exact, words)
    if facts.capture_rate is not None:
        rate = _snapped(facts.capture_rate)
        words = f"header, {facts.capture_key}: {_spoken(facts.capture_rate)}"
        yield Claim(Question.SHOT_RATE, Source.HEADER, Strength.REPORTED, rate.exact, words)
    if facts.scan is not Scan.UNKNOWN:
        yield Claim(Question.SCAN, Source.HEADER, Strength.STATED, facts.scan.value, f"header: {facts.scan.value}")
    if facts.field_order:
        words = f"header: {facts.field_order} first"
        yield Claim(Question.FIELD_ORDER, Source.HEADER, Strength.STATED, facts.field_order, words)


def from_timestamps(facts: Facts) -> Iterator[Claim]:
    """What the times of the frames show. Uneven times that jitter about one rate give that; others an average, which
    keeps the length and weighs no more than what the header says."""
    if facts.file_rate is None or facts.measured_rate is None:
        return
    rate = facts.file_rate
    if facts.timing is Timing.CONSTANT:
        yield Claim(Question.FILE_RATE, Source.TIMESTAMPS, Strength.MEASURED, rate.exact, f"timestamps: {rate}")
    elif facts.uneven is not None and facts.uneven.nominal is not None:
        words = f"timestamps: {facts.uneven.words}"
        yield Claim(Question.FILE_RATE, Source.TIMESTAMPS, Strength.MEASURED, rate.exact, words)
    elif facts.uneven is not None:
        words = f"timestamps: {decimal_text(facts.measured_rate, 3)} on average; {facts.uneven.words}"
        yield Claim(Question.FILE_RATE, Source.TIMESTAMPS, Strength.STATED, rate.exact, words)
    else:
        fastest, slowest = facts.fastest, facts.slowest
        spread = f", {decimal_text(slowest, 2)} to {decimal_text(fastest, 2)}" if fastest and slowest else ""
        words = f"timestamps: {decimal_text(facts.measured_rate, 3)} on average{spread}"
        yield Claim(Question.FILE_RATE, Source.TIMESTAMPS, Strength.STATED, rate.exact, words)


def from_name(name: str) -> Iterator[Claim]:
    """What the name hints at."""
    found = hints(name)
    for question, hint in ((Question.SHOT_RATE, found.shot_rate), (Question.FILE_RATE, found.file_rate)):
        if hint is not None:
            yield Claim(question, Source.NAME, Strength.HINTED, hint[0].exact, f"name: {hint[1]}")
    for question, said in ((Question.SCAN, found.scan), (Question.GAUGE, found.gauge)):
        if said is not None:
            yield Claim(question, Source.NAME, Strength.HINTED, said[0], f"name: {said[1]}")


def from_log(entries: Sequence[LogEntry]) -> Iterator[Claim]:
    """What camera and scan reports say."""
    for entry in entries:
        for question, rate in ((Question.SHOT_RATE, entry.shot_rate), (Question.FILE_RATE, entry.file_rate)):
            if rate is not None:
                yield Claim(question, Source.LOG, Strength.REPORTED, rate.exact, f"{entry.where}: {rate}")
        said = (
            (Question.SCAN, entry.scan), (Question.FIELD_ORDER, entry.field_order), (Question.GAUGE, entry.gauge),
        )  # fmt: skip
        for question, value in said:
            if value is not None:
                yield Claim(question, Source.LOG, Strength.REPORTED, value, f"{entry.where}: {value}")


def from_picture(report: PictureReport, facts: Facts) -> Iterator[Claim]:
    """What the pictures show. Where nothing moves enough, they claim nothing."""
    known = [stretch for stretch in report.stretches if stretch.scan is not Scan.UNKNOWN]
    if not known:
        return
    longest = max(known, key=lambda stretch: stretch.frames)
    scans = {stretch.scan for stretch in known}
    changing = " for the most part" if len(scans) > 1 else ""
    yield _seen(Question.SCAN, longest.scan.value, f"picture: {longest.scan.value}{changing}")
    if longest.field_order:
        yield _seen(Question.FIELD_ORDER, longest.field_order, f"picture: {longest.field_order} first{changing}")
    if report.pulldown:
        patterns = " and ".join(dict.fromkeys(str(stretch.pattern) for stretch in report.pulldown))
        count = sum(1 for stretch in beneath(report.stretches) if stretch.pattern)
        where = f" in {count} stretches" if count > 1 else ""
        pattern = max(report.pulldown, key=lambda stretch: stretch.frames).pattern or NONE
        above = " and ".join(dict.fromkeys(stretch.place for stretch in report.beneath_graphics))
        over = f"; above it graphics at field rate, {above}" if above else ""
        yield _seen(Question.PULLDOWN, pattern, f"picture: pulldown {patterns}{where}{over}")
    elif facts.scan is Scan.INTERLACED and scans == {Scan.PROGRESSIVE}:
        yield _seen(Question.PULLDOWN, "2:2", "picture: progressive, carried in fields")
    else:
        yield _seen(Question.PULLDOWN, NONE, "picture: no pulldown")
    if report.repeats is not None and facts.file_rate is not None:
        rate = Rate(facts.file_rate.value * report.repeats.step)
        yield _seen(
            Question.REPEATS, rate.exact, f"picture: {_pattern_words(report.repeats.step)}, {rate} unique a second"
        )
    else:
        yield _seen(Question.REPEATS, NONE, "picture: every frame is new")
    own_rate = life_rate(report, facts)
    if own_rate is not None and facts.file_rate is not None and own_rate != facts.file_rate:
        words = f"picture: {own_rate} unique pictures a second"
        yield Claim(Question.SHOT_RATE, Source.PICTURE, Strength.STATED, own_rate.exact, words)


def from_person(words: Iterable[Word]) -> Iterator[Claim]:
    """What people settled."""
    for word in words:
        reason = f": {word.reason}" if word.reason else ""
        yield Claim(word.question, Source.PERSON, Strength.SAID, word.value, f"{word.person}{reason}")


def life_rate(report: PictureReport, facts: Facts) -> Rate | None:
    """The rate of the pictures themselves, once pulldown or repeats are out; None where nothing is known."""
    if facts.file_rate is None:
        return None
    if report.repeats is not None:
        return Rate(facts.file_rate.value * report.repeats.step)
    if any(stretch.pattern in ("2:3", "2:3:3:2") for stretch in report.pulldown):
        return Rate(facts.file_rate.value * Fraction(4, 5))
    return facts.file_rate


def _from_habit(claims: Sequence[Claim], facts: Facts | None) -> Iterator[Claim]:
    """The usual speed of a gauge, and the file's own rate: what is assumed as long as nothing better is known."""
    said = max((c for c in claims if c.question is Question.GAUGE), key=lambda c: c.strength, default=None)
    if said is not None:
        film = gauge(said.value)
        rate = Rate.of(film.speeds[0])
        others = " or ".join(str(speed) for speed in film.speeds[1:])
        words = f"{film.name}: usually {film.speeds[0]}, else {others}"
        yield Claim(Question.SHOT_RATE, Source.GAUGE, Strength.ASSUMED, rate.exact, words)
    elif facts is not None and (rate_taken := verdict(Question.FILE_RATE, claims).rate or facts.file_rate) is not None:
        rate = rate_taken
        yield Claim(Question.SHOT_RATE, Source.HEADER, Strength.ASSUMED, rate.exact, f"file rate: {rate}")


def _seen(question: Question, value: str, words: str) -> Claim:
    return Claim(question, Source.PICTURE, Strength.MEASURED, value, words)


def _pattern_words(step: Fraction) -> str:
    """``every second frame repeated``, or how many pictures fill how many frames."""
    ordinals = {2: "second", 3: "third", 4: "fourth", 5: "fifth", 6: "sixth", 25: "25th"}
    if step.denominator - step.numerator == 1 and step.denominator in ordinals:
        return f"every {ordinals[step.denominator]} frame repeated"
    return f"{step.numerator} pictures in {step.denominator} frames"


def _snapped(value: Fraction) -> Rate:
    try:
        return Rate.snap(value)
    except RuleError:
        return Rate.of(1)


def _spoken(value: Fraction) -> str:
    """A stated rate, with the reason where it is taken as another, exact one."""
    rate = _snapped(value)
    if rate.value == value:
        return rate.spoken
    return f"{decimal_text(value, 3)} ({fraction_text(value)}), taken as {rate.exact}"
