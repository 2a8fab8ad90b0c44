"""A show's own settings for made files: made, changed, read and written as JSON, and what each can be."""

from typing import Any

from fastapi import APIRouter
from pydantic import BaseModel

from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.settings.codecs import CODECS, PictureCodec
from oddmeter.media.settings.containers import CONTAINERS, PICTURES
from oddmeter.media.settings.samples import samples
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import SHIPPED
from oddmeter.media.settings.sounds import SOUND_CODECS, WAV
from oddmeter.store.changes import change
from oddmeter.store.handoff.documents import SETTINGS, Stored
from oddmeter.web.http.context import Here
from oddmeter.web.views.asked import ShowId
from oddmeter.web.views.changes import ChangedView

router = APIRouter(prefix="/api", tags=["settings"])


class OwnSettingView(BaseModel):
    """A setting as it stands: its document, what it comes to in words, and why it cannot be written here, where that is
    so. One that every show has is not its own and has no id."""

    id: int | None
    name: str
    words: str
    document: dict[str, Any]
    problem: str | None
    revision: int


class SettingIn(BaseModel):
    """A setting as a document."""

    document: dict[str, Any]


class SettingChange(SettingIn):
    """A setting to change, with the revision that was seen."""

    revision: int


class CheckedSetting(BaseModel):
    """What a document comes to, in words, or what is wrong with it."""

    words: str
    problem: str | None


class ProfileView(BaseModel):
    """A profile of a codec."""

    name: str
    label: str


class CodecView(BaseModel):
    """A picture codec: where it goes, its profiles, depths and chroma, and what its quality is counted in."""

    name: str
    label: str
    containers: list[str]
    profiles: list[ProfileView]
    bits: list[int]
    chroma: list[str]
    best: int | None
    least: int | None
    usual: int | None
    takes_bit_rate: bool
    groups: bool
    fields: bool
    lossless: bool


class SoundCodecView(BaseModel):
    """A sound codec, and where it goes; ``beside`` where it can lie beside a file as WAV."""

    name: str
    label: str
    containers: list[str]
    beside: bool
    takes_bit_rate: bool


class ContainerView(BaseModel):
    """A container; ``numbered`` is a folder of numbered pictures."""

    name: str
    label: str
    suffix: str
    numbered: bool


class SettingChoices(BaseModel):
    """Everything that can be asked for on this machine."""

    containers: list[ContainerView]
    codecs: list[CodecView]
    sounds: list[SoundCodecView]


@router.get("/settings/choices")
def setting_choices() -> SettingChoices:
    """Everything that settings can ask for on this machine."""
    return SettingChoices(
        containers=[
            ContainerView(name=into.name, label=into.label, suffix=into.suffix, numbered=into.name == PICTURES)
            for into in CONTAINERS.values()
        ],
        codecs=[_codec_view(codec) for codec in CODECS.values()],
        sounds=[
            SoundCodecView(
                name=sound.name, label=sound.label, containers=[name for name in sound.containers if name != WAV],
                beside=WAV in sound.containers, takes_bit_rate=sound.bit_rate > 0,
            )
            for sound in SOUND_CODECS.values()
        ],
    )  # fmt: skip


@router.post("/settings/check")
def check_setting(asked: SettingIn) -> CheckedSetting:
    """What a document would come to; nothing is kept."""
    try:
        return CheckedSetting(words=setting_words(Setting.parse(asked.document)), problem=None)
    except RuleError as error:
        return CheckedSetting(words="", problem=str(error))


@router.get("/shows/{show_id}/settings")
def list_settings(here: Here, show_id: ShowId) -> list[OwnSettingView]:
    """The settings of a show: those that every show has, and its own by name."""
    with here.database.transaction() as connection:
        own = SETTINGS.of_show(connection, show_id)
    every = [
        OwnSettingView(
            id=None, name=setting.name, words=setting_words(setting), document=setting.document(), problem=None,
            revision=0,
        )
        for setting in SHIPPED
    ]  # fmt: skip
    return every + [_view(stored) for stored in own]


@router.post("/shows/{show_id}/settings", status_code=201)
def add_setting(here: Here, show_id: ShowId, asked: SettingIn) -> ChangedView:
    """Add a setting of the show's own."""
    setting = _own(asked)
    title = f"Setting “{setting.name}” added"
    with change(here.database, show_id, title, here.person) as connection:
        SETTINGS.add(connection, show_id, setting.name, setting.document())
    return ChangedView(title=title)


@router.put("/shows/{show_id}/settings/{setting_id}")
def set_setting(here: Here, show_id: ShowId, setting_id: int, asked: SettingChange) -> ChangedView:
    """Change a setting of the show's own; files made with it before keep what they were made with."""
    setting = _own(asked)
    title = f"Setting “{setting.name}” changed"
    with change(here.database, show_id, title, here.person) as connection:
        SETTINGS.change(connection, show_id, setting_id, setting.name, setting.document(), asked.revision)
    return ChangedView(title=title)


@router.delete("/shows/{show_id}/settings/{setting_id}")
def remove_setting(here: Here, show_id: ShowId, setting_id: int) -> ChangedView:
    """Remove a setting of the show's own."""
    with here.database.transaction() as connection:
        known = {stored.id: stored.name for stored in SETTINGS.of_show(connection, show_id)}
    title = f"Setting “{known.get(setting_id, '')}” removed"
    with change(here.database, show_id, title, here.person) as connection:
        SETTINGS.remove(connection, show_id, setting_id)
    return ChangedView(title=title)


def _own(asked: SettingIn) -> Setting:
    setting = Setting.parse(asked.document)
    if any(setting.name.casefold() == shipped.name for shipped in SHIPPED):
        raise RuleError(f"“{setting.name}” is a setting that every show has. Choose another name.", "exists")
    return setting


def _view(stored: Stored) -> OwnSettingView:
    checked = check_setting(SettingIn(document=stored.document))
    return OwnSettingView(
        id=stored.id, name=stored.name, words=checked.words, document=stored.document, problem=checked.problem,
        revision=stored.revision,
    )  # fmt: skip


def _codec_view(codec: PictureCodec) -> CodecView:
    kinds = [samples(name) for profile in codec.profiles for name in profile.pixel_formats]
    scale = codec.scale
    return CodecView(
        name=codec.name, label=codec.label, containers=list(codec.containers),
        profiles=[ProfileView(name=profile.name, label=profile.label) for profile in codec.profiles if profile.name],
        bits=sorted({kind.bits for kind in kinds}), chroma=list(dict.fromkeys(kind.word for kind in kinds)),
        best=scale.best if scale else None, least=scale.least if scale else None,
        usual=scale.usual if scale else None, takes_bit_rate=codec.takes_bit_rate, groups=codec.groups,
        fields=codec.fields, lossless=codec.lossless,
    )  # fmt: skip


def setting_words(setting: Setting) -> str:
    """What a setting comes to: codec, samples, container, and what differs from the timeline."""
    picture, sound, codec = setting.picture, setting.sound, setting.codec
    parts = [codec.label, codec.profile(picture.profile).label if picture.profile else ""]
    parts += [f"{picture.bits} bit" if picture.bits else "", picture.chroma]
    parts.append(f"quality {picture.quality}" if picture.quality is not None else "")
    parts.append(f"{picture.bit_rate} kbit/s" if picture.bit_rate is not None else "")
    parts.append("" if picture.raster == "timeline" else picture.raster)
    parts.append("" if picture.fields == "timeline" else str(picture.fields))
    parts.append(setting.into.label)
    heard = setting.sound_codec.label
    parts.append({"none": "no sound", "beside": f"{heard} beside it as WAV", "file": heard}[sound.place.value])
    return ", ".join(filter(None, parts))
