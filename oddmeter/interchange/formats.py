"""The formats of lists: which there are, which of them a file is, and reading and writing through it.

A new format is a line in ``FORMATS`` and a module that reads or writes it.
"""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import PurePath

from oddmeter.core.cutting.listed import ListedTimeline, Written
from oddmeter.core.lists.pulls import pulls
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.interchange.cuts import pull_table
from oddmeter.interchange.edl.lines import lines_of
from oddmeter.interchange.edl.rates import RateEvidence, rate_evidence
from oddmeter.interchange.edl.reading import read_edl
from oddmeter.interchange.edl.writing import write_edl
from oddmeter.interchange.texts import decoded

MOST_BYTES = 100_000_000

Read = Callable[[str, Rate | None, bool, str], ListedTimeline]
"""From the text, the rate and the counting that people said, and a name where the list has none."""
Write = Callable[[ListedTimeline, int], Written]
"""From a cut and the source frames of handles."""


@dataclass(frozen=True)
class ListFormat:
    """A format: the ending of its files, what it is called, what reads and writes it. ``begins`` is how its text can be
    determined without a name. ``rates`` finds at which rate a text was counted, of a format that does not say it
    itself. ``of_made`` where it can list made files in place of sources, ``in_chains`` where it cannot hold a speed
    that changes and can write it as events of one speed each."""

    ending: str
    name: str
    write: Write
    read: Read | None = None
    begins: str = ""
    rates: Callable[[str], RateEvidence] | None = None
    of_made: bool = False
    in_chains: bool = False


def _read_otio(text: str, rate: Rate | None, drop_frame: bool, name: str) -> ListedTimeline:
    from oddmeter.interchange.otio.reading import read_otio  # noqa: PLC0415  (its library takes long to load)

    return read_otio(text, rate, drop_frame, name)


def _write_otio(event_list: ListedTimeline, _: int) -> Written:
    from oddmeter.interchange.otio.writing import write_otio  # noqa: PLC0415  (its library takes long to load)

    return Written(write_otio(event_list), ())


def _write_pulls(event_list: ListedTimeline, handles: int) -> Written:
    return Written(pull_table(pulls(event_list, handles)), ())


FORMATS: tuple[ListFormat, ...] = (
    ListFormat(
        ".edl", "EDL (CMX 3600)", lambda event_list, _: write_edl(event_list), read_edl,
        rates=lambda text: rate_evidence(lines_of(text)), of_made=True, in_chains=True,
    ),
    ListFormat(".otio", "OpenTimelineIO", _write_otio, _read_otio, begins="{", of_made=True),
    ListFormat(".csv", "pull list (CSV)", _write_pulls),
)  # fmt: skip
"""Every format; the first that reads is taken for text that says nothing else."""

READ = tuple(known for known in FORMATS if known.read is not None)


def format_of(file_name: str, text: str) -> ListFormat:
    """The format that a list is in: by its ending, or by how it begins."""
    ending = PurePath(file_name).suffix.lower()
    by_ending = next((known for known in READ if known.ending == ending), None)
    by_text = next((known for known in READ if known.begins and text.lstrip().startswith(known.begins)), None)
    return by_text or by_ending or READ[0]


def read_cut(data: bytes, file_name: str, rate: Rate | None = None, drop_frame: bool = False) -> ListedTimeline:
    """The cut in a list; raises ``RuleError`` with a sentence where there is none."""
    if len(data) > MOST_BYTES:
        raise RuleError(f"Lists of more than {MOST_BYTES // 1_000_000} MB are not supported.", "list")
    text = decoded(data)
    read = format_of(file_name, text).read
    assert read is not None
    return read(text, rate, drop_frame, PurePath(file_name).stem)


def rates_of(data: bytes, file_name: str) -> RateEvidence | None:
    """At which rates a list may be counted, and why; None of one that says its rate itself."""
    text = decoded(data)
    rates = format_of(file_name, text).rates
    return None if rates is None else rates(text)


def write_cut(event_list: ListedTimeline, file_name: str, handles: int = 0) -> Written:
    """The cut in the format that a file name ends with; raises ``RuleError`` where that is none."""
    ending = PurePath(file_name).suffix.lower()
    for known in FORMATS:
        if known.ending == ending:
            return known.write(event_list, handles)
    raise RuleError(f"“{file_name}” has to end in {endings_text(FORMATS)}.", "list")


def endings_text(formats: tuple[ListFormat, ...]) -> str:
    """``.edl (EDL), .otio (OpenTimelineIO) or .csv (pull list)``: the endings, for a sentence."""
    *some, last = [f"{known.ending} for {known.name}" for known in formats]
    return f"{', '.join(some)} or {last}" if some else last
