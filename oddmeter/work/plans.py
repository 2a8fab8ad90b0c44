"""From a stored render to the plan of its file, on this machine."""

from dataclasses import replace
from functools import partial

from oddmeter.config import Config
from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.plans import FilePlan
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import SHIPPED
from oddmeter.store import clips, facts
from oddmeter.store.database import Connection
from oddmeter.store.renders import Render
from oddmeter.work.orders import Order, plan_to_make
from oddmeter.work.ranges import RangeOrder, timeline_plan


def file_plan(connection: Connection, config: Config, asked: Render) -> FilePlan:
    """The plan of a stored render; raises ``RuleError`` where its places are not here, or its setting cannot be written
    here."""
    setting = setting_of(asked)
    if asked.clip_id is None:
        ordered = RangeOrder.model_validate(asked.plan)
        found = clips.clips_by_id(connection, ordered.clip_ids, even_removed=True)
        identity_at = partial(facts.identity_at, connection, asked.show_id)
        return timeline_plan(ordered, found, config, setting, asked.out_path, identity_at)
    clip = clips.clips_by_id(connection, [asked.clip_id], even_removed=True)[0]
    plan = plan_to_make(Order.model_validate(asked.plan), clip, config, setting, asked.out_path)
    music = plan.conformed.treatment.music
    if music:
        plan = replace(plan, music_known=facts.identity_at(connection, clip.show_id, music.root, music.path))
    return plan


def setting_of(asked: Render) -> Setting:
    """The setting of a stored render; raises ``RuleError`` where it cannot be written here."""
    if asked.setting_document is not None:
        return Setting.parse(asked.setting_document)
    found = next((setting for setting in SHIPPED if setting.name == asked.setting), None)
    if found is None:
        raise RuleError(f"There is no setting “{asked.setting}” here.", "setting")
    return found
