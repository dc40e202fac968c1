"""Types of columns: exact numbers, texts that sort by code points, JSON as text."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Any

from sqlalchemy import NUMERIC, TEXT, BigInteger, Boolean, Column, Date, Dialect
from sqlalchemy.types import TypeDecorator, TypeEngine

from dokima.model.fields import Field


class Exact(TypeDecorator[Decimal]):
    """A decimal number without loss.

    PostgreSQL: ``numeric`` without precision (``numeric(12,2)`` would turn 1.005 into 1.01 in silence). SQLite has no
    exact type and would keep ``0.10`` as a binary float; there it is text.
    """

    impl = TEXT
    cache_ok = True

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        """The type of this database."""
        return dialect.type_descriptor(NUMERIC() if dialect.name == "postgresql" else TEXT())

    # The two below give one function for all values; `process_bind_param` would be called through two others for each.

    def bind_processor(self, dialect: Dialect) -> Callable[[Any], Any] | None:
        """To the database."""
        return None if dialect.name == "postgresql" else _as_text

    def result_processor(self, dialect: Dialect, coltype: object) -> Callable[[Any], Any] | None:  # noqa: ARG002
        """From the database."""
        return None if dialect.name == "postgresql" else _as_decimal


def _as_text(value: Decimal | None) -> str | None:
    return None if value is None else format(value, "f")


def _as_decimal(value: str | None) -> Decimal | None:
    return None if value is None else Decimal(value)


class Words(TypeDecorator[str]):
    """Text that sorts and compares by code points, whatever the database was created with."""

    impl = TEXT
    cache_ok = True

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        """The type of this database."""
        return dialect.type_descriptor(TEXT(collation="C") if dialect.name == "postgresql" else TEXT())


def column_of(name: str, field: Field) -> Column[Any]:
    """The column of a declared field."""
    kinds: dict[str, Any] = {
        "decimal": Exact(),
        "integer": BigInteger() if field.name == "revision" else Exact(),
        "date": Date(),
        "flag": Boolean(),
        "text": Words(),
    }
    return Column(name, kinds[field.kind], nullable=True)
