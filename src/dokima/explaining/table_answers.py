"""How tables answered for one line: the path of records that led there, the row that answered, and what is near it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from dokima.columns.column import value_at
from dokima.columns.texts import Texts
from dokima.errors import close_to
from dokima.explaining.explanation import ContextRows, TableAnswer
from dokima.formulas import Level
from dokima.model.said import Said, listing
from dokima.pricing.names.context import Context
from dokima.pricing.program import Program
from dokima.tables.candidates import candidates, matching, row_terms, row_values
from dokima.tables.table import Table


class TableAnswers:
    """Tables asked for one line, or for one order.

    Args:
        program: The rulebook.
        context: The columns behind the names.
        order: Position of the order.
        line: Position of the line; any where only tables of the header are asked.
    """

    def __init__(self, program: Program, context: Context, order: int, line: int) -> None:
        self.program = program
        self.context = context
        self.order = order
        self.line = line

    def hops(self, table: str) -> list[str]:
        """A table and those that are asked before it, the first one first."""
        behind = self.context.behind([table])
        return sorted(behind, key=lambda hop: (len(self.context.behind([hop])), hop))

    def path(self, tables: Iterable[str]) -> list[TableAnswer]:
        """Every look-up behind some tables, in the order in which they are made."""
        names = dict.fromkeys(hop for table in tables for hop in self.hops(table))
        return [self.answer(name, self.context.row_at(name, self.order, self.line)) for name in names]

    def answer(self, name: str, row: int, **facts: Any) -> TableAnswer:
        """How a table answered.

        Args:
            name: The table.
            row: The row that answered, -1 for none.
            facts: What else is known of the answer.
        """
        table, context = self.program.tables[name], self.context
        position = self.order if table.level is Level.HEADER else self.line
        asked = {key: value_at(f.evaluate(context, table.level), position) for key, f in table.conditions.items()}
        near = near_key(table, asked) if row < 0 and table.definition.is_key else ""
        if table.window is not None:
            asked["date"] = value_at(table.window.on.evaluate(context, table.level), position)
        for each in table.breaks:
            asked[each.column] = value_at(each.value.evaluate(context, table.level), position)
        return TableAnswer(
            table=table.name,
            label=table.definition.shown,
            file=table.source.file,
            row=table.source.row_number(row) if row >= 0 else None,
            cells=row_values(table, row) if row >= 0 else {},
            asked=asked,
            candidates=[] if table.definition.is_master else candidates(table, context, position, row),
            terms=row_terms(table, row) if row >= 0 else "",
            is_key=table.definition.is_key,
            is_master=table.definition.is_master,
            breaks=[each.column for each in table.breaks],
            is_required=self._is_required(table, position),
            near=near,
            **self._agreed(table, position),
            **facts,
        )

    def beside(self) -> list[ContextRows]:
        """The rows of tables that the rulebook shows beside a line."""
        found = []
        for each in self.program.definition.context:
            table = self.program.tables[each.table]
            position = self.order if table.level is Level.HEADER else self.line
            columns = each.columns or [name for name in table.fields if name not in table.conditions]
            rows = [
                (table.source.row_number(row), [row_values(table, row).get(name) for name in columns])
                for row in matching(table, self.context, position)
            ]
            found.append(ContextRows(each.name, each.table, table.source.file, columns, rows))
        return found

    def _is_required(self, table: Table, position: int) -> bool:
        return table.required is not None and bool(
            value_at(table.required.evaluate(self.context, table.level), position)
        )

    def _agreed(self, table: Table, position: int) -> dict[str, Any]:
        """What the order keeps of a table, and the row that had answered."""
        terms = self.context.terms
        if terms is None or table.name not in terms.asked or not terms.asked[table.name][position]:
            return {}
        kept = {
            name.partition(".")[2]: value_at(column, position)
            for name, (there, column) in terms.answers.items()
            if name.startswith(f"{table.name}.") and there[position]
        }
        return {"agreed": kept, "agreed_place": terms.rows.get(table.name, {}).get(position, "")}


def near_key(table: Table, asked: dict[str, Any]) -> str:
    """What a table has that is near a key it does not have; blank for nothing."""
    said: list[str] = []
    for name, value in asked.items():
        cells = table.cells[name]
        if value is None:
            said.append(Said("{column} is blank", column=name.replace("_", " ")))
        elif isinstance(cells, Texts) and value not in cells.words.items:
            near = close_to(value, cells.words.items)
            said += [Said("there is {column} {near}", column=name.replace("_", " "), near=near)] if near else []
    together = len(asked) > 1 and not said and all(_is_there(table, name, value) for name, value in asked.items())
    return Said("each of these is there, but not together") if together else listing(said, ", ") if said else ""


def _is_there(table: Table, name: str, value: Any) -> bool:
    return any(value == value_at(table.cells[name], row) for row in range(table.size))
