"""What ``test_new_things`` adds at work, in a copy of the code: each check is named after what was added."""

import os
import subprocess
import sys
from pathlib import Path

from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.cutting.commands import Command, Edit, edited
from oddmeter.core.cutting.events import FIRST_PICTURE, Event, EventList
from oddmeter.core.cutting.listed import SourceKind
from oddmeter.core.decisions.levels import Decisions, Layer, Level, resolve
from oddmeter.core.evidence.claims import claims_of
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.evidence.verdicts import Question
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.clips import Clip, Decided, known_of
from oddmeter.core.planning.houses import House
from oddmeter.core.planning.marks import marks_of
from oddmeter.core.planning.plans import Plan, plan
from oddmeter.core.planning.timelines import Timeline, TimelineSettings
from oddmeter.media.files.probe import probe
from oddmeter.web.stops.brief.vocabulary import vocabulary
from oddmeter.work.orders import Order, order_of_conform

PAL = Rate.of(25)
TIMELINE = Timeline(1, TimelineSettings("Main", PAL), 1)


def run(*words: object) -> str:
    done = subprocess.run(
        [sys.executable, "-m", "oddmeter", *map(str, words)], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout


def check_in_between_and_setting(clip: Path, folder: Path) -> None:
    """A file made by both, opened again and proven."""
    made = folder / "made.mov"
    out = run(
        "conform", clip, "--timeline", 25, "--intent", "speed", "--value", "1/3", "--between", "nearer", "--setting",
        "proxy", "--span", "0-39", "--out", made,
    )  # fmt: skip
    assert "matches pictures: planned 30 of 30, found 30 of 30" in out, out
    assert probe(made).codec == "magicyuv"
    words = next(part for part in vocabulary().parts if part.part == "between")
    assert "nearer" in [choice.text for choice in words.choices]


def check_list_format(_: Path, folder: Path) -> None:
    source, out = folder / "cut.edl", folder / "cut.lines"
    source.write_text("001 A1 V C 01:00:00:00 01:00:02:00 10:00:00:00 10:00:02:00\n")
    run("cut", source, "--rate", 25, "--to", out)
    assert out.read_text() == "0 50 A1\n"
    assert ("lines", "plain lines") in [(one.ending, one.name) for one in vocabulary().list_formats]


def check_source_of_evidence(_: Path, __: Path) -> None:
    facts = Facts(frames=10, file_rate=PAL, codec="slated")
    claims = [claim for claim in claims_of("a.mov", facts) if claim.source == "slate"]
    assert [(claim.question, claim.value) for claim in claims] == [(Question.SHOT_RATE, "48/1")]
    assert "Slate" in [one.name for one in vocabulary().sources]


def check_mark(_: Path, __: Path) -> None:
    clip = Clip(1, 1, "Root", "a.mov", "a", Facts(frames=3, file_rate=PAL), None, (), (), Decided(), 1, 1, None, 0)
    outcome = plan(known_of(clip), House(), TIMELINE)
    assert isinstance(outcome, Plan) and "brief" in marks_of(outcome)
    assert "very short" in [one.word for one in vocabulary().marks]


def check_edit_of_events(_: Path, __: Path) -> None:
    event_list = EventList(
        PAL, (Event(1, FIRST_PICTURE, SourceKind.BLACK, 5, 10), Event(2, FIRST_PICTURE, SourceKind.BLACK, 20, 5))
    )
    made = edited(event_list, lambda _: None, TIMELINE.settings, Command(Edit("to start"), [1]))
    assert (made.event_list.event(1).record_in, made.event_list.event(2).record_in) == (0, 20) and "start" in made.title


def check_thing_to_decide(_: Path, __: Path) -> None:
    """It holds at the nearest level, and an order keeps it."""
    layers = [Layer(Level.SHOW, "", Decisions.parse({"grain": "yes"})), Layer(Level.CLIP, "", Decisions())]
    treatment = resolve(layers).treatment(PAL, PAL, PAL)
    order = order_of_conform(conform(Material(10, PAL), treatment, PAL), TIMELINE.settings)
    kept = Order.model_validate_json(order.model_dump_json()).treatment
    assert kept == treatment and kept.grain and not resolve([]).treatment(PAL, PAL, PAL).grain  # type: ignore[attr-defined]
    assert "grain" in [part.part for part in vocabulary().parts]


def check_column(_: Path, __: Path) -> None:
    from oddmeter.web.stops.plan.ledger import ClipRow  # noqa: PLC0415

    assert "letters" in ClipRow.model_fields


if __name__ == "__main__":
    os.environ.setdefault("ODDMETER_DATABASE", "none")
    for name, check in sorted(globals().items()):
        if name.startswith("check_"):
            check(Path(sys.argv[1]), Path(sys.argv[2]))
            print(name)
