"""Calls: what all commands share, reading what was typed and printing what was found."""

import json
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from enum import StrEnum
from pathlib import Path
from typing import Annotated, Any, TypeVar

import typer
from pydantic import ValidationError

from oddmeter.core.numbers.errors import RuleError

app = typer.Typer(no_args_is_help=True, add_completion=False, pretty_exceptions_enable=False)

T = TypeVar("T")
E = TypeVar("E", bound=StrEnum)
AsJson = Annotated[bool, typer.Option("--json", help="Print JSON.")]


class WrongCallError(Exception):
    """The command was called in a way that cannot work; the message is the sentence to print."""


def called(make: Callable[[], T]) -> T:
    """The value made from what was typed; a rule broken there is a wrong call, not failed work."""
    try:
        return make()
    except RuleError as error:
        raise WrongCallError(str(error)) from error


def choice(kind: type[E], text: str, option: str) -> E:
    """The member of an enumeration that was typed for an option."""
    try:
        return kind(text)
    except ValueError:
        raise WrongCallError(f"{option} takes {', '.join(kind)}; not “{text}”.") from None


def text_of(path: Path) -> str:
    """The text in a file."""
    try:
        return path.read_text()
    except OSError as error:
        raise WrongCallError(f"{path} cannot be read: {error.strerror}.") from error
    except UnicodeDecodeError as error:
        raise WrongCallError(f"{path} is no text.") from error


def print_json(value: object) -> None:
    """Print a value as JSON, readable."""
    print(json.dumps(value, ensure_ascii=False, indent=1))


def print_lines(values: dict[str, Any], indent: str = "") -> None:
    """Print values, one to a line, with their names lined up; of several that belong together each on a line."""
    width = max(len(key) for key in values)
    for key, value in values.items():
        rows = value if isinstance(value, list) and any(isinstance(item, dict) for item in value) else [value]
        for number, row in enumerate(rows):
            print(f"{indent}{key.replace('_', ' ') if number == 0 else '':{width}}  {said(row)}")


def said(value: object) -> str:
    """A value as people read it."""
    if value is None or value in ([], {}):
        return "—"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, dict):
        return ", ".join(f"{key.replace('_', ' ')} {said(item)}" for key, item in value.items())
    if isinstance(value, list):
        return ", ".join(map(said, value))
    return str(value)


@contextmanager
def reported(what: str, frames: int) -> Iterator[Callable[[int], None]]:
    """Shows on a terminal how far something is that goes through so many frames, and how long it still takes; to be
    called with the frames done. Nothing is shown where errors go elsewhere."""
    hidden, steps = not sys.stderr.isatty(), max(1, frames // 200)
    with typer.progressbar(
        length=frames, label=what, hidden=hidden, file=sys.stderr, show_pos=True, update_min_steps=steps
    ) as bar:
        yield lambda done: bar.update(done - bar.pos)


def sentence(error: Exception) -> str:
    """The one sentence that an error says."""
    if isinstance(error, ValidationError):
        first = error.errors()[0]
        return f"{'.'.join(str(part) for part in first['loc'])}: {first['msg']}."
    return str(error)


def stop(sentence: str, status: int) -> None:
    """Say why, and end with a status."""
    print(f"oddmeter: {sentence}", file=sys.stderr)
    sys.exit(status)
