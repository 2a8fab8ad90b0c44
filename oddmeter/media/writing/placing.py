"""Placing: what is made is written beside its final name and gets it only when it is whole; never over another."""

import errno
import glob
import os
import shutil
from collections.abc import Iterable
from pathlib import Path
from uuid import uuid4

import av

from oddmeter.core.numbers.errors import RuleError

_FULL = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG)
_CLOSED = (errno.EROFS, errno.EACCES, errno.EPERM)
_GONE = (errno.ENOENT, errno.ENODEV, errno.ENXIO, errno.EIO, errno.ESTALE, errno.ENOTCONN, errno.EHOSTDOWN)
_NO_LINKS = (errno.EPERM, errno.ENOTSUP, errno.EOPNOTSUPP, errno.EMLINK)


def could_not_write(what: str, error: OSError | av.error.FFmpegError) -> str:
    """Why a file could not be made, as a sentence."""
    if error.errno in _FULL:
        return f"{what} could not be written: there is no room left for it. Make room, or choose another folder."
    if error.errno in _CLOSED:
        return f"{what} could not be written: nothing can be written there. Choose another folder, or open that one."
    if error.errno in _GONE:
        return f"{what} could not be written: its folder is not there any more. Bring it back, and try again."
    return f"{what} could not be written: {(error.strerror or str(error)).lower()}."


def unfinished(final: Path) -> Path:
    """Where something is written that gets this name when it is whole."""
    return final.with_name(f".{final.name}.{uuid4().hex[:8]}.part")


def clear_unfinished(out: Path) -> None:
    """Remove what renders that were killed left beside a final name. Only for who has the sole right to it."""
    for left in out.parent.glob(f".{glob.escape(out.name)}.*.part"):
        remove(left)


def remove(path: Path) -> None:
    """Remove a file, or a folder with all that is in it; nothing happens where it is not there."""
    if path.is_dir() and not path.is_symlink():
        shutil.rmtree(path, ignore_errors=True)
    else:
        path.unlink(missing_ok=True)


def place(written: Iterable[tuple[Path, Path]]) -> None:
    """Give several complete things their final names, all of them or none. Raises ``RuleError`` where one is taken."""
    placed: list[Path] = []
    try:
        for path, final in written:
            _place(path, final)
            placed.append(final)
    except BaseException:
        for final in placed:
            remove(final)
        raise


def _place(path: Path, final: Path) -> None:
    """A file is linked, which never goes over another; a folder is moved, which goes over an empty one alone."""
    if path.is_dir():
        for file in path.iterdir():
            _synced(file)
        if final.exists():
            raise RuleError(f"{final.name} already exists and was not overwritten.", "exists")
        path.rename(final)
        return
    _synced(path)
    try:
        os.link(path, final)
    except FileExistsError:
        raise RuleError(f"{final.name} already exists and was not overwritten.", "exists") from None
    except OSError as error:
        if error.errno not in _NO_LINKS or final.exists():
            raise
        path.rename(final)


def _synced(path: Path) -> None:
    with path.open("rb") as written:
        os.fsync(written.fileno())
