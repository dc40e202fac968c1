"""The application, and how it ends: 0 fine, 1 error findings, 2 bad input or usage. No traceback reaches a user."""

from __future__ import annotations

import os
import sys
from typing import Annotated

import typer

from dokima.cli import commands
from dokima.cli.auditing import audit
from dokima.cli.changing import change, ledger
from dokima.cli.editing import edit
from dokima.cli.output import complain
from dokima.cli.replaying import replay
from dokima.errors import DokimaError
from dokima.reports.language import use_locale

app = typer.Typer(
    name="dokima",
    help="Rules, prices, totals and variances for orders made of a header and lines.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
)
for command in (
    commands.check,
    commands.price,
    commands.explain,
    commands.variance,
    audit,
    ledger,
    replay,
    edit,
    commands.describe,
):
    app.command()(command)
app.add_typer(change, name="change")


def _version(asked: bool) -> None:
    if asked:
        from dokima import __version__

        sys.stdout.write(f"dokima {__version__}\n")
        raise typer.Exit


@app.callback()
def _start(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Show the version.")
    ] = False,
) -> None:
    _ = version
    use_locale("")  # each command says how it speaks; several may run in one process


def run(arguments: list[str] | None = None) -> None:
    """Run the command line and leave the process with its exit status."""
    try:
        app(arguments)
    except DokimaError as error:
        complain(str(error))
        sys.exit(2)
    except BrokenPipeError:
        # The reader (head, less) has seen enough; keep the interpreter from complaining while it closes.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(0)
    except KeyboardInterrupt:
        complain("interrupted")
        sys.exit(130)
    except Exception as error:  # the last line of defence: a defect of ours must not show as a traceback
        complain(f"a defect in Dokima itself: {type(error).__name__}: {error}\nSet DOKIMA_TRACEBACK=1 to see where.")
        if os.environ.get("DOKIMA_TRACEBACK"):
            raise
        sys.exit(2)
