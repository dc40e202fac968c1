"""The application, and how it ends: 0 fine, 1 error findings, 2 bad input or usage. No traceback reaches a user."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator, MutableMapping
from importlib import import_module
from typing import Annotated, Any

import typer
from typer.core import TyperGroup

from dokima import DokimaError
from dokima.cli.closing import AT_END
from dokima.cli.commands import GROUPS, commands
from dokima.cli.help_examples import EXAMPLES
from dokima.cli.output import complain


class _Commands(MutableMapping[str, Any]):
    """The commands by name, made when they are looked up."""

    def __init__(self) -> None:
        self._made: dict[str, Any] = {}

    def __getitem__(self, name: str) -> Any:
        if name not in self._made:
            module, _, attribute = commands()[name].place.partition(":")
            found = getattr(import_module(module), attribute)
            if not isinstance(found, typer.Typer):
                alone = typer.Typer(add_completion=False, pretty_exceptions_enable=False, rich_markup_mode=None)
                alone.command(name)(found)
                found = alone
            self._made[name] = _with_examples(typer.main.get_command(found), name)
        return self._made[name]

    def __setitem__(self, name: str, command: Any) -> None:
        self._made[name] = command

    def __delitem__(self, name: str) -> None:
        del self._made[name]

    def __iter__(self) -> Iterator[str]:
        return iter(commands())

    def __len__(self) -> int:
        return len(commands())


_WORDS = (("Literal", ""), ("Path", "PATH"), ("str", "TEXT"), ("int", "NUMBER"))
"""What a value is, in a word of its own, by what stands in the type of Python."""


def _said_in_words(parameter: Any) -> None:
    """Let the help of an option say what it takes, and that of an argument only what it is called."""
    annotation = str(getattr(getattr(parameter, "type_descriptor", None), "annotation", ""))
    word = next((word for part, word in _WORDS if part in annotation), "")
    if not parameter.opts[0].startswith("-"):
        if parameter.metavar and hasattr(parameter, "display_type_rich"):
            parameter.display_type_rich = lambda ctx: ""  # noqa: ARG005 (it is asked so)
    elif parameter.metavar is None and not getattr(parameter, "is_flag", False):
        parameter.metavar = word or None


def _with_examples(command: Any, words: str) -> Any:
    """A command, and those below it, each with an example below its help, and with what every rulebook is asked for."""
    command.name = words.rpartition(" ")[2]
    if words == "compare" or any(each.name == "book" for each in command.params):
        from dokima.cli.trusting import options

        command.params += options()
    for each in command.params:
        _said_in_words(each)
    for name, below in getattr(command, "commands", {}).items():
        _with_examples(below, f"{words} {name}")
    if words in EXAMPLES:
        command.epilog = f"\b\nExample:\n  {EXAMPLES[words]}"
    return command


class _Group(TyperGroup):
    """The command line, whose commands are made when they are asked for."""

    def __init__(self, **settings: Any) -> None:
        super().__init__(**settings)
        self.commands = _Commands()

    def format_commands(self, ctx: Any, formatter: Any) -> None:  # noqa: ARG002 (Click asks for it)
        """The commands in groups; none is imported for it."""
        width = max(map(len, commands()))
        for heading, group in GROUPS.items():
            with formatter.section(heading):
                formatter.write_dl([(name.ljust(width), listed.says) for name, listed in group.items()])


app = typer.Typer(
    name="dokima",
    cls=_Group,
    help="Rules, prices, totals and variances for orders made of a header and lines.",
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
)


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


def run(arguments: list[str] | None = None) -> None:
    """Run the command line and leave the process with its exit status."""
    try:
        app(arguments, prog_name="dokima")
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
    except PermissionError as error:  # of a folder on the way to what is read or written
        complain(f"'{error.filename}' cannot be used: {error.strerror}")
        sys.exit(2)
    except Exception as error:  # the last line of defence: a defect of ours must not show as a traceback
        complain(f"a defect in Dokima itself: {type(error).__name__}: {error}\nSet DOKIMA_TRACEBACK=1 to see where.")
        if os.environ.get("DOKIMA_TRACEBACK"):
            raise
        sys.exit(2)
    finally:
        AT_END.close()
