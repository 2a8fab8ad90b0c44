"""Remarks: sentences about what is odd in a file that can be used."""

from collections.abc import Iterator, Sequence
from fractions import Fraction

import av
from av.container import InputContainer
from av.video.stream import VideoStream

from oddmeter.core.evidence.facts import Facts, Sound
from oddmeter.core.numbers.numerals import decimal_text
from oddmeter.core.pictures.scan import Scan
from oddmeter.media.files.indexing import Indexed
from oddmeter.media.files.opened import has_decoder
from oddmeter.media.files.walking import Walk


def remarks(facts: Facts, walked: Walk, found: Indexed, container: InputContainer, video: VideoStream) -> Iterator[str]:
    if walked.broken_off or (walked.pictures.damaged and not walked.pictures.takes):
        yield f"The file breaks off or is damaged; {facts.frames} frames can be read."
    elif (stated := _stated_packets(container, video)) > found.places:
        yield f"The file is cut short: its header promises {stated} frames, {facts.frames} are there."
    elif (missing := _missing_frames(facts, found, container, video)) > 1:
        yield f"The file is cut short: about {missing} frames that its header promises are missing."
    if takes := walked.pictures.takes:
        begins = next((int(frame) for frame in found.index.shown[takes[0] :] if frame >= 0), facts.frames)
        yield f"{len(takes) + 1} recordings follow each other in it; the second begins at frame {begins}."
    if left := found.left_at_start:
        pictures = _count(left, "picture", "pictures")
        lost = f"{pictures} at its start cannot be decoded and {_are(left)} skipped"
        yield f"It starts in the middle of a group of pictures: {lost}."
    if left := found.left_later:
        yield f"{_count(left, 'picture', 'pictures')} cannot be decoded and {_are(left)} skipped."
    if left := walked.pictures.left_out + max(0, video.frames - _stated_packets(container, video)):
        yield f"An edit list in the file hides {_count(left, 'frame', 'frames')}."
    if facts.duplicates and facts.clock is None:
        yield f"{_count(facts.duplicates, 'frame has', 'frames have')} the same timestamp as another."
    if facts.gaps and facts.clock is None:
        yield f"Its timestamps have {_count(facts.gaps, 'gap', 'gaps')}: frames are missing."
    if walked.pictures.without_time:
        yield f"{walked.pictures.without_time} frames have no timestamp."
    yield from _of_sounds(facts, walked, container)
    if facts.turn.swaps and facts.scan is Scan.INTERLACED:
        yield "It is interlaced and rotated by 90°, so its fields cannot be separated."
    if facts.frames == 1:
        yield "It has a single frame; its rate is taken from the header."


def _are(number: int) -> str:
    return "is" if number == 1 else "are"


def _count(number: int, one: str, many: str) -> str:
    return f"{number} {one if number == 1 else many}"


def _missing_frames(facts: Facts, found: Indexed, container: InputContainer, video: VideoStream) -> int:
    """Frames between the last timestamp and the length that a container without a frame count promises."""
    promised, clock = container.duration, video.time_base
    if not promised or not clock or not found.ticks or facts.file_rate is None or video.frames:
        return 0
    start = Fraction(min(container.start_time or 0, 0), av.time_base)  # some count their length from zero
    end = found.ticks[-1] * clock + 1 / facts.file_rate.value
    end = max([end, *(start + sound.seconds for sound in facts.sounds)])
    return int((Fraction(promised, av.time_base) + start - end) * facts.file_rate.value)


def _stated_packets(container: InputContainer, video: VideoStream) -> int:
    """How many packets of pictures the header states, without those that an edit list leaves out altogether."""
    return len(video.index_entries) if "mov" in container.format.name and video.index_entries else video.frames


def _of_sounds(facts: Facts, walked: Walk, container: InputContainer) -> Iterator[str]:
    deaf = sum(not has_decoder(stream) for stream in container.streams.audio)
    deaf += sum(heard.decodes is False for heard in walked.heard.values())
    if deaf:
        which = "sound stream" if deaf == 1 else f"{deaf} sound streams"
        yield f"Its {which} cannot be decoded and {_are(deaf)} skipped."
    if failed := sum(heard.failed for heard in walked.heard.values() if heard.decodes):
        yield f"{_count(failed, 'block', 'blocks')} at the start of its sound cannot be decoded; silence is used there."
    yield from _of_times(facts.sounds)


def _of_times(sounds: Sequence[Sound]) -> Iterator[str]:
    """Sentences about holes and overlaps in sounds, and about clocks that are not the file's."""
    for number, sound in enumerate(sounds):
        which = "Its sound" if len(sounds) == 1 else f"Sound {number + 1}"
        times = sound.times
        if holes := times.holes:
            at, lasts = holes[0]
            whole = sum((hole for _, hole in holes), Fraction(0))
            more = f" and {len(holes) - 1} more, {decimal_text(whole, 2)} s in all" if len(holes) > 1 else ""
            where = f"{decimal_text(lasts, 2)} s at {decimal_text(at, 2)} s{more}"
            yield f"{which} has a gap of {where}; silence is used there."
        if times.overlaps:
            places = "one place" if times.overlaps == 1 else f"{times.overlaps} places"
            yield f"{which} has overlapping timestamps at {places}; the earlier block is played to its end."
        if times.rate is not None:
            off = (times.rate / sound.sample_rate - 1) * 100
            pace = f"{decimal_text(abs(off), 3)} % {'fast' if off > 0 else 'slow'}"
            yield f"{which} runs {pace}; it is resampled to stay in sync with the picture."
