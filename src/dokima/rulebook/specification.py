"""What a rulebook may say, as pydantic models: the shape of ``rulebook.toml`` and of a rulebook built in Python."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field, field_validator, model_validator

from dokima.rulebook.spec_routines import InstalmentSpec, OptionSpec, RoutineSpec, StepSpec
from dokima.rulebook.spec_tables import LayoutFiles, LayoutSpec, TableSpec, WindowSpec
from dokima.rulebook.spec_types import (
    ColumnSpec,
    FormulaText,
    Name,
    NamedValue,
    Spec,
    Texts,
    not_negative,
)


class RuleSpec(Spec):
    """A rule."""

    id: str
    """Its id."""
    at: Texts
    """The moment or moments at which it is asked: edit, enter, remove, save, approve, close, cancel, or one of the
    rulebook's own."""
    require: FormulaText
    """What must hold, a formula."""
    when: FormulaText | None = None
    """Where it applies, a formula; everywhere if left out."""
    message: str = ""
    """What it says, with formulas in braces."""
    severity: Literal["error", "warning", "notice"] = "error"
    """What follows if it does not hold: error stops, warning and notice are told."""
    field: str = ""
    """The field it is about: line.x or header.x; needed at edit."""
    help: str = ""
    """What to do about it."""
    acknowledge: bool = False
    """Whether a warning stops until somebody accepts it."""
    parents: Literal["", "also", "only"] = ""
    """Whether lines with sub-lines are asked: not, also, or only they."""


class ReportingSpec(Spec):
    """A second currency that totals are reported in: how many of it one of the order's currency is."""

    currency: str
    """The currency, ISO 4217."""
    rate: FormulaText
    """How many of it one of the order's currency is, a formula."""


class CurrencySpec(Spec):
    """What a rulebook says of a currency."""

    places: Annotated[int, Field(ge=0, le=12)]
    """Decimal places in the place of the standard's."""


class StatedSpec(Spec):
    """How stated figures are compared with calculated ones."""

    tolerance: Annotated[Decimal, BeforeValidator(not_negative)] = Decimal(0)
    """How far a stated figure may be off."""
    severity: Literal["error", "warning", "notice"] = "error"
    """What follows if it is further off."""


class HeadSpec(Spec):
    """The rulebook's own name, the currency of orders that name none, and moments it adds."""

    name: Name
    """Its name."""
    currency: str = ""
    """The currency of orders that name none, ISO 4217."""
    moments: list[Name] = []
    """Moments that it adds to those every rulebook knows."""
    python: Texts = []
    """Files with rules and functions in Python, beside the rulebook."""
    reporting: ReportingSpec | None = None
    """A second currency that totals are reported in."""


class StateSpec(Spec):
    """A state of an order."""

    to: list[str] = []
    """States it leads to."""
    permits: list[Literal["header", "lines", "close", "records"]] = []
    """What may be done in it: header, lines, close, records."""
    asks: str = ""
    """The moment whose rules are asked on the way into it."""


class StatesSpec(Spec):
    """The states of orders, of which the first is that of an order that names none, and those of deliveries."""

    order: dict[Name, StateSpec] = {}
    """States of orders by name; the first is that of an order that names none."""
    finished: str = "finished"
    """The state of an order whose lines are all closed or delivered."""
    change_when_paid: bool = False
    """Whether lines may be changed once something has been paid."""
    delivery: dict[Name, Literal["open", "delivered", "ended"]] = {}
    """States of deliveries, each as open, delivered or ended."""
    payments: Literal["limited", "free"] = "limited"
    """Whether payments may exceed what is payable."""

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
    """Fields; where one has changed, agreed terms of a line are not used any more."""


class OverrideSpec(Spec):
    """What a price typed by hand must be."""

    reason: bool = True
    """Whether a price typed by hand needs a reason."""
    negative: bool = False
    """Whether it may be negative."""


class EditingSpec(Spec):
    """What the editor permits."""

    override: OverrideSpec = OverrideSpec()
    """What a price typed by hand must be."""


class ChangesSpec(Spec):
    """How change orders are settled: one way for all, or by kind of order."""

    settle: Literal["amend", "split"] | dict[str, Literal["amend", "split"]] = "amend"
    """How approved changes are settled: amend or split, or one of them for each kind of order."""
    budget_of: Literal["without_tax", "with_tax"] = "without_tax"
    """The total that a budget is compared with."""


class ReportSpec(Spec):
    """How reports speak by default, and what they say of the parties: formulas of text, one a line, the name first."""

    locale: str = ""
    """The locale of reports for which none is asked, such as en_GB."""
    customer: Texts = []
    """Formulas of text: the customer's name, then lines of the address."""
    supplier: Texts = []
    """The same of the supplier."""
    ship_to: Texts = []
    """The same of the place of delivery."""
    valid_days: Annotated[int, Field(ge=0, le=3650)] | None = None
    """For how many days after its submission a change order is offered."""

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
    """The rulebook's own name, currency and moments."""
    header: dict[Name, ColumnSpec] = {}
    """Header fields by name, beside the standard ones or in their place."""
    line: dict[Name, ColumnSpec] = {}
    """Line fields by name, likewise."""
    delivery: dict[Name, ColumnSpec] = {}
    """Fields of deliveries by name."""
    payment: dict[Name, ColumnSpec] = {}
    """Fields of payments by name."""
    value: dict[Name, NamedValue] = {}
    """Named values, read as value.x."""
    table: dict[Name, TableSpec] = {}
    """Tables by name."""
    layout: dict[Name, LayoutSpec] = {}
    """Layouts of other people's files by name."""
    rule: list[RuleSpec] = []
    """Rules."""
    routine: dict[Name, RoutineSpec] = {}
    """Routines by name."""
    states: StatesSpec | None = None
    """States of orders and deliveries; those every rulebook knows if left out."""
    terms: TermsSpec = TermsSpec()
    """When agreed terms end."""
    currency: dict[str, CurrencySpec] = {}
    """What the rulebook says of currencies, by code."""
    stated: StatedSpec = StatedSpec()
    """How stated figures are compared."""
    changes: ChangesSpec = ChangesSpec()
    """How change orders are settled."""
    editing: EditingSpec = EditingSpec()
    """What the editor permits."""
    letterhead: dict[str, str] = {}
    """Who sends reports: the name first, then whatever stands beside it."""
    report: ReportSpec = ReportSpec()
    """How reports speak, and what they say of the parties."""
    texts: dict[str, str] = {}
    """Words of reports in the place of ours, by key."""


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
