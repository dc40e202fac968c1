"""Settings of tables and of layouts of other people's files."""

from __future__ import annotations

from pydantic import Field, model_validator

from dokima.rulebook.spec_types import (
    ColumnSpec,
    FormulaText,
    LayoutColumn,
    Marks,
    Name,
    Spec,
    Texts,
)


class WindowSpec(Spec):
    """From when until when a row is valid, and the date that is asked about."""

    from_: str = Field("", alias="from")
    """The column that says from which day on a row is valid."""
    until: str = ""
    """The column that says until which day, that day included."""
    on: str
    """A formula of the date that is asked about."""

    @model_validator(mode="after")
    def _some(self) -> WindowSpec:
        if not self.from_ and not self.until:
            raise ValueError("expected 'from', 'until' or both, naming columns")
        return self


class TableSpec(Marks):
    """A table."""

    file: str | None = None
    """The file of its rows, beside the rulebook: CSV, XLSX or Parquet; rows from Python if left out."""
    key: dict[str, FormulaText] | None = None
    """Columns by which one row is found, each with the formula that it must equal."""
    match: dict[str, FormulaText] | None = None
    """Columns that must equal a formula, where an empty cell fits any value."""
    window: WindowSpec | None = None
    """From when until when a row is valid."""
    breaks: dict[str, FormulaText] = {}
    """Columns that say from which value on a row is eligible, each with the formula that is counted."""
    choose: Texts = []
    """Which of several rows wins: `highest x`, `lowest x`, `latest x`, `most specific` ..., one after the other."""
    columns: dict[str, ColumnSpec] = {}
    """Specifications of its columns."""
    graduated: bool = False
    """Whether each band between two breaks has its own price; the table then answers with `amount`."""
    roll_up: dict[Name, str] = {}
    """Columns of an assembly that are summed from its components, each with the value of an item that is none."""
    convert: dict[Name, FormulaText] = {}
    """Columns that are multiplied by a formula, such as a rate."""
    required: FormulaText = False
    """Whether a row must be there: true, or a formula that says for whom."""
    label: str = ""
    """The word shown to people."""

    @model_validator(mode="after")
    def _one_way(self) -> TableSpec:
        if (self.key is None) == (self.match is None):
            raise ValueError("expected either 'key' or 'match'")
        if self.key is not None and not self.key:
            raise ValueError("expected at least one key column")
        return self


class LayoutFiles(Spec):
    """Names of the two files of a layout, and the heading that links lines to headers."""

    headers: str
    """The file of headers."""
    lines: str
    """The file of lines."""
    link: str = "order"
    """The heading in the lines that names the order."""


class LayoutSpec(Marks):
    """A layout of other people's files."""

    header: dict[str, LayoutColumn]
    """Header fields, each with its heading."""
    line: dict[str, LayoutColumn]
    """Line fields, each with its heading."""
    files: LayoutFiles | None = None
    """The two files of a layout whose headers and lines stand apart; one flat file if left out."""

    @model_validator(mode="after")
    def _numbers(self) -> LayoutSpec:
        for level, columns in (("header", self.header), ("line", self.line)):
            if "number" not in columns:
                raise ValueError(f"expected a column for '{level}.number'")
        return self
