"""The settings that every show has, and ready-made ones for everything that can be written."""

from collections.abc import Iterator

from oddmeter.media.settings.codecs import CODECS, PictureCodec
from oddmeter.media.settings.containers import CONTAINERS, PICTURES
from oddmeter.media.settings.samples import samples
from oddmeter.media.settings.setting import PictureSetting, Place, Setting, SoundSetting
from oddmeter.media.settings.sounds import SOUND_CODECS

ARCHIVE = Setting(
    name="archive", label="Archive, lossless FFV1 in Matroska", container="matroska",
    picture=PictureSetting(codec="ffv1"),
)  # fmt: skip
EDIT = Setting(
    name="edit", label="Edit, VC-3 (SMPTE ST 2019-1) in MOV", container="mov", picture=PictureSetting(codec="vc3")
)
VIEW = Setting(
    name="view", label="View, light H.264 in MP4", container="mp4",
    picture=PictureSetting(codec="h264", bits=8, chroma="4:2:0"), sound=SoundSetting(codec="aac"),
)  # fmt: skip
SHIPPED = (
    ARCHIVE,
    EDIT,
    VIEW,
)  # fmt: skip
"""One without loss for archives, one for editing, one light for viewing."""


def ready_made() -> tuple[Setting, ...]:
    """One setting for each codec, profile or chroma, depth and container that can be written, beside the shipped."""
    return tuple(_every())


def _every() -> Iterator[Setting]:
    for codec in CODECS.values():
        for container in codec.containers:
            for profile, bits, chroma in _kinds(codec):
                words = (codec.name, profile.replace(" ", "-"), *(() if profile else (chroma.replace(":", ""), bits)))
                yield Setting(
                    name="-".join(str(word) for word in (*words, container) if word),
                    label=_label(codec, profile, bits, chroma, container), container=container,
                    picture=PictureSetting(codec=codec.name, profile=profile, bits=bits, chroma=chroma),
                    sound=_sound(container),
                )  # fmt: skip


def _kinds(codec: PictureCodec) -> list[tuple[str, int | None, str]]:
    """The profiles of a codec, or its pairs of depth and chroma, each once."""
    found: dict[tuple[str, int | None, str], None] = {}
    for profile in codec.profiles:
        for kind in map(samples, profile.pixel_formats):
            if profile.name:
                found[profile.name, None, ""] = None
            elif not kind.alpha:
                found["", kind.bits, kind.word] = None
    return list(found)


def _sound(container: str) -> SoundSetting:
    if container == PICTURES:
        return SoundSetting(place=Place.BESIDE, codec="pcm24")
    return SoundSetting(codec="pcm24" if container in SOUND_CODECS["pcm24"].containers else "aac")


def _label(codec: PictureCodec, profile: str, bits: int | None, chroma: str, container: str) -> str:
    kind = codec.profile(profile).label if profile else f"{chroma}, {bits} bit"
    return f"{codec.label}, {kind}, in {CONTAINERS[container].label}"


def named(name: str) -> Setting | None:
    """The shipped or ready-made setting of that name; None where there is none."""
    return next((setting for setting in (*SHIPPED, *ready_made()) if setting.name == name), None)
