"""Render: decode, follow the frame map, encode at the exact timeline rate.

Everything is written beside its final name and placed only when it is complete.
"""

from collections.abc import Callable
from pathlib import Path

import av

from oddmeter.core.numbers.errors import RuleError
from oddmeter.media.plans import FilePlan
from oddmeter.media.settings.setting import Place
from oddmeter.media.writing.files import write_file
from oddmeter.media.writing.holding import insist_on_holding
from oddmeter.media.writing.losses import Losses
from oddmeter.media.writing.numbered import write_numbered
from oddmeter.media.writing.placing import could_not_write, place, remove, unfinished
from oddmeter.media.writing.sounds import beside, write_wav


def render(
    plan: FilePlan,
    progress: Callable[[int], None] = lambda done: None,
    before_placing: Callable[[], None] = lambda: None,
) -> Losses:
    """Make the file of a plan, or its folder of numbered pictures, and the sound beside it; returns what its pictures
    lost.

    ``progress`` is called with the number of timeline frames done, ``before_placing`` once before anything that is
    finished gets its name; both may raise. Raises ``RuleError`` where the plan cannot be made or a final name is
    taken, or the source is another file than the one that was looked at. Where anything is raised, nothing stays
    behind.
    """
    if plan.out.resolve().parent in {source.path.resolve().parent for source in plan.sources}:
        raise RuleError("Files cannot be written into their source's folder. Choose another folder.", "folder")
    for final in made_files(plan):
        if final.exists():
            raise RuleError(f"{final.name} already exists and was not overwritten.", "exists")
    insist_on_holding(plan)
    try:
        plan.out.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise RuleError(could_not_write(f"The folder {plan.out.parent}", error), "folder") from error
    plan.insist_on_sources()
    written: list[tuple[Path, Path]] = []
    try:
        losses = _write(plan, written, progress)
        before_placing()
        place(written)
        return losses
    except (av.error.FFmpegError, OSError) as error:
        raise RuleError(could_not_write(plan.out.name, error), "write") from error
    finally:
        for path, _ in written:
            remove(path)


def made_files(plan: FilePlan) -> list[Path]:
    """What lies under final names when a plan is made: its file or folder, and the sound beside a file."""
    is_beside = plan.setting.sound.place is Place.BESIDE and not plan.setting.is_numbered
    return [plan.out, *(beside(plan, plan.out.parent) if is_beside else [])]


def _write(plan: FilePlan, written: list[tuple[Path, Path]], progress: Callable[[int], None]) -> Losses:
    """Write all of a plan; ``written`` gets each thing that is begun, with its final name."""
    path = unfinished(plan.out)
    written.append((path, plan.out))
    if plan.setting.is_numbered:
        path.mkdir()
        losses = write_numbered(plan, path, progress)
        sounds = [(file, file) for file in beside(plan, path)]
    else:
        losses = write_file(plan, path, progress)
        is_beside = plan.setting.sound.place is Place.BESIDE
        sounds = [(unfinished(final), final) for final in beside(plan, plan.out.parent)] if is_beside else []
        written += sounds
    for (file, _), track in zip(sounds, plan.sounds, strict=bool(sounds)):
        write_wav(file, track, plan)
    return losses
