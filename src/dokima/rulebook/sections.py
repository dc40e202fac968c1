"""The sections of ``rulebook.toml``: definitions of the core, and what only a rulebook has."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from dokima.formats.layouts import Layout
from dokima.model.databases import Database
from dokima.model.fields import Field
from dokima.model.numbering import NumberSeries
from dokima.model.questions import Question
from dokima.model.settings import FormulaText, Name, Reads, Texts, setting
from dokima.model.states import ChangeTerms, Lifecycle, OverrideTerms, StatedTerms
from dokima.pricing.papers import PaperDefinition
from dokima.pricing.program import ReportingCurrency, ReportTerms
from dokima.pricing.steps.definition import RoutineDefinition
from dokima.rules.rule import RuleDefinition
from dokima.tables.definition import ContextTable, TableDefinition


@dataclass(frozen=True)
class Head:
    """The rulebook's own name, the currency of orders that name none, and moments it adds."""

    name: Name = setting("Its name.")
    currency: str = setting("The currency of orders that name none, ISO 4217.", default="")
    moments: Sequence[Name] = setting("Moments that it adds to those every rulebook knows.", default=())
    python: Texts = setting("Files with rules and functions in Python, beside the rulebook.", default=())
    reporting: ReportingCurrency | None = setting("A second currency that totals are reported in.", default=None)
    status: Literal["", "draft"] = setting("draft while no store is to be opened with it; else left out.", default="")
    note: str = setting("What it is for, in its author's words; it decides nothing.", default="")


@dataclass(frozen=True)
class Terms:
    """Agreed terms."""

    reprice_on: Sequence[str] = setting(
        "Fields; where one has changed, agreed terms of a line are not used any more.", default=("item", "unit")
    )


@dataclass(frozen=True)
class Currency:
    """What a rulebook says of a currency."""

    places: Annotated[int, Reads("places of currency")] = setting("Decimal places in the place of the standard's.")


@dataclass(frozen=True)
class Editing:
    """What the editor permits."""

    override: OverrideTerms = setting("How a price is typed by hand.", default_factory=OverrideTerms)


@dataclass(frozen=True)
class RulebookSections:
    """A whole rulebook."""

    rulebook: Head = setting("The rulebook's own name, currency and moments.")
    header: Mapping[Name, Field] = setting(
        "Header fields by name, beside the standard ones or in their place.", default_factory=dict
    )
    line: Mapping[Name, Field] = setting("Line fields by name, likewise.", default_factory=dict)
    delivery: Mapping[Name, Field] = setting("Fields of deliveries by name.", default_factory=dict)
    payment: Mapping[Name, Field] = setting("Fields of payments by name.", default_factory=dict)
    value: Mapping[Name, Annotated[Any, Reads("value")]] = setting(
        "Named values, read as value.x.", default_factory=dict
    )
    formula: Mapping[Name, FormulaText] = setting(
        "Named formulas, read as formula.x: as if their text stood there in brackets.", default_factory=dict
    )
    table: Mapping[Name, TableDefinition] = setting("Tables by name.", default_factory=dict)
    context: Mapping[str, ContextTable] = setting(
        "Tables whose rows are shown beside a line when it is explained, by the words above them.", default_factory=dict
    )
    layout: Mapping[Name, Layout] = setting("Layouts of other people's files by name.", default_factory=dict)
    source: Mapping[Name, Database] = setting(
        "Databases of others that tables and layouts read from, by name.", default_factory=dict
    )
    rule: Sequence[RuleDefinition] = setting("Rules.", default=())
    routine: Mapping[Name, RoutineDefinition] = setting("Routines by name.", default_factory=dict)
    states: Lifecycle = setting(
        "States of orders and deliveries; those every rulebook knows if left out.", default_factory=Lifecycle
    )
    numbering: Mapping[Name, NumberSeries] = setting(
        "How orders are numbered when they are saved without a number, by kind of order.", default_factory=dict
    )
    terms: Terms = setting("When agreed terms end.", default_factory=Terms)
    currency: Mapping[str, Currency] = setting("What the rulebook says of currencies, by code.", default_factory=dict)
    stated: StatedTerms = setting("How stated figures are compared.", default_factory=StatedTerms)
    changes: ChangeTerms = setting("How change orders are settled.", default_factory=ChangeTerms)
    editing: Editing = setting("How orders are edited.", default_factory=Editing)
    paper: Mapping[Name, PaperDefinition] = setting("Papers about an order by name.", default_factory=dict)
    letterhead: Mapping[str, str] = setting(
        "Who sends reports: the name first, then whatever stands beside it.", default_factory=dict
    )
    report: ReportTerms = setting("How reports speak, and what they say of the parties.", default_factory=ReportTerms)
    question: Sequence[Question] = setting("Questions that are open, or were answered.", default=())
    texts: Mapping[str, str] = setting("Words of reports in the place of ours, by key.", default_factory=dict)
