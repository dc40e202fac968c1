"""Fields of header and lines: the one column specification, and the standard fields."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Annotated, Any, Literal

from dokima.columns.column import Kind
from dokima.model.settings import Places, Reads, setting

Records = Literal["links", "payments", "deliveries", "acknowledgements", "pending", "terms"]
"""Header fields that hold small records instead of one value."""

RECORDS: tuple[Records, ...] = ("links", "payments", "deliveries", "acknowledgements", "pending", "terms")

RECORDS_OF = {"delivery": "deliveries", "payment": "payments"}
"""Records that formulas of rules may read, by the word they are read with."""


@dataclass(frozen=True)
class Field:
    """What one field of a header or line, or one column of a table or file, holds.

    Attributes:
        name: The name formulas use.
        money: Whether it is an amount of money in the order's currency, and written so.
        pattern: Of a column of a layout what whole cells look like, and which part of them is meant; blank for all.
        words: Whether it holds several names: a list in documents, one text with spaces between them in columns.
    """

    name: str
    kind: Kind = setting(
        "What the values are: text, decimal, integer, date or flag; that of the standard field if left out, else text "
        "(decimal with `places`).",
        default="text",
        optional=True,
    )
    places: Places | None = setting("The most decimal places that a value may have.", default=None)
    required: bool = setting("Whether a value must be there.", default=False)
    default: Annotated[Any, Reads("anything exact")] = setting(
        "A formula that stands in where the field is absent.", default=None
    )
    value: Annotated[Any, Reads("anything exact")] = setting(
        "A formula that is always worked out, so that the field is never given.", default=None
    )
    choices: Sequence[str] = setting("The only values there may be.", default=())
    label: str = setting("The word shown to people.", default="")
    heading: str = setting("The heading in the file, where it is another than the name.", default="", key="from")
    codes: Mapping[str, str] = setting("Values of the file, and what they stand for.", default_factory=dict)
    floats: Literal["refuse", "round"] = setting(
        "Binary floats: refused, or rounded to `places`; a text takes those that are whole numbers.", default="refuse"
    )
    empty: Literal["blank", "absent"] = setting(
        "What an empty cell says: that the field is blank, or that it is absent, so that the default stands in.",
        default="blank",
    )
    note: str = setting("What its author says about it, for the specification; it decides nothing.", default="")
    internal: bool = setting("For our own eyes: papers that leave the house do not show it.", default=False)
    money: bool = False
    words: bool = False
    pattern: str = ""

    @staticmethod
    def completed(given: dict[str, Any]) -> dict[str, Any]:
        """What a rulebook gives of a field, with what follows from it: what has decimal places is a number."""
        if given.get("kind") is None:
            given["kind"] = "text" if given.get("places") is None else "decimal"
        return given

    def wrong(self) -> str:
        """What is wrong with the settings together, blank for nothing."""
        # As settings it has no kind yet where it is that of the standard field; the rulebook is asked again then.
        if self.floats == "round" and self.places is None and self.kind not in (None, "text"):
            return "floats = 'round' needs 'places' to round to"
        if self.value is not None and (self.default is not None or self.required):
            other = "default" if self.default is not None else "required"
            return f"a field with a 'value' is always worked out; it takes no '{other}'"
        return ""

    @property
    def formula(self) -> Any:
        """The formula that gives what nobody gave: its value, else its default; None without one."""
        return self.default if self.value is None else self.value

    @property
    def shown(self) -> str:
        """The label, or the name in words."""
        return self.label or self.name.replace("_", " ")

    def with_changes(self, **changes: Any) -> Field:
        """The same field with some attributes changed."""
        return replace(self, **changes)


DRAWN = "drawn"
"""The field of headers and lines that names those fields of theirs that hold what their default gave."""
_MARKS = Field(DRAWN, label="drawn from defaults", words=True)


def _texts(names: str) -> list[Field]:
    return [Field(name) for name in names.split()]


def _money(name: str, label: str = "", *, internal: bool = False) -> Field:
    return Field(name, "decimal", label=label, money=True, internal=internal)


HEADER_FIELDS: tuple[Field, ...] = (
    *_texts(
        "number kind currency customer supplier ship_to ship_to_country tax_number requested_by state state_before"
    ),
    Field("date", "date"),
    Field("revision", "integer"),
    _money("budget", internal=True),
    _money("stated_line_net", "stated sum of line net"),
    _money("stated_without_tax", "stated total without tax"),
    _money("stated_tax", "stated tax"),
    _money("stated_with_tax", "stated total with tax"),
    _money("stated_payable", "stated payable"),
    _MARKS,
)
"""Standard header fields, there unless a rulebook declares them anew."""

LINE_FIELDS: tuple[Field, ...] = (
    *_texts("number item description unit override_reason override_by override_time tax_category state"),
    Field("quantity", "decimal"),
    _money("price_override", "manual price"),
    Field("price_base", "decimal"),
    _money("unit_price", "stated unit price"),
    _money("stated_net"),
    _money("unit_cost", internal=True),
    Field("delivered", "decimal"),
    Field("due_date", "date"),
    _MARKS,
)
"""Standard line fields. ``unit_price`` and the ``stated_`` fields are what a document states: compared, never used."""


DELIVERY_FIELDS: tuple[Field, ...] = (*_texts("id state line"), Field("quantity", "decimal"), Field("date", "date"))
PAYMENT_FIELDS: tuple[Field, ...] = (*_texts("reference method"), _money("amount"), Field("date", "date"))
"""What deliveries and payments of an order hold, beside whatever else a document keeps in them."""


@dataclass(frozen=True)
class Fields:
    """All fields of the orders of one rulebook, by name: of header and line, and of each kind of records."""

    header: Mapping[str, Field]
    line: Mapping[str, Field]
    records: Mapping[str, Mapping[str, Field]] = field(default_factory=dict)

    @cached_property
    def computed(self) -> frozenset[tuple[str, str]]:
        """The fields that are always worked out, as (level, field)."""
        return frozenset(
            (level, name)
            for level, of_level in (("header", self.header), ("line", self.line))
            for name, each in of_level.items()
            if each.value is not None
        )

    @cached_property
    def missed(self) -> Mapping[str, Mapping[str, Field]]:
        """By level the fields for which it matters that they are not given: with a default, or required."""
        return {
            level: {name: each for name, each in of_level.items() if each.default is not None or each.required}
            for level, of_level in (("header", self.header), ("line", self.line))
        }

    @classmethod
    def standard(
        cls,
        header: Iterable[Field] = (),
        line: Iterable[Field] = (),
        delivery: Iterable[Field] = (),
        payment: Iterable[Field] = (),
    ) -> Fields:
        """The standard fields, with those given added or put in their place."""
        return cls(
            {each.name: each for each in (*HEADER_FIELDS, *header)},
            {each.name: each for each in (*LINE_FIELDS, *line)},
            {
                "delivery": {each.name: each for each in (*DELIVERY_FIELDS, *delivery)},
                "payment": {each.name: each for each in (*PAYMENT_FIELDS, *payment)},
            },
        )
