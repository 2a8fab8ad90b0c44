"""The table “Where a new thing goes” is followed for real: in a copy of the code one of each kind is added in the
places that its row names, and nowhere else, and is at work."""

import json
import os
import re
import shutil
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path

import pytest

from tests.footage import made_footage
from tests.test_documents import ROOT


@dataclass(frozen=True)
class Added:
    """What is put where: in each file, text behind a line that stands there once, or, behind nothing, at its end; a
    file that is not there yet is made. ``row`` is how the table's row begins."""

    row: str
    places: dict[str, list[tuple[str, str]]]


ADDED = [
    Added("way to make a moment between two pictures", {
        "core/decisions/treatment.py": [
            ('    GATHER = "gather", Takes.PASSING, False\n', '    NEARER = "nearer", Takes.BESIDE, False\n')],
        "core/decisions/vocabulary.py": [
            ('        Choice(Between.MIX, "mix", "Mix: both, weighted"),\n',
             '        Choice(Between.NEARER, "nearer", "Nearer: whichever is nearer"),\n')],
        "media/making.py": [
            ("    Between.MIX: Maker.added_up,\n",
             "    Between.NEARER: lambda maker, _, parts: _Moment(\n"
             "        maker.source_picture(max(parts, key=lambda part: part[1])[0])\n    ),\n")],
    }),
    Added("setting for made files", {
        "media/settings/shipped.py": [
            ("    VIEW,\n",
             '    Setting(\n        name="proxy", label="Proxy, coded by median", container="mov",\n'
             '        picture=PictureSetting(codec="magicyuv"),\n    ),\n'),
        ],
    }),
    Added("codec of made files", {
        "media/settings/codecs.py": [
            ("    for codec in (\n",
             '        PictureCodec(\n            "magicyuv", "Median coded", "magicyuv", ("mov",),\n'
             '            (Profile("", "", _yuv(_EIGHT)),), lossless=True,\n        ),\n'),
        ],
    }),
    Added("format of lists", {
        "interchange/lines.py": [
            ("", '"""Lists of one line for each event."""\n\nfrom oddmeter.core.cutting.listed import Written\n\n\n'
             "def write_lines(event_list, handles):\n    return Written(\n"
             "        ''.join(f'{one.record_in} {one.length} {one.reel}\\n' for one in event_list.events),\n"
             "        (),\n    )\n")],
        "interchange/formats.py": [
            ("FORMATS: tuple[ListFormat, ...] = (\n", '    ListFormat(".lines", "plain lines", write_lines),\n'),
            ("from oddmeter.interchange.edl.writing import write_edl\n",
             "from oddmeter.interchange.lines import write_lines\n"),
        ],
    }),
    Added("source of evidence", {
        "core/evidence/verdicts.py": [('    PERSON = "person"\n', '    SLATE = "slate"\n')],
        "core/evidence/claims.py": [
            ("        yield from from_header(facts)\n", "        yield from from_slate(facts)\n"),
            ("", '\n\ndef from_slate(facts):\n    if facts.codec == "slated":\n'
             '        yield Claim(Question.SHOT_RATE, Source.SLATE, Strength.REPORTED, "48/1", "slate: 48")\n'),
        ],
        "core/evidence/vocabulary.py": [('    (Source.NAME, "Name"),\n', '    (Source.SLATE, "Slate"),\n')],
    }),
    Added("column of the ledger", {
        "web/stops/plan/ledger.py": [
            ("    name: str\n    path: str\n", "    letters: int\n"),
            ("        name=clip.name,\n        path=clip.path,\n", "        letters=len(clip.name),\n"),
        ],
        "frontend/src/stops/plan/columns.tsx": [
            ("export const COLUMNS: Column[] = [\n",
             '  { key: "letters", name: "Letters", track: "4rem", cell: (row) => <Number>{row.letters}</Number> },\n')],
    }),
    Added("mark in the ledger", {
        "core/planning/marks.py": [
            ('    CHANGED = "changed"\n', '    BRIEF = "brief"\n'),
            ('    MarkWords(Mark.CHANGED, "changed", "Its decisions changed since its file was made.", "↻", _A),\n',
             '    MarkWords(Mark.BRIEF, "very short", "Shorter than a second.", "▪", _N),\n'),
            ("        Mark.OTHER_RASTER: outcome.keeps_other_raster,\n", "        Mark.BRIEF: outcome.after < 25,\n"),
        ],
    }),
    Added("edit of events", {
        "core/cutting/edits.py": [
            ("", "\n\ndef to_start(event_list, chosen):\n    return event_list.with_events("
             "replace(event_list.event(one), record_in=0) for one in chosen)\n")],
        "core/cutting/commands.py": [
            ('    UNMARK = "unmark"\n', '    TO_START = "to start"\n'),
            ("EDITS: Mapping[Edit, Callable[[_On], Edited]] = {\n",
             '    Edit.TO_START: lambda on: Edited(edits.to_start(on.event_list, on.some), f"{on.what} to start"),\n'),
        ],
    }),
    Added("thing to decide on clips", {
        "core/decisions/parts.py": [
            ('    SPAN = "span"\n', '    GRAIN = "grain"\n'), ("    Part.SPAN: _span,\n", "    Part.GRAIN: _yes,\n")],
        "core/decisions/levels.py": [("    span: Span | None = None\n", "    grain: bool | None = None\n")],
        "core/decisions/treatment.py": [("    curve: Curve | None = None\n", "    grain: bool = False\n")],
        "core/decisions/vocabulary.py": [
            ("PARTS: tuple[PartWords, ...] = (\n",
             '    PartWords(Part.GRAIN, "grain", "", (Choice("no", "kept", "kept"), Choice("yes", "out", "out"))),\n'),
        ],
    }),
]  # fmt: skip


@pytest.fixture(scope="module")
def copy(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A copy of the code with all of it added."""
    folder = tmp_path_factory.mktemp("added")
    shutil.copytree(ROOT / "oddmeter", folder / "oddmeter", ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copytree(ROOT / "frontend" / "src", folder / "frontend" / "src")
    for added in ADDED:
        for name, texts in added.places.items():
            path = folder / name if name.startswith("frontend/") else folder / "oddmeter" / name
            for line, text in texts:
                was = path.read_text() if path.exists() else ""
                assert not line or was.count(line) == 1, (name, line)
                path.write_text(was.replace(line, line + text) if line else was + text)
    return folder


@pytest.mark.parametrize("added", ADDED, ids=lambda added: added.row)
def test_its_row_names_every_place_it_needs(added: Added) -> None:
    table = (ROOT / "docs" / "architecture.md").read_text().split("## Where a new thing goes")[1]
    (row,) = re.findall(rf"^\| {added.row}[^|]*\|([^|]*)\|$", table, re.MULTILINE)
    for place in added.places:
        is_new = not (ROOT / place).exists() and not (ROOT / "oddmeter" / place).exists()
        assert f"`{place}`" in row or (is_new and f"`{Path(place).parent}/`" in row), place


def test_what_was_added_is_at_work(copy: Path, tmp_path: Path) -> None:
    clip = made_footage() / "The Tide Bell/Foundry day 1/FD1_B01_bell_swing_100.mov"
    environment = {**os.environ, "PYTHONPATH": str(copy)}
    done = subprocess.run(
        [sys.executable, str(ROOT / "tests" / "added.py"), str(clip), str(tmp_path)],
        cwd=copy, env=environment, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stdout + done.stderr
    assert len(done.stdout.split()) == len(ADDED) - 2, "three are seen in one made file"


def test_a_column_that_was_added_fits_the_page(copy: Path) -> None:
    """The page's types, made from the copy's own document; only what the columns need is checked."""
    page, environment = copy / "frontend", {**os.environ, "PYTHONPATH": str(copy)}
    for name in ("node_modules", "package.json", "tsconfig.json", "vite-env.d.ts"):
        if (ROOT / "frontend" / name).exists():
            (page / name).symlink_to(ROOT / "frontend" / name)
    document = subprocess.run(
        [sys.executable, "-m", "oddmeter", "openapi"], cwd=copy, env=environment, capture_output=True, check=True
    ).stdout
    assert json.loads(document)["components"]["schemas"]["ClipRow"]["properties"]["letters"]["type"] == "integer"
    (copy / "openapi.json").write_bytes(document)
    own = {"extends": "./tsconfig.json", "include": [], "files": ["src/stops/plan/columns.tsx"]}
    (page / "columns.json").write_text(json.dumps(own))
    for words in (
        ["openapi-typescript", "../openapi.json", "-o", "src/api/schema.d.ts"],
        ["../typescript-native/bin/tsc", "-p", "columns.json"],
    ):
        tool, *arguments = words
        command = [str(page / "node_modules" / ".bin" / tool), *arguments]
        done = subprocess.run(command, cwd=page, capture_output=True, text=True, check=False, timeout=600)
        assert done.returncode == 0, done.stdout + done.stderr
