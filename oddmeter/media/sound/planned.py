"""What becomes of a clip's sound under a conform: where in the file it begins, how fast it runs, how long it is."""

from fractions import Fraction
from pathlib import Path

from oddmeter.core.conform.speeds import Conform
from oddmeter.core.decisions.treatment import SoundChoice
from oddmeter.core.evidence.facts import Sound
from oddmeter.core.maps.paths import Path as PathOfTime
from oddmeter.core.maps.timed import TimedMap
from oddmeter.media.sound.along import SoundCourse
from oddmeter.media.sound.track import SoundPlan, sound_rate_of


def sounds_of(source: Path, heard: tuple[Sound, ...], planned: Conform, rate: int | None) -> tuple[SoundPlan, ...]:
    """What becomes of each sound stream that is taken, at ``rate`` samples a second or its own; none where sound is
    switched off."""
    if planned.treatment.sound is SoundChoice.OFF:
        return ()
    return tuple(_sound(source, heard[number], planned, rate) for number in planned.treatment.streams.of(len(heard)))


def music_of(music: Path, planned: Conform, rate: int | None) -> SoundPlan:
    """The music beside a clip, cut to the length of the picture with a fade; raises ``RuleError`` where it cannot be
    heard."""
    asked, timeline = planned.treatment.music, planned.timeline_rate.value
    length, own = planned.frame_map.length / timeline, sound_rate_of(music)
    return SoundPlan(
        music, Fraction(1), -asked.start / timeline, length, length, rate or own, own,
        name=asked.name, fade=min(length, asked.fade / timeline),
    )  # fmt: skip


def _sound(source: Path, sound: Sound, planned: Conform, rate: int | None) -> SoundPlan:
    first, stop = planned.span
    file_rate, clock, course = planned.material.file_rate.value, planned.material.clock, _course(planned)
    start, lasts = first / file_rate, (stop - first) / file_rate
    if clock is not None:
        start, lasts = clock.time(first), clock.time(stop) - clock.time(first)
    length = planned.frame_map.length / planned.timeline_rate.value
    if (part := _part(planned)) is not None:
        start, lasts, even = part
        course = None if even else course
    return SoundPlan(
        source, planned.sound_factor, start, lasts, length, rate or sound.sample_rate,
        sound.times.rate or sound.sample_rate, planned.treatment.sound is SoundChoice.PITCH, planned.treatment.reverse,
        course, sound.place, sound.name, times=sound.times,
    )  # fmt: skip


def _part(planned: Conform) -> tuple[Fraction, Fraction, bool] | None:
    """Of an event: where in the file its sound begins and how many seconds it takes, and whether at one speed; None of
    a whole clip. Where the source is over, it goes on into silence."""
    frame_map = planned.frame_map
    if not isinstance(frame_map, TimedMap) or not frame_map.is_part:
        return None
    path = frame_map.path
    scale = Fraction(1) if planned.by_times else planned.read_rate.value / planned.material.file_rate.value
    running = [piece for piece in path.pieces if not piece.rests]
    own_times = planned.material.clock is not None and not planned.by_times
    if len(running) == 1 and running[0].is_straight and path.pieces[0] is running[0] and not own_times:
        run = planned.sound_factor * path.lasts
        begins = path.at(Fraction(0)) * scale
        return (begins - run if planned.treatment.reverse else begins), run, True
    places = [piece.source * scale for piece in path.pieces]
    places += [piece.at(min(piece.ends, path.lasts)) * scale for piece in path.pieces]
    low = max(Fraction(0), min(places) - 1)
    return low, max(places) + 1 - low, False


def _course(planned: Conform) -> SoundCourse | None:
    """How the sound runs where its speed changes along the shot; None where it is the same throughout."""
    material, read, clock = planned.material, planned.read_rate.value, planned.material.clock
    first, stop = planned.span
    if isinstance(planned.frame_map, TimedMap):
        path = planned.frame_map.path
    elif clock is not None and not planned.treatment.reverse:
        path = PathOfTime.straight(first / read, planned.speed, (stop - first) / (read * planned.speed))
    else:
        return None
    if planned.by_times:
        straight = len(path.pieces) == 1 and path.pieces[0].is_straight and path.pieces[0].way > 0
        return None if straight else SoundCourse(path)
    return SoundCourse(path, read / material.file_rate.value, clock, read)
