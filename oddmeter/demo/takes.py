"""The clips of The Tide Bell: what is on each card, tape and reel, and the reports that came with them.

``TAKES`` are as they seem. ``TRAPS`` are not: each is labelled here with what is wrong about it, and nowhere else.
"""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from fractions import Fraction
from math import sin
from pathlib import Path

from oddmeter.core.numbers.rates import Rate
from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.demo import carriers, scenes
from oddmeter.demo.footage import SHOW_FOLDER, Take, is_there, write_takes
from oddmeter.demo.music import Piece, played
from oddmeter.demo.sound import SAMPLE_RATE, write_wav

FOUNDRY, HARBOUR, VISITORS = "Foundry day 1", "Harbour, boat and phones", "Visitors' reels"
FOUNDRY_TWO, PHONES, TAPES = "Foundry day 2", "Phones and drone", "Regatta tapes"
CHOIR, ATTIC, CHART = "Visiting choir", "Attic reels", "Tide chart"
PAL, NTSC = (720, 576), (720, 480)


def _take(
    delivery: str, name: str, scene: scenes.Scene, shot: str, frames: int, start: str, channels: int = 0,
    header: str = "", metadata: tuple[tuple[str, str], ...] = (),
) -> Take:  # fmt: skip
    return Take(
        delivery, name, scene, Rate.parse(shot), Rate.parse(header or shot), frames, start, channels, metadata=metadata
    )


def _tape(
    name: str, scene: scenes.Scene, first: FieldOrder, flag: FieldOrder | None, delivery: str = TAPES, frames: int = 100
) -> Take:
    """A tape of 25 or 29.97 frames, two moments in each; ``first`` is the truth, ``flag`` what the file says."""
    pal = first == FieldOrder.UPPER
    return Take(
        delivery, name, scene, Rate.parse("50" if pal else "59.94"), Rate.parse("25" if pal else "29.97"), frames,
        "02:00:00:00", 2, PAL if pal else NTSC, Fraction(16, 15) if pal else Fraction(8, 9),
        carriers.in_fields(first), flag, lambda number: number // 2,
    )  # fmt: skip


def _reel(name: str, scene: scenes.Scene, ran_at: int, header: str, frames: int) -> Take:
    """A film reel, scanned frame by frame, with the rate that the scanner wrote into the header."""
    return Take(ATTIC, name, scene, Rate.of(ran_at), Rate.parse(header), frames, "00:00:00:00", 0, (640, 480))


TAKES: tuple[Take, ...] = (
    _take(FOUNDRY, "FD1_A01_interview.mov", scenes.clock, "25", 200, "09:58:10:00", 2),
    _take(FOUNDRY, "FD1_A02_mould_50.mov", scenes.sparks, "50", 300, "10:02:00:00", 2),
    _take(FOUNDRY, "FD1_B01_bell_swing_100.mov", scenes.bell, "100", 500, "10:21:30:00"),
    _take(FOUNDRY, "FD1_B02_sparks_119.mov", scenes.sparks, "119.88", 480, "10:40:12:00"),
    # Shot at 150, set to play at 25; only the camera report says so.
    _take(FOUNDRY, "FD1_C01_pour_fast.mov", scenes.pour, "150", 600, "11:05:00:00", header="25"),
    _take(HARBOUR, "HB_boat_59.mp4", scenes.boat, "59.94", 300, "14:00:00:00", 2),
    _take(HARBOUR, "HB_gulls_30.mp4", scenes.gulls, "30", 240, "14:10:00:00", 1),
    _take(HARBOUR, "HB_quay_29.mp4", scenes.quay, "29.97", 240, "14:22:00:00", 2),
    _take(VISITORS, "VR_lantern_24.mkv", scenes.lantern, "24", 192, "01:00:00:00", 2),
    _take(VISITORS, "VR_clock_23.mkv", scenes.clock, "23.976", 240, "01:00:00:00", 2),
    _tape("VR_choir_tape_50i.mov", scenes.lantern, FieldOrder.UPPER, FieldOrder.UPPER, VISITORS),
)


def _slow_stretch(number: int) -> Fraction:
    """When a phone shows its frames: at 240 a second, but 30 from frame 120 to 299."""
    slow = min(max(number - 120, 0), 180)
    return Fraction(number - slow, 240) + Fraction(slow, 30)


TRAPS: tuple[Take, ...] = (
    # Shot at 240, set to play at 25; the header carries the camera's own speed.
    _take(FOUNDRY_TWO, "FD2_A01_sparks_fast.mov", scenes.sparks, "240", 240, "09:30:00:00", header="25",
          metadata=(("capture_frame_rate", "240"),)),
    # Shot at 800, set to play at 24; the name and the camera report say so.
    _take(FOUNDRY_TWO, "FD2_A02_drop_800fps.mov", scenes.pour, "800", 200, "09:41:00:00", header="24"),
    # The name says 150, the camera report says 100; the report is right.
    _take(FOUNDRY_TWO, "FD2_A03_ladle_150fps.mov", scenes.bell, "100", 200, "09:55:00:00", header="25"),
    # The name says 50, the file is 25, and nothing else is known.
    _take(FOUNDRY_TWO, "FD2_B01_mould_50fps.mov", scenes.clock, "25", 120, "10:10:00:00"),
    # The card was pulled out while it was being written.
    replace(
        _take(FOUNDRY_TWO, "FD2_B02_cut_off.mkv", scenes.bell, "50", 250, "10:20:00:00"), cut_short=Fraction(6, 10)
    ),
    # Its proxy is right; that of the mould lacks the last frames.
    _take(f"{FOUNDRY_TWO}/Proxy", "FD2_A02_drop_800fps.mov", scenes.pour, "800", 200, "09:41:00:00", header="24"),
    _take(f"{FOUNDRY_TWO}/Proxy", "FD2_B01_mould_50fps.mov", scenes.clock, "25", 112, "10:10:00:00"),
    # A phone: thirty, more or less, and now and then a frame less.
    replace(
        _take(PHONES, "PH_pier_walk.mp4", scenes.quay, "30", 180, "15:00:00:00", 1),
        times=lambda n: Fraction(n + n // 37, 30) + Fraction(round(400 * sin(n * 1.7)), 90_000),
    ),
    # A phone at 240 all through, whose slow stretch came before the bell turned: eight times slow from 120 to 299.
    replace(
        _take(PHONES, "PH_rope_slow.mp4", scenes.bell, "240", 420, "15:10:00:00", 1, header="30"), times=_slow_stretch
    ),
    # The name says 24p; it is 29.97.
    _take(PHONES, "DR_bay_24p.mp4", scenes.boat, "29.97", 150, "15:20:00:00"),
    _tape("RG_start_50i.mov", scenes.boat, FieldOrder.UPPER, FieldOrder.UPPER),
    # Lower field first, as such tapes are; the flag says upper.
    _tape("RG_finish_59i.mov", scenes.bell, FieldOrder.LOWER, FieldOrder.UPPER),
    # Flagged as interlaced, but each frame is one picture.
    replace(
        _tape("RG_prize_50i.mov", scenes.gulls, FieldOrder.UPPER, FieldOrder.UPPER),
        carrier=carriers.each, code=int, shot=Rate.of(25),
    ),
    # A 50i tape that was mixed to 59.94i by a converter.
    replace(
        _tape("RG_visitors_59i.mov", scenes.quay, FieldOrder.UPPER, FieldOrder.UPPER),
        shot=Rate.of(50), header=Rate.parse("29.97"), size=NTSC, pixel_aspect=Fraction(8, 9),
        carrier=carriers.blended(FieldOrder.UPPER, Fraction(50), Fraction(60)), code=lambda number: number * 3 // 5,
    ),
    # Film at 24 in 29.97: pulldown, lower field first, with a change of phase at an edit.
    Take(CHOIR, "CH_evensong_2997.mov", scenes.lantern, Rate.parse("23.976"), Rate.parse("29.97"), 150, "10:00:00:00",
         2, NTSC, Fraction(8, 9), carriers.pulldown(FieldOrder.LOWER, "2:3", 1, 83, 3), FieldOrder.LOWER,
         later=scenes.bell),
    # The same kind the other way round: 2:3:3:2.
    Take(CHOIR, "CH_procession_2997.mov", scenes.gulls, Rate.parse("23.976"), Rate.parse("29.97"), 120, "10:20:00:00",
         2, NTSC, Fraction(8, 9), carriers.pulldown(FieldOrder.LOWER, "2:3:3:2", 0), FieldOrder.LOWER),
    # Film that ran at 12, 16, 18 and 24, scanned into 24, 25 and 30.
    _reel("AT_35mm_handcranked.mov", scenes.boat, 12, "24", 120),
    _reel("AT_8mm_harvest.mov", scenes.gulls, 16, "25", 144),
    _reel("AT_S8_18_garden.mov", scenes.lantern, 18, "30", 144),
    _reel("AT_16mm_launch.mov", scenes.bell, 24, "25", 144),
    # Super 8 at 18, held in 29.97: frames repeat.
    Take(ATTIC, "AT_S8_wedding.mov", scenes.clock, Rate.of(18), Rate.parse("29.97"), 150, "00:00:00:00", 0, (640, 480),
         carrier=carriers.held(Fraction(18), Fraction(30000, 1001))),
    # An animation on numbered pictures; one was never delivered.
    Take(CHART, "tide_chart_####.png", scenes.clock, Rate.of(25), Rate.of(25), 60, "00:00:00:00", 0, (480, 270),
         missing=(38,)),
)  # fmt: skip


@dataclass(frozen=True)
class Report:
    """A report that came with a delivery."""

    delivery: str
    name: str
    text: str

    @property
    def relative_path(self) -> Path:
        """Its place below the media root."""
        return Path(SHOW_FOLDER) / self.delivery / self.name


REPORTS: tuple[Report, ...] = (
    Report(FOUNDRY, "camera report day 1.csv",
           "Production;The Tide Bell;;;\nFoundry day 1;;;;\n\nClip;Card;Sensor fps;Project rate;Remark\n"
           "FD1_A01_interview;A;25;25;the founder\nFD1_A02_mould_50;A;50;50;\nFD1_B01_bell_swing_100;B;100;100;\n"
           "FD1_B02_sparks_119;B;119,88;119,88;\nFD1_C01_pour_fast;C;150;25;tilts up\n"
           "FD1_C02_never_copied;C;150;25;\n"),
    Report(FOUNDRY_TWO, "camera report day 2.csv",
           "clip,speed,base,note\nFD2_A02_drop_800fps,800,24,\nFD2_A03_ladle_150fps,100,25,changed on the day\n"),
    Report(ATTIC, "scan report.tsv",
           "Item\tGauge\tScanned at\tLength m\nAT_35mm_handcranked\t35 mm\t24\t2.3\nAT_8mm_harvest\t8 mm\t25\t0.55\n"
           "AT_S8_18_garden\tSuper 8\t30\t0.61\nAT_16mm_launch\t16 mm\t25\t1.1\nAT_S8_wedding\tSuper 8\t29.97\t0.38\n"),
)  # fmt: skip


@dataclass(frozen=True)
class Recording:
    """A piece of music that came with a delivery."""

    delivery: str
    name: str
    piece: Piece

    @property
    def relative_path(self) -> Path:
        """Its place below the media root."""
        return Path(SHOW_FOLDER) / self.delivery / self.name


RECORDINGS: tuple[Recording, ...] = (
    Recording("Music", "bell_theme_96.wav", Piece(96, bars=12, loose=0.0, seed=7)),
)  # fmt: skip


def make_footage(
    root: Path,
    takes: Iterable[Take] = (*TAKES, *TRAPS),
    reports: Iterable[Report] = REPORTS,
    recordings: Iterable[Recording] = RECORDINGS,
) -> list[Path]:
    """Write every take, recording and report that is missing below ``root``; returns all their paths, of a sequence the
    path with its run of ``#``. The same pictures each time.

    An interrupt stops it at once; what is whole by then stays. Raises ``RuleError`` where a take cannot be written.
    """
    wanted = [(take, root / take.relative_path) for take in takes]
    write_takes([(take, path) for take, path in wanted if not is_there(take, path)])
    written_recordings = [(recording, root / recording.relative_path) for recording in recordings]
    for recording, path in written_recordings:
        if not path.exists():
            write_wav(played(recording.piece, SAMPLE_RATE)[0], path)
    written_reports = [(report, root / report.relative_path) for report in reports]
    for report, path in written_reports:
        if not path.exists():
            path.write_text(report.text, encoding="utf-8")
    return [path for _, path in (*wanted, *written_recordings, *written_reports)]
