"""BagIt (RFC 8493): a folder with its payload in ``data`` and the hashes of all of it beside that."""

from collections.abc import Mapping
from datetime import UTC, datetime
from pathlib import Path

from oddmeter.core.numbers.errors import RuleError
from oddmeter.interchange.hashlists.hashes import Algorithm, hash_of

PAYLOAD = "data"
DECLARATION = "bagit.txt"


def write_bag(folder: Path, hashes: Mapping[str, str], algorithm: Algorithm, person: str, version: str) -> None:
    """Write the declaration and the manifests of a folder whose payload lies in ``data``; ``hashes`` are those of its
    files, each by its path below the folder."""
    sizes = [(folder / path).stat().st_size for path in hashes]
    _write(folder / DECLARATION, ["BagIt-Version: 1.0", "Tag-File-Character-Encoding: UTF-8"])
    _write(
        folder / "bag-info.txt",
        [
            f"Bag-Software-Agent: Odd Meter {version}", f"Bagging-Date: {datetime.now(UTC):%Y-%m-%d}",
            f"Payload-Oxum: {sum(sizes)}.{len(sizes)}", *([f"Contact-Name: {person}"] if person else []),
        ],
    )  # fmt: skip
    _write(folder / f"manifest-{algorithm}.txt", [f"{text}  {_escaped(path)}" for path, text in sorted(hashes.items())])
    tags = [DECLARATION, "bag-info.txt", f"manifest-{algorithm}.txt"]
    lines = [f"{hash_of(folder / tag, algorithm)}  {tag}" for tag in tags]
    _write(folder / f"tagmanifest-{algorithm}.txt", lines)


def read_bag(folder: Path) -> tuple[Algorithm, dict[str, str]]:
    """The algorithm of a bag, and the hash of each of its payload's files by its path below the folder. Raises
    ``RuleError`` where it has no manifest that can be read, or that was changed."""
    for algorithm in (Algorithm.SHA512, Algorithm.SHA256):
        manifest = folder / f"manifest-{algorithm}.txt"
        if not manifest.exists():
            continue
        found = _read(manifest)
        tags = folder / f"tagmanifest-{algorithm}.txt"
        stated = _read(tags).get(manifest.name) if tags.exists() else None
        if stated is not None and stated != hash_of(manifest, algorithm):
            raise RuleError(f"{manifest.name} was changed since it was written.", "sheet")
        return algorithm, found
    raise RuleError("This bag has no manifest that can be read here.", "sheet")


def _write(path: Path, lines: list[str]) -> None:
    path.write_text("".join(f"{line}\n" for line in lines), encoding="utf-8", newline="\n")


def _read(path: Path) -> dict[str, str]:
    out: dict[str, str] = {}
    try:
        lines = path.read_text(encoding="utf-8").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        raise RuleError(f"{path.name} cannot be read.", "sheet") from error
    for line in lines:
        text, _, name = line.partition(" ")
        if name.strip():
            out[_plain(name.strip().removeprefix("*").removeprefix("./"))] = text.lower()
    return out


def _escaped(path: str) -> str:
    return path.replace("%", "%25").replace("\n", "%0A").replace("\r", "%0D")


def _plain(path: str) -> str:
    return path.replace("%0A", "\n").replace("%0D", "\r").replace("%25", "%")
