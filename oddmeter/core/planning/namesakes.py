"""Namesakes: clips of one name, as every card of a camera has them, told apart by where they lie."""

from collections import defaultdict
from collections.abc import Hashable, Mapping, Sequence
from typing import TypeVar

K = TypeVar("K", bound=Hashable)


def folders_apart(paths: Mapping[K, str]) -> dict[K, str]:
    """For each clip whose name others have as well, the folder that tells it from them: the nearest one that all of
    them have otherwise, else several folders, ``CAM_A/DAY_2``. ``paths`` have slashes, the outermost folder first and
    the name last. Clips of the same path are not told apart by it."""
    namesakes: dict[str, list[K]] = defaultdict(list)
    for clip, path in paths.items():
        namesakes[path.rpartition("/")[2]].append(clip)
    out: dict[K, str] = {}
    for several in namesakes.values():
        if len(several) > 1:
            out.update(_apart({clip: paths[clip].split("/")[:-1] for clip in several}))
    return out


def told(name: str, folder: str) -> str:
    """A name with the folder that tells it from others: ``C0001.mov (CAM_A)``; the name alone where there is none."""
    return f"{name} ({folder})" if folder else name


def _apart(folders: Mapping[K, Sequence[str]]) -> dict[K, str]:
    deepest = max(map(len, folders.values()))
    one = ({clip: each[-near] if near <= len(each) else "" for clip, each in folders.items()}
           for near in range(1, deepest + 1))  # fmt: skip
    more = ({clip: "/".join(each[-near:]) for clip, each in folders.items()} for near in range(2, deepest + 1))
    found = next((told for told in (*one, *more) if len(set(told.values())) == len(told)), None)
    return found or {clip: "/".join(each) for clip, each in folders.items()}
