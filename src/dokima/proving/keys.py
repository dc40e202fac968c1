"""Keys of tables: those that differ in nothing that was meant, those without a row, and those that nobody asks for."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator

import numpy as np

from dokima.columns.column import value_at
from dokima.columns.texts import Texts
from dokima.formulas.tree import NAME
from dokima.model.finding import Severity
from dokima.pricing.program import Program
from dokima.proving.priced_items import found_by
from dokima.proving.remark import AuditRemark
from dokima.proving.usage import all_formulas
from dokima.tables.index import SEPARATOR
from dokima.tables.table import Table

_MEASURES = "C62 MTR MTK MTQ KGM GRM TNE LTR MLT CMT MMT KMT HUR DAY MIN WEE MON ANN KWH"
_PACKS = "SET PR DZN GRO BX PK PA RO EA"
COMMON_UNITS = frozenset([*_MEASURES.split(), *_PACKS.split()])
"""Common codes of UN/ECE Recommendation 20 (with the package codes that trade uses as units)."""


def audit_keys(program: Program) -> Iterator[AuditRemark]:
    """Keys that differ only in case or spaces, and keys, currencies and units that nobody has."""
    words: dict[str, dict[str, list[tuple[Table, str]]]] = {}
    for table in program.tables.values():
        for name, formula in table.conditions.items():
            cells = table.cells[name]
            if isinstance(cells, Texts):
                for word in cells.words.items:
                    for each in word.split(SEPARATOR):
                        words.setdefault(formula.source.strip(), {}).setdefault(each, []).append((table, name))
    for source, known in words.items():
        yield from _near_twins(source, {**_asked_with(program, source), **known})
        yield from _unknown_keys(program, source, known)
    yield from _never_found(program)
    yield from _unknown_codes(program)


def _asked_with(program: Program, source: str) -> dict[str, list[tuple[Table, str]]]:
    """The texts that a formula may ask a table with, if it is the column of another table, and where they stand."""
    head, _, column = source.partition(".")
    table = program.tables.get(head)
    cells = None if table is None else table.columns.get(column)
    if table is None or not isinstance(cells, Texts):
        return {}
    return {word: [(table, column)] for word in dict.fromkeys(cells.to_list()) if word is not None}


def _never_found(program: Program) -> Iterator[AuditRemark]:
    """Values that a table is asked with, and for which no row of it ever answers: a class without a rate of tax."""
    bare = _read_bare(program)
    for table in [each for each in program.tables.values() if each.name in bare and not each.defaults]:
        for name, formula in table.conditions.items() if not table.definition.roll_up else ():
            cells, asked = table.cells[name], formula.root.name
            if not isinstance(cells, Texts) or cells.missing is not None:
                continue  # a blank cell fits everything
            there = {each for word in cells.words.items for each in word.split(SEPARATOR)}
            for owner, column, value, rows in _values(program, asked, is_required=table.required is not None):
                if value not in there:
                    said = f"{owner.name}.{column}" if owner is not None else asked
                    message = f"'{value}' of {said} has no row in table {table.name}, which is asked with it"
                    place = (owner.name, owner.source.file, rows) if owner is not None else ("", "", [])
                    yield AuditRemark("never-found", "warning", message, *place, path="" if owner else asked)


def _values(program: Program, asked: str, *, is_required: bool) -> Iterator[tuple[Table | None, str, str, list[int]]]:
    """The values that a name may ask a table with: cells of a table, choices of a field, items of a required table."""
    head, _, column = asked.partition(".")
    owner = program.tables.get(head)
    if owner is None and is_required:
        owner = next((each for each in program.tables.values() if found_by(each, asked)), None)
        column = "" if owner is None else next(iter(owner.conditions))
    if owner is not None:
        cells = owner.columns.get(column)
        if isinstance(cells, Texts):
            for value in dict.fromkeys(word for word in cells.to_list() if word is not None):
                at = [row for row, word in enumerate(cells.to_list()) if word == value]
                yield owner, column, value, [owner.source.row_number(row) for row in at]
        return
    fields = {"header": program.fields.header, "line": program.fields.line}.get(head, {})
    for value in fields[column].choices if column in fields else ():
        yield None, column, value, []


def _read_bare(program: Program) -> set[str]:
    """The tables of which a formula reads a column without saying what holds where there is no row."""
    found: set[str] = set()
    for formula in all_formulas(program):
        read: set[str] = set()
        todo = [formula.root]
        while todo:
            node = todo.pop()
            if node.role == NAME:
                read.add(node.name.partition(".")[0])
            elif node.role == "coalesce":
                todo.append(node.operands[-1])
            elif node.role != "blank":
                todo += node.operands
        found |= read - set(formula.tables)  # of those it asks whether there is a row
    return found


def _near_twins(source: str, known: dict[str, list[tuple[Table, str]]]) -> Iterator[AuditRemark]:
    alike: dict[str, list[str]] = {}
    for word in known:
        alike.setdefault(_folded(word), []).append(word)
    for twins in alike.values():
        if len(twins) > 1:
            places = [(table, name, word) for word in twins for table, name in known[word]]
            table = places[-1][0]
            rows = [_row(each, name, word) for each, name, word in places if each.name == table.name]
            said = " and ".join(f"'{word}'" for word in twins)
            files = ", ".join(dict.fromkeys(each.source.file or each.name for each, _, _ in places))
            message = f"{source}: {said} differ only in case, spaces or accents ({files})"
            yield AuditRemark("near-twin", "warning", message, table.name, table.source.file, rows)


def _folded(word: str) -> str:
    """A text without what is easily mistyped: capitals, spaces more or fewer, accents."""
    plain = unicodedata.normalize("NFKD", " ".join(word.split())).casefold()
    return "".join(sign for sign in plain if not unicodedata.combining(sign))


def _row(table: Table, name: str, word: str) -> int:
    cells = table.cells.get(name, table.columns.get(name))
    assert isinstance(cells, Texts)
    codes = [code for code, each in enumerate(cells.words.items) if word in each.split(SEPARATOR)]
    return table.source.row_number(int(np.flatnonzero(np.isin(cells.codes, codes))[0]))


def _unknown_keys(program: Program, source: str, known: dict[str, list[tuple[Table, str]]]) -> Iterator[AuditRemark]:
    """Values that rows ask for, and that the table found by them does not have."""
    owner = next((table for table in program.tables.values() if found_by(table, source)), None)
    column = re.fullmatch(r"(\w+)\.(\w+)", source)
    there: set[str] = set()
    if owner is not None:
        (key,) = owner.conditions
        there = {str(word) for word in owner.cells[key].to_list()}  # type: ignore[union-attr]
    elif column is not None and column[1] in program.tables and column[2] in program.tables[column[1]].columns:
        owner = program.tables[column[1]]
        there = {str(value) for value in _listed(owner, column[2])}
    if owner is None:
        return
    for word, places in known.items():
        for table, name in places:
            if word not in there and table.name != owner.name:
                message = f"'{word}' is no {name.replace('_', ' ')} of table {owner.name}, so this row never answers"
                rows = [_row(table, name, word)]
                severity: Severity = "notice" if column is not None and column[1] == owner.name else "warning"
                yield AuditRemark("unknown-key", severity, message, table.name, table.source.file, rows)


def _listed(table: Table, column: str) -> list[object]:
    return [value_at(table.columns[column], row) for row in range(table.size)]


def _unknown_codes(program: Program) -> Iterator[AuditRemark]:
    currencies = set(program.definition.minor_units)
    units = set(COMMON_UNITS)
    for table in program.tables.values():
        if found_by(table, "line.item") and "unit" in table.columns:
            units |= {str(value) for value in _listed(table, "unit") if value is not None}
        if found_by(table, "line.unit"):
            (key,) = table.conditions
            units |= {str(value) for value in _listed(table, key) if value is not None}
    for check, column, known in (("unknown-currency", "currency", currencies), ("unknown-unit", "unit", units)):
        for table in program.tables.values():
            cells = table.cells.get(column)
            if isinstance(cells, Texts):
                said = [each for cell in cells.words.items for each in cell.split(SEPARATOR)]
                for word in [each for each in said if each not in known]:
                    rows = [_row(table, column, word)]
                    severity = "error" if column == "currency" else "warning"
                    message = f"'{word}' is no {column} that is known"
                    yield AuditRemark(check, severity, message, table.name, table.source.file, rows)  # type: ignore[arg-type]
