"""Options that several commands share, and what they stand for."""

from __future__ import annotations

import datetime
import os
from collections.abc import Mapping, Sequence
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from dokima import (
    DocumentError,
    DokimaError,
    NotFound,
    Orders,
    Problem,
    Rulebook,
    Store,
    is_store_url,
    open_store,
)
from dokima.cli import completing
from dokima.cli.closing import AT_END
from dokima.cli.finding_books import NEAREST, book_folder
from dokima.cli.standard_input import STANDARD_INPUT, standard_input
from dokima.cli.trusting import loaded
from dokima.errors import nearest

HERE = NEAREST
"""What `Book` is where nobody names a folder."""


class Format(StrEnum):
    """How results are written."""

    table = "table"
    json = "json"
    csv = "csv"
    raw_csv = "raw-csv"


Book = Annotated[
    Path,
    typer.Option(
        "--book", "-b", envvar="DOKIMA_BOOK", help="Folder of the rulebook.", show_default="this one, or above"
    ),
]
LayoutName = Annotated[
    str | None,
    typer.Option("--layout", "-l", help="Layout of the rulebook that a file has.", autocompletion=completing.layouts),
]
OrdersPlace = Annotated[
    str | None,
    typer.Option(
        "--orders",
        "-o",
        metavar="<place>",
        help="File or folder of orders, or URL of a store; ORDER is then a number.",
    ),
]
FormatOption = Annotated[Format, typer.Option("--format", "-f", help="For people or for programs.")]

LocaleOption = Annotated[
    str,
    typer.Option(
        "--locale",
        help="Language, numbers and dates, such as de_DE.",
        show_default="as the rulebook says",
        autocompletion=completing.locales,
    ),
]
Chart = Annotated[Path | None, typer.Option("--chart", help="Draw it to this file: .png, .svg or .pdf.")]

By = Annotated[str, typer.Option("--by", help="Who asks, for run.user and the journal.", show_default="your login")]
Today = Annotated[str, typer.Option("--today", help="The date for run.today.", show_default="today")]

Named = Annotated[
    list[str] | None,
    typer.Argument(
        metavar="ORDERS...",
        help="Files or folders, - for standard input; numbers with --orders.",
        autocompletion=completing.order_names,
    ),
]


def person(by: str) -> str:
    """Who asks: as given, else the login."""
    return by or os.environ.get("USER") or "unknown"


def day(today: str) -> datetime.date:
    """The date for ``run.today``: as given, else today.

    Raises:
        DokimaError: It is not a date in ISO 8601.
    """
    try:
        return datetime.date.fromisoformat(today) if today else datetime.datetime.now().astimezone().date()
    except ValueError:
        raise DokimaError(f"expected --today as a date such as 2026-03-02 (got '{today}')") from None


OneOrder = Annotated[
    str | None,
    typer.Argument(
        metavar="[ORDER]",
        help="A file, - for standard input; a number with --orders.",
        autocompletion=completing.order_names,
    ),
]
OneLine = Annotated[
    str | None,
    typer.Argument(metavar="[LINE]", help="The line number.", autocompletion=completing.line_numbers),
]

Sets = Annotated[
    list[str] | None,
    typer.Option("--set", "-s", help="What if: header.x=.., line.x=.. (every line) or 20.x=.. (line 20)."),
]
Tables = Annotated[
    list[str] | None,
    typer.Option("--table", help="What if: another file for a table, NAME=FILE.", autocompletion=completing.tables),
]
Without = Annotated[
    list[str] | None,
    typer.Option("--without", help="What if: this rule, discount or charge left out.", autocompletion=completing.rules),
]
Values = Annotated[
    list[str] | None,
    typer.Option("--value", help="What if: another named value, NAME=..", autocompletion=completing.values),
]


def open_book(
    folder: Path,
    tables: Sequence[str] | None = None,
    values: Sequence[str] | None = None,
    sets: Sequence[str] | None = None,
    today: str = "",
) -> Rulebook:
    """The rulebook of a folder on a day, as it would be with other tables, named values, and values of the orders it
    reads."""
    files = pairs(tables)
    for name, file in files.items():
        if is_store_url(file):
            raise DokimaError(f"--table {name}: expected a file (got the URL of a database)")
    book = loaded(book_folder(folder), files, pairs(values))
    return book.what_if(set=assignments(sets) if sets else None, today=day(today))


def read_orders(
    book: Rulebook, named: Sequence[str], orders: str | None, layout: str | None, plain: Rulebook | None = None
) -> Orders:
    """The orders a command is about: files, or numbers among the orders of ``--orders``, a place or a store.

    Args:
        book: The rulebook.
        named: Files, or numbers.
        orders: What was given as ``--orders``.
        layout: Name of a layout.
        plain: The rulebook that a store is opened with, where something was left out of the other.

    Raises:
        DokimaError: Neither was given, or a file or number is not there.
    """
    if layout and book.layout(layout).queries is not None:
        parameters = pairs([name for name in named if "=" in name])
        return book.orders(parameters, layout) if len(parameters) == len(named) else _no_parameters(layout)
    if orders is not None and is_store_url(orders):
        store = AT_END.enter_context(open_store(orders, plain or book, allow_draft=True))
        return book.orders([store.order(number) for number in dict.fromkeys(named or _all_of(store))])
    if orders is not None:
        every = book.orders(_existing(Path(orders)), layout)
        return every if not named else every.choose(named)
    if not named:
        raise DokimaError(
            "the rulebook can be used; expected a file or folder of orders, or --orders with order numbers"
        )
    paths = [_existing(Path(name)) for name in named]
    return book.orders(paths[0] if len(paths) == 1 else paths, layout)


def _all_of(store: Store) -> list[str]:
    """The numbers of all orders of a store, also of those that the rulebook cannot read."""
    listed = store.orders()
    return [*(row["number"] for row in listed), *(problem.order for problem in listed.problems)]


def _no_parameters(layout: str) -> Orders:
    raise DokimaError(f"layout {layout} asks a database: expected the parameters of its queries as NAME=VALUE")


def _existing(path: Path) -> Path:
    if str(path) == STANDARD_INPUT:
        return standard_input()
    if os.path.exists(path):
        return path
    beside = [other.name for other in path.parent.iterdir()] if os.path.isdir(path.parent) else []
    hint = nearest(path.name, beside) or "; an order number needs --orders PLACE" * (not path.suffix)
    raise NotFound(f"there is no file or folder '{path}'{hint}")


def run_source(named: Sequence[str], folder: str | None) -> Path | list[Path]:
    """The file or folder that a run reads, or two: headers and lines.

    Raises:
        DokimaError: There is none, or one is not there.
    """
    if folder is not None and is_store_url(folder):
        raise DokimaError("--out reads files (got a store)")
    paths = [*named, *([folder] if folder is not None else [])]
    if not paths:
        raise DokimaError("--out reads one file or folder of orders, or two of headers and their lines (got none)")
    found = [_existing(Path(each)) for each in paths]
    return found[0] if len(found) == 1 else found


def refuse_given(options: Mapping[str, object], why: str) -> None:
    """Refuse options that would be passed over.

    Args:
        options: What was given for each, false for nothing.
        why: What is said of one.

    Raises:
        DokimaError: One was given.
    """
    given = next((name for name, value in options.items() if value), None)
    if given is not None:
        raise DokimaError(f"{given} is {why}")


def assignments(sets: Sequence[str] | None) -> dict[str, str]:
    """``20.quantity=4`` taken apart: target and value.

    Raises:
        DokimaError: One of them is not written so.
    """
    found: dict[str, str] = {}
    for each in sets or ():
        target, sign, value = each.partition("=")
        if not sign or not target.rpartition(".")[0]:
            raise DokimaError(f"expected header.x=value, line.x=value or 20.x=value (got '{each}')")
        found[target.strip()] = value
    return found


def pairs(texts: Sequence[str] | None) -> dict[str, str]:
    """``customer=X`` taken apart.

    Raises:
        DokimaError: One of them is not written so.
    """
    found = [text.partition("=") for text in texts or ()]
    for name, sign, _ in found:
        if not sign:
            raise DokimaError(f"expected a field and a value such as customer=FERNHOLT (got '{name}')")
    return {name.strip(): value for name, _, value in found}


def names_of(text: str) -> list[str]:
    """``price,net`` taken apart."""
    return [name.strip() for name in text.split(",") if name.strip()]


def what_was(sets: Sequence[str] | None) -> tuple[list[str], dict[str, str] | None]:
    """What ``--set`` says of today, and what it says of the state before an edit (None for nothing).

    ``was.10.quantity=4`` is about line 10, ``was.quantity=4`` about every line, ``was_header.customer=X`` the header.
    """
    today: list[str] = []
    before: list[str] = []
    for each in sets or ():
        if each.startswith("was_header."):
            before.append(each.replace("was_header.", "header.", 1))
        elif each.startswith("was."):
            target = each.removeprefix("was.")
            before.append(target if "." in target.partition("=")[0] else f"line.{target}")
        else:
            today.append(each)
    return today, assignments(before) or None


def one_order(orders: Orders, what: str) -> str:
    """The number of the only order.

    Raises:
        DokimaError: There are none or several; says what is wrong.
    """
    if orders.problems and not len(orders):
        raise DocumentError(orders.problems)
    if len(orders) != 1:
        problem = Problem(
            "", "", "", f"expected one order to {what} (got {len(orders)}); name it with --orders PATH NUMBER"
        )
        raise DocumentError([problem])
    return orders.numbers[0]
