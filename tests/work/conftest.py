"""Clips in a show, ready for tasks."""

from fractions import Fraction

import pytest

from oddmeter.config import Config
from oddmeter.core.decisions.levels import Decisions
from oddmeter.core.decisions.parts import IntentSetting
from oddmeter.core.decisions.treatment import Intent
from oddmeter.core.planning.clips import Clip, known_of
from oddmeter.core.planning.plans import Plan, plan
from oddmeter.media.settings.setting import Setting
from oddmeter.media.settings.shipped import VIEW
from oddmeter.store import clips, decisions, renders, shows
from oddmeter.store.changes import change
from oddmeter.store.database import Database
from oddmeter.store.renders import Asked, Render
from oddmeter.work.orders import order_of
from oddmeter.work.tasks import look_at


class Desk:
    """Brings clips in and asks for files, as the web application does."""

    def __init__(self, config: Config, database: Database, show_id: int) -> None:
        self.config, self.database, self.show_id = config, database, show_id

    def bring_in(self, *paths: str, root: str = "Footage", look: bool = True) -> list[Clip]:
        with change(self.database, self.show_id, "brought in", "Ada") as connection:
            delivery = clips.add_delivery(connection, self.show_id, "Card", root, "", paths)
            clips.bring_in(connection, delivery)
        ids = [clip.id for clip in self.clips() if clip.delivery_id == delivery]
        if look:
            for clip_id in ids:
                look_at(self.config, self.database, clip_id)
        return [clip for clip in self.clips() if clip.id in ids]

    def clips(self) -> list[Clip]:
        with self.database.transaction() as connection:
            return clips.clips_of_show(connection, self.show_id)

    def ask(self, clip: Clip, out: str, setting: Setting = VIEW, speed: Fraction = Fraction(1)) -> int:
        with change(self.database, self.show_id, "speed", "Ada") as connection:
            wish = Decisions(intent=IntentSetting(Intent.SPEED, speed))
            decisions.decide_clips(connection, {clip.id: wish})
        with self.database.transaction() as connection:
            clip = clips.clips_by_id(connection, [clip.id])[0]
            timeline = shows.show(connection, self.show_id).settled_timeline()
            made = plan(known_of(clip), decisions.house(connection, self.show_id), timeline)
            assert isinstance(made, Plan)
            ordered = order_of(made).model_dump(mode="json")
            path = out + setting.suffix
            file = Asked(timeline.id, clip.id, setting.name, None, path, ordered, made.after)
            return renders.ask(connection, [file]).get(path, 0)

    def render(self, render_id: int) -> Render:
        with self.database.transaction() as connection:
            return renders.render(connection, render_id)


@pytest.fixture
def desk(config: Config, database: Database, show_id: int) -> Desk:
    return Desk(config, database, show_id)
