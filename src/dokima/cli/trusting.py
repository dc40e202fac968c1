"""``--trust`` and ``--environment``: what a rulebook may reach, for every command that loads one."""

from __future__ import annotations

import logging
from collections.abc import Mapping, Sequence
from contextvars import ContextVar
from functools import cache
from pathlib import Path
from typing import Annotated, Any, Literal

import typer

from dokima import Rulebook, load

_log = logging.getLogger(__name__)

Trust = Literal["folder", "all", "nothing"]
"""What `load` takes."""
_trust: ContextVar[Trust] = ContextVar("trust", default="folder")
_environment: ContextVar[Sequence[str] | None] = ContextVar("environment", default=None)


def loaded(
    folder: str | Path, tables: Mapping[str, Any] | None = None, values: Mapping[str, Any] | None = None
) -> Rulebook:
    """A rulebook, trusted as the command says; what that leaves out is told."""
    book = load(folder, tables, values, trust=_trust.get(), environment=_environment.get())
    if book.left_out:
        _log.warning("left out, because --trust is nothing: %s", ", ".join(book.left_out))
    return book


def _trusted(value: Trust) -> Trust:
    _trust.set(value)
    return value


def _permitted(names: list[str] | None) -> list[str] | None:
    _environment.set([name.removeprefix("$") for name in names] if names else None)
    return names


_asks = typer.Typer(add_completion=False, pretty_exceptions_enable=False, rich_markup_mode=None)


@_asks.command()
def _ask(
    trust: Annotated[
        Trust,
        typer.Option(
            "--trust",
            envvar="DOKIMA_TRUST",
            callback=_trusted,
            expose_value=False,
            help="What the rulebook may reach: what lies in its folder, its Python and databases too; all; or nothing "
            "but its texts and tables.",
        ),
    ] = "folder",
    environment: Annotated[
        list[str] | None,
        typer.Option(
            "--environment",
            metavar="NAME",
            callback=_permitted,
            expose_value=False,
            help="A variable that the rulebook may name. Without: those that begin with DOKIMA_.",
        ),
    ] = None,
) -> None:
    """Never called: it declares the options, which every command gets that loads a rulebook."""


@cache
def options() -> list[Any]:
    """The options, for a command."""
    return list(typer.main.get_command(_asks).params)
