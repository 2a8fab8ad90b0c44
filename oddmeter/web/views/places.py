"""Where footage and made files are, looked up once for as long as a request lasts."""

import os
from pathlib import Path

from oddmeter.config import Config


class Places:
    """Where footage and made files are, each folder looked up once: with links followed, never outside its root, for as
    long as one request lasts."""

    def __init__(self, config: Config) -> None:
        self._config = config
        self._footage: dict[tuple[str, str], Path] = {}
        self._made: dict[str, tuple[Path, set[str]]] = {}

    def footage(self, root: str, path: str) -> Path:
        """A file of footage; raises ``RuleError`` as ``Config.footage`` does."""
        folder, _, name = path.rpartition("/")
        if (root, folder) not in self._footage:
            self._footage[root, folder] = self._config.footage(root, folder)
        found = self._footage[root, folder] / name
        return self._config.footage(root, path) if found.is_symlink() or name in ("", "..") else found

    def product(self, path: str) -> Path:
        """Where a file to make goes."""
        folder, _, name = path.rpartition("/")
        return self._folder(folder)[0] / name

    def is_there(self, path: str) -> bool:
        """True where something of that name is there already."""
        folder, _, name = path.rpartition("/")
        return name in self._folder(folder)[1]

    def _folder(self, folder: str) -> tuple[Path, set[str]]:
        if folder not in self._made:
            place = self._config.product(folder)
            self._made[folder] = (place, {entry.name for entry in os.scandir(place)} if place.is_dir() else set())
        return self._made[folder]
