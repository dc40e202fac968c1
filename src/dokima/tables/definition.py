"""What a rulebook says about one table, and the rows it was given."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from dokima.exact.integers import Integers
from dokima.model.fields import Field
from dokima.model.raw import RawColumn
from dokima.model.values import ValueReader


@dataclass(frozen=True)
class TableDefinition:
    """A table as a rulebook declares it; formulas are text still.

    Attributes:
        name: Its name in formulas.
        conditions: Column and formula it must equal: of ``key``, or of ``match``.
        is_key: True for ``key``, False for ``match``.
        window: ``from`` and ``until`` columns and the formula ``on``.
        breaks: Column and formula that must reach it.
        choose: Criteria, first things first.
        columns: Declared columns.
        graduated: Each band of the one break at its own price; the table answers with ``amount``.
        required: Where a line or order without a row is an error finding: True, or a formula.
        label: The word shown to people.
        roll_up: Of an assembly table: column, and the column of another table (``item.unit_cost``) that it rolls up.
        convert: Column and the formula of a factor its values are multiplied by, such as an exchange rate.
    """

    name: str
    conditions: Mapping[str, object] = field(default_factory=dict)
    is_key: bool = True
    window: Mapping[str, str] = field(default_factory=dict)
    breaks: Mapping[str, object] = field(default_factory=dict)
    choose: Sequence[str] = ()
    columns: Mapping[str, Field] = field(default_factory=dict)
    graduated: bool = False
    required: object = False
    label: str = ""
    roll_up: Mapping[str, str] = field(default_factory=dict)
    convert: Mapping[str, object] = field(default_factory=dict)

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
    """

    columns: Mapping[str, RawColumn]
    size: int
    file: str = ""
    rows: Integers | None = None
    reader: ValueReader = field(default_factory=ValueReader)

    def row_number(self, row: int) -> int:
        """The number of a row in its source; counted as in a file with a heading if there is none."""
        return row + 2 if self.rows is None else int(self.rows[row])
