"""Proxies: small copies that stand for an original, and must match it frame for frame."""

from collections.abc import Iterable

from oddmeter.core.evidence.facts import Facts
from oddmeter.core.evidence.matching import folder_of, shared_folders, stem

FOLDERS = ("proxy", "proxies", "proxys")
_ENDINGS = ("_proxy", "_prx")


def pairs(paths: Iterable[str]) -> dict[str, str]:
    """Which paths are proxies of which others, by the rule of name and folder.

    A proxy lies in a folder called Proxy or Proxies, or its name ends in ``_proxy``; without that it is called as
    its original is. Where two files could be the original, the one that lies nearest is.
    """
    known = list(paths)
    originals: dict[str, list[str]] = {}
    for path in known:
        if not _is_proxy(path):
            originals.setdefault(stem(_name(path)), []).append(path)
    found = {}
    for path in known:
        if _is_proxy(path):
            fitting = originals.get(_bare(path), [])
            if fitting:
                found[path] = max(
                    fitting, key=lambda other: (shared_folders(folder_of(path), folder_of(other)), -len(other), other)
                )
    return found


def differences(original: Facts, proxy: Facts) -> list[str]:
    """Sentences about how a proxy differs from its original in what must be the same: frames, rate, timecode."""
    out = []
    if proxy.frames != original.frames:
        out.append(f"The proxy holds {proxy.frames} frames, the original {original.frames}.")
    if proxy.file_rate != original.file_rate:
        out.append(
            f"The proxy runs at {proxy.file_rate or 'no rate'}, the original at {original.file_rate or 'no rate'}."
        )
    if proxy.timecode != original.timecode:
        mine, other = proxy.timecode or "no timecode", original.timecode or "no timecode"
        out.append(f"The proxy starts at {mine}, the original at {other}.")
    return out


def _is_proxy(path: str) -> bool:
    *folders, name = path.split("/")
    return any(folder.lower() in FOLDERS for folder in folders) or stem(name).endswith(_ENDINGS)


def _name(path: str) -> str:
    return path.rpartition("/")[2]


def _bare(path: str) -> str:
    name = stem(_name(path))
    for ending in _ENDINGS:
        name = name.removesuffix(ending)
    return name
