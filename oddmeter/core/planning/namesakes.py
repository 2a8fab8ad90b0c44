"""Namesakes: clips of one name, as every card of a camera has them, told apart by where they lie."""

from collections import defaultdict
from collections.abc import Hashable, Iterator, Mapping, Sequence
from typing import TypeVar

K = TypeVar("K", bound=Hashable)


def folders_apart(paths: Mapping[K, str]) -> dict[K, str]:
    """For each clip whose name others have as well, the folder that distinguishes it from them: the nearest one that
    all of them have otherwise, else several folders, ``CAM_A/DAY_2``. ``paths`` have slashes, the outermost folder
    first and the name last. Clips of the same path have the same one, and none where nobody's is another."""
    namesakes: dict[str, list[K]] = defaultdict(list)
    for clip, path in paths.items():
        namesakes[path.rpartition("/")[2]].append(clip)
    out: dict[K, str] = {}
    for several in namesakes.values():
        if len(several) > 1:
            out.update(_apart({clip: paths[clip].split("/")[:-1] for clip in several}))
    return out


def distinct_name(name: str, folder: str) -> str:
    """A name with the folder that distinguishes it from others: ``C0001.mov (CAM_A)``; the name alone where there is
    none."""
    return f"{name} ({folder})" if folder else name


def _apart(folders: Mapping[K, Sequence[str]]) -> dict[K, str]:
    deepest, places = max(map(len, folders.values())), len(set(map(tuple, folders.values())))
    if places > 1:
        for labels in zip(*(_labels(each, deepest) for each in folders.values()), strict=True):
            if len(set(labels)) == places:
                return dict(zip(folders, labels, strict=True))
    return {}


def _labels(folders: Sequence[str], deepest: int) -> Iterator[str]:
    """What may distinguish a clip from others, the plainest first: one folder, the nearest first, then more and
    more."""
    yield from (folders[-near] if near <= len(folders) else "" for near in range(1, deepest + 1))
    yield from ("/".join(folders[-near:]) for near in range(2, deepest + 1))
