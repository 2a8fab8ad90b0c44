"""The sound streams that a setting takes, with the channels it asks for."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from av.audio.frame import AudioFrame
from av.audio.layout import AudioLayout
from av.audio.resampler import AudioResampler

from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.settings.setting import Channels, Place, SoundSetting
from oddmeter.media.sound.track import SoundTrack


def taken(tracks: Sequence[SoundTrack], asked: SoundSetting) -> tuple[SoundTrack, ...]:
    """The streams that are written, of all that there are. Raises ``RuleError`` where one is asked for that is not
    there."""
    if asked.place is Place.NONE:
        return ()
    if asked.streams is not None:
        if too_high := [number for number in asked.streams if number > len(tracks)]:
            there = {0: "no sound", 1: "one sound stream"}.get(len(tracks), f"{len(tracks)} sound streams")
            raise RuleError(f"The setting takes sound stream {too_high[0]}; there is {there}.", "sound")
        tracks = [tracks[number - 1] for number in asked.streams]
    if asked.channels is Channels.KEEP:
        return tuple(tracks)
    return tuple(MixedDown(track, asked.channels) for track in tracks)


@dataclass(frozen=True)
class MixedDown(SoundTrack):
    """A stream mixed down to fewer channels, or up, by the weights of the library (ITU-R BS.775)."""

    track: SoundTrack
    channels: Channels

    @property
    def rate(self) -> int:  # type: ignore[override]
        """Samples a second of the stream."""
        return self.track.rate

    @property
    def name(self) -> str:  # type: ignore[override]
        """What the stream is called."""
        return self.track.name

    @property
    def samples(self) -> int:
        """How many samples the stream has."""
        return self.track.samples

    @property
    def layout(self) -> tuple[str, int]:
        """The layout that was asked for."""
        return self.channels.value, AudioLayout(self.channels.value).nb_channels

    def frames(self, sample_format: str) -> Iterator[AudioFrame]:
        """The mixed stream, frame by frame."""
        resampler = AudioResampler(format=sample_format, layout=self.channels.value, rate=self.rate)
        for frame in self.track.frames("flt"):
            place, base = frame.pts, frame.time_base
            for made in resampler.resample(frame):
                made.pts, made.time_base = place, base
                yield made
