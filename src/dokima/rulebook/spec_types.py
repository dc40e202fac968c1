"""What settings of a rulebook are made of: exact numbers, formulas, names, and the one column specification."""

from __future__ import annotations

import datetime
from decimal import Decimal
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, model_validator

from dokima.exact import MODES


def no_float(value: Any) -> Any:
    if isinstance(value, float):
        raise ValueError(f"expected an exact number, as text or Decimal (got the binary float {value!r})")
    return value


def _exact(value: Any) -> Any:
    """An exact number, from text or TOML."""
    no_float(value)
    if isinstance(value, str | int) and not isinstance(value, bool):
        try:
            return Decimal(value)
        except ArithmeticError:
            raise ValueError(f"expected a number such as 0.05 (got {value!r})") from None
    return value


def not_negative(value: Any) -> Any:
    value = _exact(value)
    if isinstance(value, Decimal) and not value >= 0:
        raise ValueError(f"expected a number of 0 or more (got {value})")
    return value


def above_zero(value: Any) -> Any:
    """An exact number above 0, from text or TOML."""
    value = _exact(value)
    if isinstance(value, Decimal) and not value > 0:
        raise ValueError(f"expected a number above 0 (got {value})")
    return value


def _as_list(value: Any) -> Any:
    return [value] if isinstance(value, str) else value


def _mode(value: str) -> str:
    if value not in MODES:
        raise ValueError(f"expected a rounding mode: {', '.join(MODES)} (got '{value}')")
    return value


def _name(value: str) -> str:
    if not value.isidentifier():
        raise ValueError(f"expected a name of letters, digits and '_' (got '{value}')")
    return value


FormulaText = Annotated[str | bool | int | Decimal, BeforeValidator(no_float)]
"""A formula; numbers and flags are formulas too."""
NamedValue = Annotated[bool | int | Decimal | datetime.date | str, BeforeValidator(no_float)]
Texts = Annotated[list[str], BeforeValidator(_as_list, json_schema_input_type=str | list[str])]
Mode = Annotated[str, AfterValidator(_mode)]
Name = Annotated[str, AfterValidator(_name)]
Kind = Literal["text", "decimal", "integer", "date", "flag"]


class Spec(BaseModel):
    """Base of all parts: an unknown key is a problem, and values are not bent into other kinds."""

    model_config = ConfigDict(extra="forbid", strict=True, populate_by_name=True, frozen=True, defer_build=True)


class ColumnSpec(Spec):
    """The one column specification: fields, table columns and layouts."""

    kind: Kind | None = None
    """What the values are: text, decimal, integer, date or flag; that of the standard field if left out, else text
    (decimal with `places`)."""
    places: Annotated[int, Field(ge=0, le=30)] | None = None
    """The most decimal places that a value may have."""
    required: bool = False
    """Whether a value must be there."""
    default: Any = None
    """A formula that stands in where the field is absent."""
    choices: list[str] = []
    """The only values there may be."""
    label: str = ""
    """The word shown to people."""
    from_: str = Field("", alias="from")
    """The heading in the file, where it is another than the name."""
    codes: dict[str, str] = {}
    """Values of the file, and what they stand for."""
    floats: Literal["refuse", "round"] = "refuse"
    """Binary floats: refused, or rounded to `places`."""
    empty: Literal["blank", "absent"] = "blank"
    """What an empty cell says: that the field is blank, or that it is absent, so that the default stands in."""

    @model_validator(mode="after")
    def _check(self) -> ColumnSpec:
        no_float(self.default)
        if self.floats == "round" and self.places is None:
            raise ValueError("floats = 'round' needs 'places' to round to")
        return self


def _heading(value: Any) -> Any:
    return {"from": value} if isinstance(value, str) else value


LayoutColumn = Annotated[ColumnSpec, BeforeValidator(_heading, json_schema_input_type=str | ColumnSpec)]
"""A column of a layout: its heading alone, or a specification."""


class Marks(Spec):
    """How text in a file is written."""

    separator: Annotated[str, Field(min_length=1, max_length=1)] = ","
    """What separates cells: one character."""
    encoding: str = "utf-8"
    """The encoding of the file, such as utf-8 or cp1252."""
    decimal: Annotated[str, Field(min_length=1, max_length=1)] = "."
    """The decimal mark of numbers."""
    thousands: Annotated[str, Field(max_length=1)] = ""
    """The mark between thousands; none if blank."""
    dates: str = ""
    """The form of dates in the codes of strptime, such as %d.%m.%Y; ISO 8601 if blank."""

    @model_validator(mode="after")
    def _differ(self) -> Marks:
        if self.decimal == self.thousands:
            raise ValueError(f"decimal and thousands marks must differ (both are '{self.decimal}')")
        return self
