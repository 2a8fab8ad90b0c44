"""The ``oddmeter`` command: the application's parts, and the same work for scripts without server or database.

Exit status 0: done. 1: the work failed. 2: the call was wrong. Errors are one sentence on standard error.
"""

import sys

import typer
from pydantic import ValidationError
from typer.exceptions import TyperException

from oddmeter.cli import commands, conform, cuts
from oddmeter.cli.calls import WrongCallError, app, sentence, stop
from oddmeter.core.numbers.errors import RuleError

__all__ = ["commands", "conform", "cuts", "main"]

app.info.help = __doc__


def main() -> None:
    """Run the command line and exit with its status."""
    try:
        status = app(standalone_mode=False)
        sys.exit(status if isinstance(status, int) else 0)
    except typer.Abort:
        stop("Stopped.", 1)
    except TyperException as error:
        stop(error.format_message(), 2)
    except (WrongCallError, ValidationError) as error:
        stop(sentence(error), 2)
    except RuleError as error:
        stop(str(error), 1)
