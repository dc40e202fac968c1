"""What a rulebook says about one table, and the rows it was given."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Annotated, Any

from dokima.errors import nearest
from dokima.exact.integers import Integers
from dokima.model.databases import TableQuery
from dokima.model.fields import Field
from dokima.model.raw import RawColumn
from dokima.model.settings import FormulaText, Name, Reads, Texts, setting
from dokima.model.values import Marks, ValueReader

USER = "run.user"
"""Who asks. A table may be found by it, and then only rules read it."""


@dataclass(frozen=True)
class WindowDefinition:
    """From when until when a row is valid, and the date that is asked about."""

    start: str = setting("The column that says from which day on a row is valid.", default="", key="from")
    until: str = setting("The column that says until which day, that day included.", default="")
    on: str = setting("A formula of the date that is asked about.", default="", needed=True)

    def wrong(self) -> str:
        """What is wrong with the settings together, blank for nothing."""
        return "" if self.start or self.until else "expected 'from', 'until' or both, naming columns"


@dataclass(frozen=True)
class ContextTable:
    """A table whose rows stand beside a line when it is explained, and are no figures of it.

    Attributes:
        name: The words above the rows.
    """

    name: str
    table: Name = setting("The table: of its rows all that match a line are shown, whichever wins.")
    columns: Texts = setting("The columns shown; all that are not matched if left out.", default=())


@dataclass(frozen=True)
class Spread:
    """Columns whose headings are values, as a list of prices has them by group or by quantity. Each filled cell in them
    is a row of its own, beside the other cells of its row."""

    headings: Name = setting("The column that these headings become.")
    cells: Name = setting("The column that the cells below them become.")
    of: Texts | Mapping[str, Any] = setting("The headings, alone or each with the value that it stands for.")

    @property
    def values(self) -> Mapping[str, Any]:
        """Each heading with the value that it stands for."""
        return self.of if isinstance(self.of, Mapping) else {heading: heading for heading in self.of}


@dataclass(frozen=True)
class BreakDefinition:
    """From which value on a row is eligible: a column, and what is counted."""

    of: FormulaText = setting("What is counted, a formula.")
    above: bool = setting("Whether only what is above the value counts: not 50, but 50.001.", default=False)


@dataclass(frozen=True)
class TableDefinition(Marks):
    """A table: rows, what finds them, and which of them wins.

    Attributes:
        name: Its name in formulas.
        breaks: Once it is complete, only the formulas by column; `above` says the rest.
        above: Those of its breaks that only what is above them reaches.
    """

    name: str
    file: str | None = setting(
        "The file of its rows, beside the rulebook: CSV, XLSX or Parquet; rows from Python if left out.", default=None
    )
    rows: TableQuery | None = setting("The query that gives its rows, in the place of a file.", default=None)
    key: Mapping[str, FormulaText] | None = setting(
        "Columns by which one row is found, each with the formula that it must equal.", default=None
    )
    match: Mapping[str, FormulaText] | None = setting(
        "Columns that must equal a formula, where an empty cell fits any value.", default=None
    )
    window: WindowDefinition | None = setting("From when until when a row is valid.", default=None)
    breaks: Mapping[str, Annotated[BreakDefinition, Reads("break")]] = setting(
        "Columns that say from which value on a row is eligible, each with the formula that is counted.",
        default_factory=dict,
    )
    choose: Texts = setting(
        "Which of several rows wins: `highest x`, `lowest x`, `latest x`, `most specific` ..., one after the other.",
        default=(),
    )
    columns: Mapping[str, Field] = setting("Specifications of its columns.", default_factory=dict)
    spread: Spread | None = setting("Columns of the file whose headings are values, such as groups.", default=None)
    graduated: bool = setting(
        "Whether each band between two breaks has its own price; the table then answers with `amount`.", default=False
    )
    roll_up: Mapping[Name, str] = setting(
        "Columns of an assembly that are summed from its components, each with the value of an item that is none.",
        default_factory=dict,
    )
    convert: Mapping[Name, FormulaText] = setting(
        "Columns that are multiplied by a formula, such as a rate.", default_factory=dict
    )
    required: FormulaText = setting(
        "Whether a row must be there: true, or a formula that says for whom.", default=False
    )
    label: str = setting("The word shown to people.", default="")
    note: str = setting("What its author says about it, for the specification; it decides nothing.", default="")

    above: Sequence[str] = ()

    @staticmethod
    def completed(given: dict[str, Any]) -> dict[str, Any]:
        """What was given, with breaks as formulas by column, and beside them which of them count from above only."""
        breaks = given.get("breaks") or {}
        above = tuple(name for name, each in breaks.items() if each.above)
        return {
            **given,
            **({"breaks": {name: each.of for name, each in breaks.items()}} if breaks else {}),
            "above": above,
        }

    def wrong(self) -> str:
        """What is wrong with the settings together, blank for nothing."""
        if self.graduated and any(each.above for each in self.breaks.values()):
            return "a band of a graduated price ends where the next begins: 'above' changes nothing there"
        if (self.key is None) == (self.match is None):
            return "expected either 'key' or 'match'"
        if self.file is not None and self.rows is not None:
            return "expected either 'file' or 'rows'"
        if self.key is not None and not self.key:
            return "expected at least one key column"
        return Marks.wrong(self)

    @property
    def empty_rows_count(self) -> bool:
        """A row of empty cells only fits anything."""
        return True

    @property
    def is_key(self) -> bool:
        """Whether one row is found by key; else the best of those that match."""
        return self.key is not None

    @property
    def is_master(self) -> bool:
        """Whether it says what each key is: one row a key. With a window or breaks the rows of one key compete."""
        return self.is_key and self.window is None and not self.breaks

    @property
    def conditions(self) -> Mapping[str, Any]:
        """The columns of its key or match, each with the formula that it must equal."""
        return self.key if self.key is not None else self.match or {}

    @property
    def reads_lines(self) -> bool:
        """Whether a formula that finds its row names a line, as far as can be said without its columns."""
        on = [] if self.window is None else [self.window.on]
        return any("line." in str(each) for each in (*self.conditions.values(), *self.breaks.values(), *on))

    @property
    def shown(self) -> str:
        """The label, or the name in words."""
        return self.label or self.name.replace("_", " ")


@dataclass(frozen=True)
class TableSource:
    """Rows of a table as they were given.

    Attributes:
        columns: Values by column heading.
        size: Number of rows.
        file: Name of the source, blank for Python.
        rows: For each row its number in the source, counted from 1 with the heading as row 1; None if unknown.
        reader: How values are written in it.
        is_unread: Whether its source could not be read, which is told elsewhere: nothing is known of its columns.
    """

    columns: Mapping[str, RawColumn]
    size: int
    file: str = ""
    rows: Integers | None = None
    reader: ValueReader = field(default_factory=ValueReader)
    is_unread: bool = False

    def row_number(self, row: int) -> int:
        """The number of a row in its source; counted as in a file with a heading if there is none."""
        return row + 2 if self.rows is None else int(self.rows[row])


def column_missing(column: str, known: Iterable[str], definition: TableDefinition, source: TableSource) -> str:
    """What more is said of a column that is not there: the nearest one, or that rows which come later declare it."""
    if definition.rows is not None and not source.columns:
        says = f'columns.{column} = {{ kind = "decimal" }}'
        return f"; its rows come from a database when they are needed: {says} in [table.{definition.name}] declares it"
    return nearest(column, known)


def is_price_column(column: str) -> bool:
    """Whether a column of a table holds prices, going by its name: a rulebook has no kind for money."""
    return column in ("price", "cost", "amount") or column.endswith(("_price", "_cost", "_amount"))
