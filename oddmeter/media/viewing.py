"""Pictures to look at: any timeline frame of any plan as a JPEG, made by what renders, and kept where it is quick.

A *final* picture is the very frame that would be rendered. A *draft* is the nearest source picture, small. What is
kept on disk is keyed by the file's content and by everything that was decided, so it cannot be stale; the oldest goes
where there is too much.
"""

import json
import time
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, field
from functools import partial
from hashlib import sha256
from pathlib import Path
from threading import Event, RLock, Thread

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from oddmeter.core.conform.framing import Canvas, placed
from oddmeter.core.conform.speeds import Conform
from oddmeter.core.decisions.treatment import Framing, Takes
from oddmeter.core.evidence.facts import Facts
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.pictures.scan import FieldOrder
from oddmeter.media.analysis.moments import Moment, MomentKind, moments_in
from oddmeter.media.files.sequence import sequence
from oddmeter.media.frames.access import FrameAccess
from oddmeter.media.making import Maker
from oddmeter.media.pictures.planes import eight_bit_rgb, field_of, luma_of
from oddmeter.media.pictures.raster import put
from oddmeter.media.shelf import Shelf, UnderWay
from oddmeter.media.sound.track import SoundPlan

DRAFT_WIDTH = 640
_QUALITY, _DRAFT_QUALITY = 92, 82
_AHEAD, _FAR, _SIDES = 6, 10, 4
"""Final pictures that are made before they are asked for, for whoever goes in steps of at most so many frames, on each
of so many sides."""
_MOST_CLIPS, _FRAME_BYTES = 3, 192 << 20
_MOST_FILLED = 4_000
_PLUM = (96, 58, 122)


@dataclass(frozen=True)
class Viewed:
    """A plan to look at, and the clip it is of."""

    path: Path
    facts: Facts
    planned: Conform
    canvas: Canvas
    cuts: frozenset[int] = frozenset()
    sounds: tuple[SoundPlan, ...] = ()

    @property
    def key(self) -> str:
        """What the file is, and all that is decided: equal only where every picture is."""
        return _hashed(
            content_key(self.path),
            repr((self.planned, self.canvas, sorted(self.cuts), self.facts.scan, [s.rate for s in self.sounds])),
        )

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of a final picture with square pixels."""
        width = round(self.canvas.width * self.canvas.pixel_aspect)
        return max(2, width), self.canvas.height


def content_key(path: Path) -> str:
    """What a file, or the first of a sequence's files, is: its place, size and time of last change."""
    files = sequence(path).files if "#" in path.name else (path,)
    try:
        listed = [(str(file), file.stat().st_size, file.stat().st_mtime_ns) for file in (files[0], files[-1])]
    except (OSError, IndexError) as error:
        raise RuleError(f"{path.name} has been moved or deleted.", "media") from error
    return _hashed(repr((listed, len(files))))


@dataclass
class _Opened:
    """The frames of one clip, for one thread at a time, and a maker for each plan that is looked at. A frame carries
    what converts it, so conversion counts as using it."""

    frames: FrameAccess
    lock: RLock = field(default_factory=RLock)
    makers: OrderedDict[str, Maker] = field(default_factory=OrderedDict)


class Viewing:
    """What the Bench looks with: a few clips open, pictures kept on a shelf."""

    def __init__(self, folder: Path) -> None:
        self.shelf = Shelf(folder)
        self._opened: OrderedDict[str, _Opened] = OrderedDict()
        self._lock = RLock()
        self._fill: tuple[Event, Thread] | None = None
        self._filling = RLock()
        self._under_way: UnderWay[bytes] = UnderWay()
        self._looked: OrderedDict[tuple[str, str | None], int] = OrderedDict()
        self._ahead = ThreadPoolExecutor(1, "bench ahead")

    def close(self) -> None:
        """Close every clip, and stop what is being filled in."""
        self.stop_filling()
        self._looked.clear()
        self._ahead.shutdown(wait=True, cancel_futures=True)
        with self._lock:
            while self._opened:
                self._shut(self._opened.popitem()[1])

    def draft(self, subject: Viewed, number: int) -> bytes:
        """The nearest source picture of a timeline frame, small."""
        unit = nearest(subject.planned, number)
        return self._kept(_draft_key(subject, unit), lambda: self._drawn_small(subject, unit))

    def final(self, subject: Viewed, number: int, part: str | None = None) -> bytes:
        """A timeline frame as it is rendered; ``part`` "upper" or "lower" for one of its fields, "trust" with what was
        mixed laid over it. Whoever goes by even steps finds the next ones made."""
        data = self._final(subject, number, part)
        side = (subject.key, part)
        before = self._looked.pop(side, number)
        self._looked[side] = number
        if len(self._looked) > _SIDES:
            self._looked.popitem(last=False)
        if 0 < abs(number - before) <= _FAR:
            with suppress(RuntimeError):  # where everything is being closed
                self._ahead.submit(self._make_ahead, subject, number, part, number - before)
        return data

    def _final(self, subject: Viewed, number: int, part: str | None) -> bytes:
        key = _hashed(subject.key, "final", str(number), part or "")
        return self._kept(key, lambda: self._made(subject, number, part))

    def _make_ahead(self, subject: Viewed, number: int, part: str | None, step: int) -> None:
        """Make the next frames after one, ``step`` apart, until somebody looks elsewhere."""
        for further in range(number + step, number + step * (_AHEAD + 1), step):
            if self._looked.get((subject.key, part)) != number or not 0 <= further < subject.planned.frame_map.length:
                return
            try:
                self._final(subject, further, part)
            except RuleError:
                return

    def changes(self, subject: Viewed, first: int, count: int) -> list[float]:
        """How much each timeline frame differs from the one before, in grey levels: 0 where nothing does."""
        out: list[float] = []
        before: npt.NDArray[np.uint8] | None = None
        subject_key = subject.key
        for number in range(max(0, first - 1), first + count):
            data = self._kept(_hashed(subject_key, "small", str(number)), partial(self._small, subject, number))
            seen = np.asarray(cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_GRAYSCALE), np.uint8)
            if number >= first:
                out.append(0.0 if before is None else float(cv2.absdiff(seen, before).mean()))
            before = seen
        return out

    def moments(self, subject: Viewed, *, at_once: bool = False) -> list[Moment]:
        """The moments of the action of a clip, found once and kept; ``at_once`` none, where they would have to be
        found."""
        key = _hashed(content_key(subject.path), "moments", "1")
        if at_once and not self.shelf.has(key):
            return []

        def found() -> bytes:
            listed = [[moment.frame, moment.kind.value] for moment in moments_in(subject.path, subject.facts)]
            return json.dumps(listed).encode()

        return [Moment(frame, MomentKind(kind)) for frame, kind in json.loads(self._kept(key, found))]

    def fill(self, subject: Viewed) -> None:
        """Begin to put the drafts of a whole clip on the shelf, in place of any filling that is under way."""
        enough = Event()
        thread = Thread(target=self._fill_in, args=(subject, enough), daemon=True, name="bench drafts")
        with self._filling:
            self.stop_filling()
            self._fill = (enough, thread)
            thread.start()

    def stop_filling(self) -> None:
        """Stop filling in, and wait until that has ended."""
        with self._filling:
            if self._fill is not None:
                self._fill[0].set()
                self._fill[1].join(timeout=5)
                self._fill = None

    def _fill_in(self, subject: Viewed, enough: Event) -> None:
        try:
            with FrameAccess(subject.path, subject.facts) as frames:
                maker = Maker(frames, subject.planned, subject.canvas, "yuv420p", subject.cuts)
                for unit in range(min(subject.planned.frame_map.units, _MOST_FILLED)):
                    if enough.is_set():
                        return
                    key = _draft_key(subject, unit)
                    if not self.shelf.has(key):
                        self.shelf.put(key, _draft_of(subject, maker.source_picture(unit)))
                        time.sleep(0.001)
        except RuleError:
            return

    def _kept(self, key: str, make: Callable[[], bytes]) -> bytes:
        """What is on the shelf under a key, or else made for it, once for all who ask at the same time."""
        if (data := self.shelf.get(key)) is not None:
            return data

        def made() -> bytes:
            data = make()
            self.shelf.put(key, data)
            return data

        return self._under_way.once(key, made)

    def _drawn_small(self, subject: Viewed, unit: int) -> bytes:
        opened = self._open(subject)
        with opened.lock:
            return _draft_of(subject, self._maker(opened, subject).source_picture(unit))

    def _made(self, subject: Viewed, number: int, part: str | None) -> bytes:
        opened = self._open(subject)
        with opened.lock:
            made = self._maker(opened, subject).made(number)
            frame = made.frame if part in (None, "trust") else field_of(made.frame, FieldOrder(part))
            picture = eight_bit_rgb(frame)
        width, height = subject.size
        lines = cv2.INTER_NEAREST if part in ("upper", "lower") else cv2.INTER_AREA
        if picture.shape[:2] != (height, width):
            picture = np.asarray(cv2.resize(picture, (width, height), interpolation=lines), np.uint8)
        if part == "trust" and made.mixed_part is not None:
            over = np.asarray(cv2.resize(made.mixed_part, (width, height)), np.float32)[..., None] * 0.7
            picture = (picture * (1 - over) + np.array(_PLUM, np.float32) * over).astype(np.uint8)
        return _jpeg(picture, _QUALITY)

    def _small(self, subject: Viewed, number: int) -> bytes:
        opened = self._open(subject)
        with opened.lock:
            luma = luma_of(self._maker(opened, subject).made(number).frame)
            small = cv2.resize(luma, (240, 136), interpolation=cv2.INTER_AREA)
        return _encoded(".png", np.asarray(small, np.uint8), [])

    def _open(self, subject: Viewed) -> _Opened:
        key = content_key(subject.path)
        with self._lock:
            if key not in self._opened:
                size = max(1, subject.facts.width * subject.facts.height * 2)
                frames = FrameAccess(subject.path, subject.facts, min(400, max(24, _FRAME_BYTES // size)))
                self._opened[key] = _Opened(frames)
            self._opened.move_to_end(key)
            while len(self._opened) > _MOST_CLIPS:
                self._shut(self._opened.popitem(last=False)[1])
            return self._opened[key]

    def _maker(self, opened: _Opened, subject: Viewed) -> Maker:
        key = subject.key
        if key not in opened.makers:
            name = opened.frames.frame(subject.planned.span[0]).format.name
            opened.makers[key] = Maker(opened.frames, subject.planned, subject.canvas, name, subject.cuts)
        opened.makers.move_to_end(key)
        while len(opened.makers) > 4:
            opened.makers.popitem(last=False)
        return opened.makers[key]

    def _shut(self, opened: _Opened) -> None:
        with opened.lock:
            opened.frames.__exit__()
            opened.makers.clear()


def nearest(planned: Conform, number: int) -> int:
    """The source unit that Pick shows in a timeline frame, or else the nearest to its moment."""
    if planned.treatment.between.takes is Takes.BESIDE:
        return max(planned.frame_map.weights(number).parts, key=lambda part: part[1])[0]
    return planned.frame_map.pick(number)


def _draft_key(subject: Viewed, unit: int) -> str:
    frames, framing = subject.planned.unit(unit), subject.planned.treatment.framing
    return _hashed(content_key(subject.path), repr((subject.planned.fields, frames, framing, _small_canvas(subject))))


def _draft_of(subject: Viewed, frame: VideoFrame) -> bytes:
    """A source picture small on the canvas, quickly: its colour is converted as it is brought down."""
    canvas, framing, facts = _small_canvas(subject), subject.planned.treatment.framing, subject.facts
    framing = Framing.STRETCH if framing is Framing.KEEP else framing
    place = placed(frame.width, frame.height, facts.pixel_aspect, canvas, framing)
    out = np.zeros((canvas.height, canvas.width, 3), np.uint8)
    put(out, eight_bit_rgb(frame, (place.width, place.height)), place)
    return _jpeg(out, _DRAFT_QUALITY)


def _small_canvas(subject: Viewed) -> Canvas:
    width, height = subject.size
    small = min(DRAFT_WIDTH, width)
    return Canvas(small // 2 * 2, max(2, round(height * small / width) // 2 * 2))


def _jpeg(picture: npt.NDArray[np.uint8], quality: int) -> bytes:
    blue_first = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2BGR), np.uint8)
    return _encoded(".jpg", blue_first, [cv2.IMWRITE_JPEG_QUALITY, quality])


def _encoded(kind: str, picture: npt.NDArray[np.uint8], how: list[int]) -> bytes:
    good, data = cv2.imencode(kind, picture, how)
    if not good:
        raise RuleError("This picture cannot be shown.", "media")
    return data.tobytes()


def _hashed(*texts: str) -> str:
    return sha256("\0".join(texts).encode()).hexdigest()
