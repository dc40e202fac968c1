"""What a rulebook may say, as pydantic models: the shape of ``rulebook.toml`` and of a rulebook built in Python."""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from decimal import Decimal
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, field_validator, model_validator

from dokima.exact import MODES


def _no_float(value: Any) -> Any:
    if isinstance(value, float):
        raise ValueError(f"expected an exact number, as text or Decimal (got the binary float {value!r})")
    return value


def _exact(value: Any) -> Any:
    """An exact number, from text or TOML."""
    _no_float(value)
    if isinstance(value, str | int) and not isinstance(value, bool):
        try:
            return Decimal(value)
        except ArithmeticError:
            raise ValueError(f"expected a number such as 0.05 (got {value!r})") from None
    return value


def _not_negative(value: Any) -> Any:
    value = _exact(value)
    if isinstance(value, Decimal) and not value >= 0:
        raise ValueError(f"expected a number of 0 or more (got {value})")
    return value


def _number(value: Any) -> Any:
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


FormulaText = Annotated[str | bool | int | Decimal, BeforeValidator(_no_float)]
"""A formula; numbers and flags are formulas too."""
NamedValue = Annotated[bool | int | Decimal | datetime.date | str, BeforeValidator(_no_float)]
Texts = Annotated[list[str], BeforeValidator(_as_list)]
Mode = Annotated[str, AfterValidator(_mode)]
Name = Annotated[str, AfterValidator(_name)]
Kind = Literal["text", "decimal", "integer", "date", "flag"]


class Spec(BaseModel):
    """Base of all parts: an unknown key is a problem, and values are not bent into other kinds."""

    model_config = ConfigDict(extra="forbid", strict=True, populate_by_name=True, frozen=True)


class ColumnSpec(Spec):
    """The one column specification: fields, table columns and layouts."""

    kind: Kind | None = None
    places: Annotated[int, Field(ge=0, le=30)] | None = None
    required: bool = False
    default: Any = None
    choices: list[str] = []
    label: str = ""
    from_: str = Field("", alias="from")
    codes: dict[str, str] = {}
    floats: Literal["refuse", "round"] = "refuse"
    empty: Literal["blank", "absent"] = "blank"

    @model_validator(mode="after")
    def _check(self) -> ColumnSpec:
        _no_float(self.default)
        if self.floats == "round" and self.places is None:
            raise ValueError("floats = 'round' needs 'places' to round to")
        return self


def _heading(value: Any) -> Any:
    return {"from": value} if isinstance(value, str) else value


LayoutColumn = Annotated[ColumnSpec, BeforeValidator(_heading)]
"""A column of a layout: its heading alone, or a specification."""


class Marks(Spec):
    """How text in a file is written."""

    separator: Annotated[str, Field(min_length=1, max_length=1)] = ","
    encoding: str = "utf-8"
    decimal: Annotated[str, Field(min_length=1, max_length=1)] = "."
    thousands: Annotated[str, Field(max_length=1)] = ""
    dates: str = ""

    @model_validator(mode="after")
    def _differ(self) -> Marks:
        if self.decimal == self.thousands:
            raise ValueError(f"decimal and thousands marks must differ (both are '{self.decimal}')")
        return self


class WindowSpec(Spec):
    """From when until when a row is valid, and the date that is asked about."""

    from_: str = Field("", alias="from")
    until: str = ""
    on: str

    @model_validator(mode="after")
    def _some(self) -> WindowSpec:
        if not self.from_ and not self.until:
            raise ValueError("expected 'from', 'until' or both, naming columns")
        return self


class TableSpec(Marks):
    """A table."""

    file: str | None = None
    key: dict[str, FormulaText] | None = None
    match: dict[str, FormulaText] | None = None
    window: WindowSpec | None = None
    breaks: dict[str, FormulaText] = {}
    choose: Texts = []
    columns: dict[str, ColumnSpec] = {}
    graduated: bool = False
    roll_up: dict[Name, str] = {}
    convert: dict[Name, FormulaText] = {}
    required: FormulaText = False
    label: str = ""

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
    lines: str
    link: str = "order"


class LayoutSpec(Marks):
    """A layout of other people's files."""

    header: dict[str, LayoutColumn]
    line: dict[str, LayoutColumn]
    files: LayoutFiles | None = None

    @model_validator(mode="after")
    def _numbers(self) -> LayoutSpec:
        for level, columns in (("header", self.header), ("line", self.line)):
            if "number" not in columns:
                raise ValueError(f"expected a column for '{level}.number'")
        return self


class RuleSpec(Spec):
    """A rule."""

    id: str
    at: Texts
    require: FormulaText
    when: FormulaText | None = None
    message: str = ""
    severity: Literal["error", "warning", "notice"] = "error"
    field: str = ""
    help: str = ""
    acknowledge: bool = False
    parents: Literal["", "also", "only"] = ""


class OptionSpec(Spec):
    """One place a price may come from."""

    value: FormulaText | None = None
    amount: FormulaText | None = None
    base: FormulaText | None = None
    factor: FormulaText | None = None

    @model_validator(mode="after")
    def _one_way(self) -> OptionSpec:
        if (self.value is None) == (self.amount is None):
            raise ValueError("expected either 'value', a price, or 'amount', what the whole line comes to")
        if self.amount is not None and (self.base is not None or self.factor is not None):
            raise ValueError("an 'amount' takes no base and no factor")
        return self


class StepSpec(Spec):
    """A step of a routine."""

    name: str
    kind: Literal["price", "discount", "charge", "subtotal", "figure", "tax", "advance"]
    options: list[OptionSpec] = []
    percent: FormulaText | None = None
    amount: FormulaText | None = None
    per_unit: FormulaText | None = None
    of: str | None = None
    value: FormulaText | None = None
    when: FormulaText | None = None
    cap: FormulaText | None = None
    keep_above: FormulaText | None = None
    best_of: Name | None = None
    over: Literal["line", "parent", "order"] = "line"
    where: FormulaText | None = None
    share: FormulaText | None = None
    if_no_share: Literal["refuse", "equal"] = "refuse"
    places: Annotated[int, Field(ge=0, le=30)] | None = None
    rounding: Mode | None = None
    category: FormulaText | None = None
    reason: FormulaText | None = None
    on_top_of: Texts = []
    label: str = ""


class InstalmentSpec(Spec):
    """One instalment."""

    label: str
    share: FormulaText
    due: FormulaText | None = None


class RoutineSpec(Spec):
    """A routine."""

    step: list[StepSpec]
    when: FormulaText | None = None
    rounding: Mode = "half-up"
    tax_per: Literal["document", "line"] = "document"
    prices_include_tax: FormulaText | None = None
    payable_step: Annotated[Decimal, BeforeValidator(_number)] | None = None
    instalments: list[InstalmentSpec] = []
    instalments_of: str = "with_tax"


class ReportingSpec(Spec):
    """A second currency that totals are reported in: how many of it one of the order's currency is."""

    currency: str
    rate: FormulaText


class CurrencySpec(Spec):
    """What a rulebook says of a currency."""

    places: Annotated[int, Field(ge=0, le=12)]


class StatedSpec(Spec):
    """How stated figures are compared with calculated ones."""

    tolerance: Annotated[Decimal, BeforeValidator(_not_negative)] = Decimal(0)
    severity: Literal["error", "warning", "notice"] = "error"


class HeadSpec(Spec):
    """The rulebook's own name, the currency of orders that name none, and moments it adds."""

    name: Name
    currency: str = ""
    moments: list[Name] = []
    python: Texts = []
    reporting: ReportingSpec | None = None


class StateSpec(Spec):
    """A state of an order."""

    to: list[str] = []
    permits: list[Literal["header", "lines", "close", "records"]] = []
    asks: str = ""


class StatesSpec(Spec):
    """The states of orders, of which the first is that of an order that names none, and those of deliveries."""

    order: dict[Name, StateSpec] = {}
    finished: str = "finished"
    change_when_paid: bool = False
    delivery: dict[Name, Literal["open", "delivered", "ended"]] = {}
    payments: Literal["limited", "free"] = "limited"

    @model_validator(mode="after")
    def _known(self) -> StatesSpec:
        for name, state in self.order.items():
            for target in state.to:
                if target not in self.order:
                    raise ValueError(f"expected '{name}' to lead to states that are there (got '{target}')")
        if self.order and self.finished not in self.order:
            raise ValueError(f"expected 'finished' to name a state that is there (got '{self.finished}')")
        return self


class TermsSpec(Spec):
    """Agreed terms."""

    reprice_on: list[str] = ["item", "unit"]


class OverrideSpec(Spec):
    """What a price typed by hand must be."""

    reason: bool = True
    negative: bool = False


class EditingSpec(Spec):
    """What the editor permits."""

    override: OverrideSpec = OverrideSpec()


class ChangesSpec(Spec):
    """How change orders are settled: one way for all, or by kind of order."""

    settle: Literal["amend", "split"] | dict[str, Literal["amend", "split"]] = "amend"
    budget_of: Literal["without_tax", "with_tax"] = "without_tax"


class ReportSpec(Spec):
    """How reports speak by default, and what they say of the parties: formulas of text, one a line, the name first."""

    locale: str = ""
    customer: list[str] = []
    supplier: list[str] = []
    ship_to: list[str] = []
    valid_days: Annotated[int, Field(ge=0, le=3650)] | None = None

    @field_validator("locale")
    @classmethod
    def _known(cls, locale: str) -> str:
        from babel import Locale, UnknownLocaleError

        try:
            return locale and str(Locale.parse(locale.replace("-", "_")))
        except (UnknownLocaleError, ValueError):
            raise ValueError(f"expected a locale such as de_DE or en_GB (got '{locale}')") from None


class RulebookSpec(Spec):
    """A whole rulebook."""

    rulebook: HeadSpec
    header: dict[Name, ColumnSpec] = {}
    line: dict[Name, ColumnSpec] = {}
    delivery: dict[Name, ColumnSpec] = {}
    payment: dict[Name, ColumnSpec] = {}
    value: dict[Name, NamedValue] = {}
    table: dict[Name, TableSpec] = {}
    layout: dict[Name, LayoutSpec] = {}
    rule: list[RuleSpec] = []
    routine: dict[Name, RoutineSpec] = {}
    states: StatesSpec | None = None
    terms: TermsSpec = TermsSpec()
    currency: dict[str, CurrencySpec] = {}
    stated: StatedSpec = StatedSpec()
    changes: ChangesSpec = ChangesSpec()
    editing: EditingSpec = EditingSpec()
    letterhead: dict[str, str] = {}
    report: ReportSpec = ReportSpec()
    texts: dict[str, str] = {}


def known_keys(path: tuple[int | str, ...]) -> list[str]:
    """The keys that may stand beside the last part of a path, for naming the nearest one."""
    model: Any = RulebookSpec
    for part in path[:-1]:
        if isinstance(part, int):
            continue
        model = _below(model, part)
        if model is None:
            return []
    fields: Mapping[str, Any] = model.model_fields
    return [spec.alias or name for name, spec in fields.items()]


_SECTIONS: Mapping[tuple[type[Spec], str], type[Spec]] = {
    (RulebookSpec, "rulebook"): HeadSpec,
    (RulebookSpec, "header"): ColumnSpec,
    (RulebookSpec, "line"): ColumnSpec,
    (RulebookSpec, "delivery"): ColumnSpec,
    (RulebookSpec, "payment"): ColumnSpec,
    (RulebookSpec, "table"): TableSpec,
    (RulebookSpec, "layout"): LayoutSpec,
    (RulebookSpec, "rule"): RuleSpec,
    (RulebookSpec, "routine"): RoutineSpec,
    (RulebookSpec, "states"): StatesSpec,
    (RulebookSpec, "terms"): TermsSpec,
    (RulebookSpec, "currency"): CurrencySpec,
    (RulebookSpec, "stated"): StatedSpec,
    (RulebookSpec, "changes"): ChangesSpec,
    (RulebookSpec, "report"): ReportSpec,
    (RulebookSpec, "editing"): EditingSpec,
    (EditingSpec, "override"): OverrideSpec,
    (HeadSpec, "reporting"): ReportingSpec,
    (StatesSpec, "order"): StateSpec,
    (TableSpec, "window"): WindowSpec,
    (TableSpec, "columns"): ColumnSpec,
    (LayoutSpec, "header"): ColumnSpec,
    (LayoutSpec, "line"): ColumnSpec,
    (LayoutSpec, "files"): LayoutFiles,
    (RoutineSpec, "step"): StepSpec,
    (RoutineSpec, "instalments"): InstalmentSpec,
    (StepSpec, "options"): OptionSpec,
}


def _below(model: type[Spec], part: str) -> type[Spec] | None:
    """The model of a section; the name of an entry within it (a table's name) stays in it."""
    return _SECTIONS.get((model, part), model if model is not RulebookSpec else None)
