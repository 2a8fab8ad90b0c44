"""The settings that files of a show can be made with, by name: those that every show has, and its own."""

import logging
from typing import Any

from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import SHIPPED
from oddmeter.store.database import Connection
from oddmeter.store.handoff.documents import SETTINGS

log = logging.getLogger("oddmeter.web")


def settings_in(connection: Connection, show_id: int) -> dict[str, Setting]:
    """The settings of a show by name. One whose codec is not written on this machine is left out."""
    out = {setting.name: setting for setting in SHIPPED}
    for stored in SETTINGS.of_show(connection, show_id):
        try:
            out[stored.name] = Setting.parse(stored.document)
        except RuleError as error:
            log.warning("the setting %s cannot be written here: %s", stored.name, error)
    return out


def setting_named(connection: Connection, show_id: int, name: str) -> Setting:
    """The setting of that name; raises ``RuleError`` where the show has none."""
    found = settings_in(connection, show_id).get(name)
    if found is None:
        raise RuleError(f"There is no setting “{name}” in this show.", "setting")
    return found


def document_of(setting: Setting) -> dict[str, Any] | None:
    """What a render keeps of its setting: all of it, but of one that every show has only its name."""
    return None if setting in SHIPPED else setting.document()
