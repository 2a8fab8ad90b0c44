"""Where things are: database, footage and made files, as the environment says.

Footage is known by the name of its root and a path below it, never by an absolute path, so that several
machines may hold the same storage in different places.
"""

import os
from dataclasses import dataclass, field, replace
from importlib.metadata import version
from pathlib import Path

from oddmeter.core.numbers.errors import RuleError

VERSION = version("odd-meter")
TOOL = f"Odd Meter {VERSION}"
"""What files and packages say they were made by."""
UPLOADS = "Uploads"
"""The root that files dropped into the browser land in."""


@dataclass(frozen=True)
class Beat:
    """How workers show that they are alive: every so many ``seconds``; one that has not done so for ``dead_after``
    seconds is taken for dead, and its jobs are taken up again; what fell out of the queue is looked for every
    ``sweep`` seconds. All workers of one database have to agree."""

    seconds: float = 1.0
    dead_after: float = 6.0
    sweep: float = 2.0

    def __str__(self) -> str:
        return f"{self.seconds:g} {self.dead_after:g} {self.sweep:g}"

    @staticmethod
    def parse(text: str) -> "Beat":
        """From three numbers of seconds; raises ``RuleError`` where they are none, or a worker would be dead between
        two beats."""
        try:
            seconds, dead_after, sweep = map(float, text.split())
        except ValueError:
            raise RuleError(
                f"ODDMETER_BEAT is “{text}”; it takes seconds: beat, dead after, sweep.", "config"
            ) from None
        if not 0 < 2 * seconds <= dead_after or sweep <= 0:
            raise RuleError("A worker is dead after two beats at least (ODDMETER_BEAT).", "config")
        return Beat(seconds, dead_after, sweep)


@dataclass(frozen=True)
class Config:
    """The places one process works with. ``roots`` are the media roots by name; ``made`` takes new files; ``targets``
    are folders, by name, that packages can be copied to; ``looking`` is the socket of the process that looks for all
    web processes, empty where each looks for itself; ``beat`` is how workers show that they are alive."""

    database: str
    data: Path
    roots: dict[str, Path] = field(default_factory=dict)
    made: Path = Path("made")
    targets: dict[str, Path] = field(default_factory=dict)
    looking: str = ""
    beat: Beat = Beat()

    @staticmethod
    def from_environment() -> "Config":
        """Read ``ODDMETER_DATABASE``, ``ODDMETER_DATA``, ``ODDMETER_MEDIA`` and ``ODDMETER_TARGETS`` (``Name=folder`` a
        line), ``ODDMETER_LOOKING`` and ``ODDMETER_BEAT`` (seconds: beat, dead after, sweep).

        Raises ``RuleError`` where the database is not named.
        """
        database = os.environ.get("ODDMETER_DATABASE")
        if not database:
            raise RuleError("No database is named. Run ./start, or set ODDMETER_DATABASE.", "config")
        found = Config.under(Path(os.environ.get("ODDMETER_DATA", ".data")), database, os.environ.get("ODDMETER_MEDIA"))
        beat = os.environ.get("ODDMETER_BEAT")
        return replace(
            found,
            targets=named_folders(os.environ.get("ODDMETER_TARGETS", "")),
            looking=os.environ.get("ODDMETER_LOOKING", ""),
            beat=Beat.parse(beat) if beat else found.beat,
        )

    @staticmethod
    def under(data: Path, database: str, media: str | None = None) -> "Config":
        """The usual places below a data folder; ``media`` names the roots, one ``Name=folder`` a line."""
        data = data.resolve()
        roots = named_folders(media or f"Footage={data / 'media'}")
        return Config(database, data, {**roots, UPLOADS: data / "uploads"}, data / "made")

    def to_environment(self) -> dict[str, str]:
        """The environment that ``from_environment`` reads back."""
        media = "\n".join(f"{name}={folder}" for name, folder in self.roots.items() if name != UPLOADS)
        return {
            "ODDMETER_DATABASE": self.database, "ODDMETER_DATA": str(self.data), "ODDMETER_MEDIA": media,
            "ODDMETER_TARGETS": "\n".join(f"{name}={folder}" for name, folder in self.targets.items()),
            "ODDMETER_LOOKING": self.looking, "ODDMETER_BEAT": str(self.beat),
        }  # fmt: skip

    def make_folders(self) -> None:
        """Create the folders that are ours to create."""
        for folder in (*self.roots.values(), self.made):
            folder.mkdir(parents=True, exist_ok=True)

    def footage(self, root: str, path: str) -> Path:
        """The file or folder at ``path`` below the root of that name.

        Raises ``RuleError`` where there is no such root, or the path leads out of it, by ``..`` or by a link.
        """
        folder = self.roots.get(root)
        if folder is None:
            raise RuleError(f"There is no media root “{root}” here.", "root")
        return inside(folder, path)

    def place(self, root: str, path: str) -> Path:
        """A place below a media root or, without one, below the folder for made files; raises as both do."""
        return self.footage(root, path) if root else self.product(path)

    def product(self, path: str) -> Path:
        """The place of a made file; raises ``RuleError`` where it would lie outside the folder for made files."""
        return inside(self.made, path)


def named_folders(text: str) -> dict[str, Path]:
    """Folders by name, each as ``Name=folder`` on a line; raises ``RuleError`` for a line without either."""
    out = {}
    for line in filter(None, text.splitlines()):
        name, _, folder = (part.strip() for part in line.partition("="))
        if not name or not folder:
            raise RuleError(f"“{line}” names no folder; write Name=folder.", "config")
        out[name] = Path(folder).resolve()
    return out


def contains(folder: Path, path: Path) -> bool:
    """True where a path, with all links followed, is the (resolved) folder or lies below it."""
    full = path.resolve()
    return full == folder or folder in full.parents


def inside(folder: Path, path: str) -> Path:
    """``path`` below ``folder``, with all links followed; raises ``RuleError`` where that leads out of it."""
    if "\0" in path:
        raise RuleError("A path cannot contain a null character.", "root")
    if any(len(os.fsencode(part)) > 255 for part in path.split("/")) or len(os.fsencode(path)) > 4000:
        raise RuleError("This path is too long for the file system.", "root")
    base = folder.resolve()
    try:
        full = (base / path.lstrip("/")).resolve()
        within = contains(base, full)
    except (OSError, RuntimeError) as error:
        raise RuleError(f"“{path}” links back to itself; it cannot be opened.", "root") from error
    if not within:
        raise RuleError(f"“{path}” points outside its media root; it cannot be opened.", "root")
    return full
