"""`Explanation`: what is known of the figures of a line, down to the table row and the rows it beat."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from dokima.columns.shown import shown
from dokima.errors import NotFound, nearest
from dokima.model.said import SHOWN, Said
from dokima.tables.assembly import Node
from dokima.tables.candidates import Candidate


@dataclass(frozen=True)
class Operand:
    """One value a step read: dotted name, word for people, value."""

    name: str
    label: str
    value: Any


@dataclass(frozen=True)
class NamedFormula:
    """A named formula that was read: dotted name, word for people, value, and its text."""

    name: str
    label: str
    value: Any
    source: str


@dataclass(frozen=True)
class TableAnswer:
    """How a table answered.

    Attributes:
        table: Its name.
        label: The word shown to people.
        file: Where its rows came from, blank for Python.
        row: Number of the row that answered, counted from 1 with the heading as row 1; None if none fits.
        cells: The cells of that row.
        asked: What it was asked, by column.
        candidates: The winner and the rows it beat, each with the one reason.
        terms: What the row is for, in words: whom, what, since when, from which quantity.
        is_key: Whether rows are found by key.
        is_master: Whether each key has one row, so that none competes with another.
        breaks: Columns that say from which quantity on a row is eligible.
        agreed: What the order keeps of this table from when it was agreed, by column; empty if it asks the table.
        agreed_place: File and row that had answered then, blank if none had.
        is_required: Whether a line or order without a row of it is an error.
        is_path: Whether it is one hop on a path of linked records, each found by a key that the one before gave.
        near: What there is near a key that no row has; blank for nothing.
        tree: Of an assembly the item and everything in it, with the value of each.
    """

    table: str
    label: str
    file: str
    row: int | None
    cells: Mapping[str, Any]
    asked: Mapping[str, Any]
    candidates: Sequence[Candidate]
    terms: str
    is_key: bool
    is_master: bool
    breaks: Sequence[str] = ()
    agreed: Mapping[str, Any] = field(default_factory=dict)
    agreed_place: str = ""
    is_required: bool = False
    is_path: bool = False
    tree: Sequence[Node] = ()
    near: str = ""

    @property
    def place(self) -> str:
        """File and row."""
        return Said("{file} row {row}", file=self.file, row=self.row) if self.file else Said("row {row}", row=self.row)


@dataclass(frozen=True)
class StepExplanation:
    """How one step came to its figure.

    Attributes:
        name: Name of the step.
        label: The word shown to people.
        kind: Its kind.
        value: The figure it left on this line; None if it is blank.
        source: For a price the option it came from, for a step that lost to another the one that won, in words.
        formulas: Setting, formula as written, and with values in the place of names.
        counted: What counted in each formula, by setting: ``36 × 27.80``.
        operands: The values it read.
        answers: The tables it asked.
        over: Whether it is worked out for the line, for the parent line above it (parent), or for the order.
        symbol: The sign before its label.
        moves: Whether it is a price, or moves the amount of the line.
        named: The named formulas it read.
        skipped: Why it does not apply to this line, in words; blank where it does.
        base: What a percentage of it is taken of, its label blank for the amount so far; None where it has none.
    """

    name: str
    label: str
    kind: str
    value: Any
    source: str
    formulas: Sequence[tuple[str, str, str]]
    operands: Sequence[Operand]
    answers: Sequence[TableAnswer]
    counted: Mapping[str, str] = field(default_factory=dict)
    over: str = "line"
    symbol: str = ""
    moves: bool = False
    base: Operand | None = None
    named: Sequence[NamedFormula] = ()
    skipped: str = ""


@dataclass(frozen=True)
class ContextRows:
    """Rows of a table that stand beside a line without being figures of it, such as the stock at every place.

    Attributes:
        label: The words above them.
        table: The table.
        file: Where its rows came from, blank for Python.
        columns: The columns shown.
        rows: Number of each row in the source, and its values.
    """

    label: str
    table: str
    file: str
    columns: Sequence[str]
    rows: Sequence[tuple[int, Sequence[Any]]]


@dataclass(frozen=True)
class Explanation:
    """Where the figures of a line came from.

    Attributes:
        order: Order number.
        line: Line number.
        title: Item and description, as far as the line has them.
        currency: Currency of the order.
        routine: Name of the routine, blank if none fits.
        quantity: Quantity of the line.
        price: Unit price.
        net: Net amount.
        steps: The steps, in order.
        findings: What is wrong with the line.
        context: Rows of tables that are shown beside it, as the rulebook says.
    """

    order: str
    line: str
    title: str
    currency: str
    routine: str
    quantity: Any
    price: Any
    net: Any
    steps: Sequence[StepExplanation]
    findings: Sequence[Any] = field(default_factory=tuple)
    context: Sequence[ContextRows] = ()

    def __repr__(self) -> str:
        return f"<Explanation {self.order} line {self.line}: {len(self.steps)} steps, net {self.net}; {SHOWN}>"

    def step(self, name: str) -> StepExplanation:
        """One step.

        Raises:
            NotFound: There is none with that name.
        """
        for step in self.steps:
            if step.name == name:
                return step
        raise NotFound(f"there is no step '{name}'{nearest(name, [step.name for step in self.steps])}")

    def to_dict(self) -> dict[str, Any]:
        """The explanation as plain data, numbers as text."""
        numbers = {"quantity": self.quantity, "price": self.price, "net": self.net}
        return {
            "order": self.order,
            "line": self.line,
            "title": self.title,
            "currency": self.currency,
            "routine": self.routine,
            **{name: _plain(value) for name, value in numbers.items()},
            "steps": [_step_data(step) for step in self.steps],
            "findings": [finding.to_dict() for finding in self.findings],
            "context": [
                {
                    "label": each.label,
                    "table": each.table,
                    "file": each.file,
                    "rows": [
                        {"row": row, **dict(zip(each.columns, map(_plain, values), strict=True))}
                        for row, values in each.rows
                    ],
                }
                for each in self.context
            ],
        }


def _plain(value: Any) -> str | None:
    return None if value is None else shown(value)


def _step_data(step: StepExplanation) -> dict[str, Any]:
    read = [(each.name, each.value) for each in step.operands] + [(each.name, each.value) for each in step.named]
    return {
        "step": step.name,
        "kind": step.kind,
        "value": _plain(step.value),
        "source": step.source,
        "formulas": [
            {"setting": key, "formula": source, "with_values": values} for key, source, values in step.formulas
        ],
        "read": {name: _plain(value) for name, value in read},
        "tables": [answer_data(answer) for answer in step.answers],
    }


def answer_data(answer: TableAnswer) -> dict[str, Any]:
    """How a table answered as plain data, numbers as text."""
    return {
        "table": answer.table,
        "file": answer.file,
        "row": answer.row,
        "asked": {name: _plain(value) for name, value in answer.asked.items()},
        "cells": {name: _plain(value) for name, value in answer.cells.items()},
        "near": answer.near,
        "agreed": {name: _plain(value) for name, value in answer.agreed.items()},
        "agreed_row": answer.agreed_place,
        "tree": [{key: _plain(value) for key, value in node.to_dict().items()} for node in answer.tree],
        "candidates": [
            {"row": each.number, "result": each.reason, "detail": each.detail} for each in answer.candidates
        ],
    }


@dataclass(frozen=True)
class QuantityPrice:
    """What a line costs at one quantity: unit price, net, and net for one unit; None where it has no price."""

    quantity: Decimal
    price: Decimal | None
    net: Decimal | None
    net_each: Decimal | None
