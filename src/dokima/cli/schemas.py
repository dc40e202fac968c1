"""``dokima schema``: JSON Schema of a rulebook and of its orders, for editors and for who sends orders."""

from __future__ import annotations

import json
import sys
from enum import StrEnum
from typing import Annotated

import typer

from dokima import rulebook_schema, settings_page
from dokima.cli.options import HERE, Book, open_book


class What(StrEnum):
    """What a schema is of."""

    rulebook = "rulebook"
    order = "order"


class SchemaFormat(StrEnum):
    """How it is written."""

    json = "json"
    markdown = "markdown"


def schema(
    what: Annotated[What, typer.Argument(help="Of rulebook.toml, or of the orders that a rulebook reads.")],
    form: Annotated[
        SchemaFormat, typer.Option("--format", "-f", help="A page of all settings: markdown.")
    ] = SchemaFormat.json,
    book: Book = HERE,
) -> None:
    """Print the JSON Schema (2020-12) of rulebook.toml, or of the orders that a rulebook reads."""
    if form is SchemaFormat.markdown:
        sys.stdout.write(settings_page())
        return
    found = rulebook_schema() if what is What.rulebook else open_book(book).order_schema()
    sys.stdout.write(json.dumps(found, indent=2, ensure_ascii=False) + "\n")
