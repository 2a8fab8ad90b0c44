"""Calls to a show's hook: JSON that is signed, sent to one address, tried again for a while, and written down.

The signature is HMAC-SHA-256 of the time in the header ``Odd-Meter-Time``, a full stop, and the body, with the hook's
secret; it stands in hexadecimal in ``Odd-Meter-Signature`` behind ``sha256=``. No redirect is followed, and of the
answer only the status counts.
"""

import hmac
import json
import time
from collections.abc import Sequence
from hashlib import sha256
from http.client import HTTPConnection, HTTPException, HTTPSConnection
from typing import Any
from urllib.parse import urlsplit

from oddmeter.config import TOOL
from oddmeter.core.numbers.errors import RuleError
from oddmeter.store import renders, shows
from oddmeter.store.database import Connection, Database
from oddmeter.store.handoff import hooks, runs

MOST_TRIES = 6
_TIMEOUT_SECONDS = 10
_MOST_FILES = 1000
"""Files that are named in one call; how many there are is always said."""


class UnansweredError(Exception):
    """The address did not answer as it should; the call is made again later."""


def checked_address(text: str) -> str:
    """An address that can be called; raises ``RuleError`` for what is none."""
    try:
        parts = urlsplit(text.strip())
        right = parts.scheme in ("http", "https") and parts.hostname and (parts.port is None or parts.port > 0)
    except ValueError:
        right = False
    if not right or "@" in parts.netloc or any(not sign.isprintable() or sign == " " for sign in text.strip()):
        raise RuleError("An address to call begins with http:// or https://, and has no password in it.", "hook")
    return text.strip()


def note_ends(connection: Connection, render_ids: Sequence[int]) -> None:
    """Ask for a call for each run that has come to its end with one of these renders."""
    for run_id in hooks.end_runs(connection, render_ids):
        files = renders.renders_of_run(connection, run_id)
        run = runs.run(connection, files[0].show_id, run_id)
        states = [file.state for file in files]
        said = {
            "event": "run finished", "run": run.id, "plan": run.name, "person": run.person,
            "files": len(files), "proven": states.count("done"), "failed": states.count("failed"),
            "cancelled": states.count("cancelled"), "unchanged": run.unchanged, "refused": len(run.refused),
            "made": [
                {"path": file.out_path, "clip": file.clip_name, "setting": file.setting, "state": file.state,
                 "fault": file.fault}
                for file in files[:_MOST_FILES]
            ],
        }  # fmt: skip
        _ask(connection, run.show_id, said)


def note_package(connection: Connection, show_id: int, folder: str, files: int, fault: str | None) -> None:
    """Ask for a call for a package that was closed, or could not be."""
    state = "package failed" if fault else "package closed"
    _ask(connection, show_id, {"event": state, "folder": folder, "files": files, "fault": fault})


def note_try(connection: Connection, show_id: int) -> None:
    """Ask for a call that only says that calls arrive."""
    _ask(connection, show_id, {"event": "try"})


def _ask(connection: Connection, show_id: int, said: dict[str, Any]) -> None:
    name = shows.show(connection, show_id).name
    hooks.ask_call(connection, show_id, {"tool": TOOL, "show": {"id": show_id, "name": name}, **said})


def signature(secret: str, at: str, body: bytes) -> str:
    """What a call says that only somebody with the secret can say."""
    return "sha256=" + hmac.new(secret.encode(), f"{at}.".encode() + body, sha256).hexdigest()


def make_call(database: Database, call_id: int) -> None:
    """Make a call that was asked for; nothing happens where it was answered, or the show has no hook any more.

    Raises ``UnansweredError`` where it is to be made again later.
    """
    with database.transaction() as connection:
        asked = hooks.call(connection, call_id)
        hook = hooks.hook_of(connection, asked.show_id)
        if asked.state != "waiting":
            return
        if hook is None:
            hooks.note_call(connection, call_id, "failed", "there is no address any more")
            return
    try:
        status = _post(hook, json.dumps({"call": asked.id, **asked.body}).encode())
        answered, words = 200 <= status < 300, f"answered {status}"
    except (OSError, HTTPException, UnicodeError) as error:
        answered, words = False, f"not reached: {error}"
    tries = asked.attempts + 1
    state = "answered" if answered else "failed" if tries >= MOST_TRIES else "waiting"
    with database.transaction() as connection:
        hooks.note_call(connection, call_id, state, words[:300])
    if state == "waiting":
        raise UnansweredError(words)


def _post(hook: hooks.Hook, body: bytes) -> int:
    parts = urlsplit(hook.address)
    secure = HTTPSConnection if parts.scheme == "https" else HTTPConnection
    connection = secure(parts.hostname or "", parts.port, timeout=_TIMEOUT_SECONDS)
    at = str(int(time.time()))
    headers = {
        "Content-Type": "application/json", "User-Agent": TOOL, "Odd-Meter-Time": at,
        "Odd-Meter-Signature": signature(hook.secret, at, body),
    }  # fmt: skip
    try:
        connection.request("POST", (parts.path or "/") + (f"?{parts.query}" if parts.query else ""), body, headers)
        return connection.getresponse().status
    finally:
        connection.close()
