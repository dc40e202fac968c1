"""A rulebook proposed for an export: settings, each with what speaks for it, and the questions that stay open."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from fractions import Fraction
from typing import Any

from dokima.inference.arithmetic import discount_rounding
from dokima.inference.line_numbers import POINT
from dokima.inference.profiles import MARKS, FileProfile, Profile, date_words, number
from dokima.inference.questions import OpenQuestion, about_dates, about_header, about_marks, always
from dokima.inference.roles import TELLING, Role, Roles, is_constant
from dokima.inference.terms import PriceTerms, price_terms
from dokima.inference.words import UNITS, best, field_name, plain, suggests
from dokima.model.fields import HEADER_FIELDS, LINE_FIELDS

LAYOUT = "export"
Settings = dict[str, Any]


@dataclass(frozen=True)
class Guess:
    """What a column, or a file, was taken for, and why.

    Attributes:
        about: The column or file.
        means: What it was taken for: a field, a mark, a role.
        why: What speaks for it.
    """

    about: str
    means: str
    why: str


@dataclass
class Proposal:
    """A rulebook before it is written.

    Attributes:
        settings: Its sections.
        guesses: What was taken for what.
        questions: What stays open.
        rows: Tables made of the export: headings and rows, by file.
        roles: What the columns of the export are.
    """

    settings: Settings
    roles: Roles
    guesses: list[Guess] = field(default_factory=list)
    questions: list[OpenQuestion] = field(default_factory=list)
    rows: dict[str, tuple[Sequence[str], list[Sequence[Any]]]] = field(default_factory=dict)


@dataclass(frozen=True)
class Export:
    """An export as it was understood: headers and lines in one file, or in two.

    Attributes:
        roles: What its columns are.
        headers: The columns in which header fields stand.
        lines: The columns in which line fields stand; the same in one file.
        link: Of two files the column of the lines that names the order; blank for one file.
    """

    roles: Roles
    headers: FileProfile
    lines: FileProfile
    link: str = ""

    def value_of(self, level: str, name: str) -> list[Any] | None:
        """The value of a field for each line; None if no column has it."""
        heading = self.roles.heading(level, name)
        if not heading:
            return None
        if level == "line" or not self.link:
            return list(self.lines.columns[heading].cells)
        cells = self.headers.columns[heading].cells
        return [cells[group] for group in self.roles.groups]


def propose(name: str, export: Export, prices: FileProfile | None, price_file: Settings, price_name: str) -> Proposal:
    """A rulebook for an export.

    Args:
        name: The rulebook's name.
        export: The export.
        prices: The columns of a price list; None without one.
        price_file: How that is read: file, separator, encoding, marks.
        price_name: The name of its file, for evidence.
    """
    roles = export.roles
    currency = _currency(export)
    made = Proposal({"rulebook": {"name": name, "currency": currency}}, roles)
    _fields(made, export)
    options = _price_table(made, export, prices, price_file, price_name)
    _rules(made, roles)
    _routine(made, export, options)
    parties = roles.of("header").keys() & {"customer", "supplier"}
    asked = always(currency, roles.heading("line", "stated_net"), from_supplier=parties == {"supplier"})
    # Where tax comes on top of the amounts, or nothing is priced, nobody needs to be asked whether they include it.
    made.questions += [each for each in asked if each.id != "tax" or ("routine" in made.settings and not roles.has_tax)]
    _open(made, export)
    return made


def _currency(export: Export) -> str:
    """The currency that stands in the rulebook until somebody says it: that of most orders, else the euro."""
    values = export.value_of("header", "currency")
    if values:
        return max(sorted({str(v) for v in values if v}), key=[str(v) for v in values].count, default="EUR")
    columns = {**export.headers.columns, **export.lines.columns}
    words = " ".join([*columns, *(each.beside for each in columns.values())]).upper()
    signs = {"GBP": ("GBP", "£"), "USD": ("USD", "$"), "CHF": ("CHF",), "EUR": ("EUR", "€")}
    return next((code for code, known in signs.items() if any(sign in words for sign in known)), "EUR")


# -- layout and fields ------------------------------------------------------------------------------------------------


_STANDARD = {
    "header": ("number", "date", "customer", "supplier", "requested_by", "currency", "stated_line_net",
               "stated_without_tax", "stated_tax", "stated_with_tax"),
    "line": (
        "number", "item", "description", "unit", "quantity", "unit_price", "stated_net", "due_date",
    ),
}  # fmt: skip


_CODED = ("customer", "supplier", "item")
_NAMED = re.compile(r".*\S \([^()\s]+\)")
"""``Name (CODE)``, as people are told who is meant."""


def _fields(made: Proposal, export: Export) -> None:
    """The layout with every column: those that have a role, and the others as fields of our own."""
    layout: dict[str, dict[str, Any]] = {"header": {}, "line": {}}
    own: dict[str, dict[str, Any]] = {"header": {}, "line": {}}
    taken: set[str] = set()
    for level, file in (("header", export.headers), ("line", export.lines)):
        for heading, each in file.columns.items():
            role = made.roles.role(heading, level)
            mine = role.level if role else _level(heading, made.roles, export, level)
            if mine != level or (level == "line" and heading == export.link) or not each.filled:
                continue
            name = role.name if role else _free(heading, taken)
            taken.add(name)
            spec: dict[str, Any] = {"from": heading}
            if codes := _codes(name, each):
                spec["codes"] = codes
            why = f"{each.why}; {role.why}" if role and role.why else each.why
            if name in _CODED and all(_NAMED.fullmatch(str(text).strip()) for text in each.counts):
                spec["pattern"] = rf"(?P<name>.*) \((?P<{name}>.*)\)"
                why += "; each cell is a name with a code in brackets, which is meant"
            layout[level][name] = spec if len(spec) > 1 else heading
            if (role is None or name in ("unit", "currency")) and (told := each.codes()):
                why += f" ({told})"
            told_of = {} if name in _STANDARD[level] else _own(heading, each, role)
            of_floats, said = _floats(each, is_text=told_of.get("kind") == "text" or name in _TEXTS[level])
            made.guesses.append(Guess(heading, f"{level}.{name}", why + said))
            if told_of or of_floats:
                own[level][name] = {**told_of, **of_floats}
    for level, fields in own.items():
        if fields:
            made.settings[level] = fields
    file = export.lines if export.lines.columns else export.headers
    marks = export.headers.written | file.written
    if beside := {*export.headers.written.get("beside", ()), *file.written.get("beside", ())}:
        marks["beside"] = sorted(beside)
    if made.roles.has_levels:
        marks["levels"] = POINT
    if once := export.headers.said_once:
        marks["header_once"] = True
        said = f"{', '.join(once)} stand on the first row of an order only"
        made.guesses.insert(0, Guess("header_once", "how it is read", said))
    made.settings["layout"] = {LAYOUT: {**marks, **layout}}


_TEXTS = {
    "header": {each.name for each in HEADER_FIELDS if each.kind == "text"},
    "line": {each.name for each in LINE_FIELDS if each.kind == "text"},
}
"""Standard fields that are texts."""


def _level(heading: str, roles: Roles, export: Export, level: str) -> str:
    """Of a column without a role: header if the order has it in common, else line."""
    if export.link:
        return level
    cells = export.headers.columns[heading].cells
    return "header" if roles.several and is_constant(cells, roles.groups) else "line"


_RESERVED = frozenset(
    ["price", "amount", "net", "without_tax", "tax", "with_tax", "tax_amount", "goods", "discount", "line_net", "state"]
)


def _free(heading: str, taken: set[str]) -> str:
    name = field_name(heading)
    known = {*_STANDARD["header"], *_STANDARD["line"], *_RESERVED, *taken}
    if name in known or name in ("kind", "revision", "budget", "delivered", "unit_cost", "tax_category"):
        name = f"{name}_in_file"
    return next(each for each in (name, *(f"{name}_{at}" for at in range(2, 100))) if each not in taken)


def _own(heading: str, each: Profile, role: Role | None) -> Settings:
    # Percents that are whole here, and floats, may have places in the next file.
    may_have_places = each.kind == "integer" and (role is not None or each.has_floats)
    spec: Settings = {"kind": "decimal" if may_have_places else each.kind}
    if field_name(heading).replace("_", " ") != heading:
        spec["label"] = heading
    return spec


def _floats(each: Profile, *, is_text: bool) -> tuple[Settings, str]:
    """How the binary floats of a column are read, and what is said of it; nothing where it holds none."""
    if not each.has_floats or (is_text and each.kind != "integer"):
        return {}, ""
    if is_text:
        return {"floats": "round"}, "; whole numbers in binary floats"
    return {"places": each.places, "floats": "round"}, f"; binary floats, read to {each.places} decimal places"


def _codes(name: str, each: Profile) -> dict[str, str]:
    """Words of units by their code in UN/ECE Recommendation 20, and flags by true and false."""
    if each.kind == "flag" and any(isinstance(value, str) for value in each.counts):
        yes = ("true", "yes", "y", "j", "ja", "oui", "x")
        return {str(value): "true" if str(value).strip().lower() in yes else "false" for value in each.counts}
    if name == "unit":
        return {
            str(v): UNITS[plain(str(v))] for v in each.counts if plain(str(v)) in UNITS and UNITS[plain(str(v))] != v
        }
    return {}


# -- prices -----------------------------------------------------------------------------------------------------------


def _price_table(
    made: Proposal, export: Export, prices: FileProfile | None, file: Settings, name: str
) -> list[Settings]:
    """The table of prices, and the options of the price step that read it."""
    items = export.value_of("line", "item")
    stated = _stated(export)
    if prices is not None and items is not None:
        named = {"header.customer": "customer", "header.supplier": "supplier"}
        fields = {f"header.{each}": values for each in named.values() if (values := export.value_of("header", each))}
        units = export.value_of("line", "unit")
        if units:
            spec = made.settings["layout"][LAYOUT]["line"].get("unit")
            codes = spec.get("codes", {}) if isinstance(spec, dict) else {}
            fields["line.unit"] = [codes.get(unit, unit) for unit in units]
        terms = price_terms(prices, items, stated or _implied(export) or [None] * len(items), fields)
        if terms is not None:
            return _from_list(made, terms, prices, file, name)
    return _from_export(made, export, items, stated)


def _stated(export: Export) -> list[Decimal | None] | None:
    identity = export.roles.identity
    return None if identity is None else list(export.lines.numbers(identity.price))


def _implied(export: Export) -> list[Any] | None:
    """The unit price of each line where no arithmetic proves it: as its heading says it, or amount over quantity."""
    price, amount, quantity = (export.roles.heading("line", each) for each in ("unit_price", "stated_net", "quantity"))
    if price:
        return list(export.lines.numbers(price))
    if not (amount and quantity):
        return None
    pairs = zip(export.lines.numbers(amount), export.lines.numbers(quantity), strict=True)
    return [Fraction(whole) / Fraction(count) if whole is not None and count else None for whole, count in pairs]


def _from_list(made: Proposal, terms: PriceTerms, prices: FileProfile, file: Settings, name: str) -> list[Settings]:
    columns: Settings = {"price": {"kind": "decimal", **({} if terms.scale else {"from": terms.price})}}
    by: Settings = {"item": "line.item"}
    columns["item"] = {"from": terms.item}
    for heading, source in terms.match.items():
        by[source.partition(".")[2]] = source
        columns[source.partition(".")[2]] = {"from": heading}
    table: Settings = {**file}
    table["key" if terms.unique else "match"] = by
    if terms.start or terms.until:
        table["window"] = {
            **({"from": "valid_from"} if terms.start else {}),
            **({"until": "valid_until"} if terms.until else {}),
        }
        table["window"]["on"] = "header.date"
        for column, heading in (("valid_from", terms.start), ("valid_until", terms.until)):
            if heading:
                columns[column] = {"kind": "date", "from": heading}
    if terms.least:
        table["breaks"] = {"min_quantity": "line.quantity"}
        columns["min_quantity"] = {"kind": "decimal", "from": terms.least}
    if terms.scale:
        table["breaks"] = {"min_quantity": "line.quantity"}
        table["spread"] = {"headings": "min_quantity", "cells": "price", "of": dict(terms.scale)}
    if terms.base:
        columns["base"] = {"kind": "decimal", "default": 1, "from": terms.base}
    if not terms.unique or "breaks" in table or "window" in table:
        table["choose"] = ["lowest price / base" if terms.base else "lowest price"]
    _described(made, terms, prices, columns, name)
    for heading in terms.scale:
        columns["price"].update(_floats(prices.columns[heading], is_text=False)[0])
    for spec in [each for each in columns.values() if "from" in each]:
        spec.update(_floats(prices.columns[spec["from"]], is_text="kind" not in spec)[0])
    table["columns"] = {name_: _plain(spec, name_) for name_, spec in columns.items()}
    table |= prices.written
    made.settings.setdefault("table", {})["price"] = table
    made.guesses.append(
        Guess(f"{name}: {terms.item}", "finds the row of the price table", "its values are the items of the export")
    )
    made.guesses.append(Guess(f"{name}: {terms.price}", "price.price", terms.why))
    for heading, source in terms.match.items():
        made.guesses.append(
            Guess(f"{name}: {heading}", f"matched with {source}", "at least half of its values are there")
        )
    return [{"value": "price.price", **({"base": "price.base"} if terms.base else {})}]


def _described(made: Proposal, terms: PriceTerms, prices: FileProfile, columns: Settings, name: str) -> None:
    """A description that only the price list has reaches the lines of its items."""
    texts = [heading for heading, each in prices.columns.items() if each.kind == "text" and heading != terms.item]
    found = best([each for each in texts if suggests(each, "line.description") == 3], "line.description")
    if not found or not terms.unique or "description" in made.roles.of("line"):
        return
    columns["description"] = {"from": found}
    made.settings.setdefault("line", {})["description"] = {"default": "price.description"}
    made.guesses.append(
        Guess(f"{name}: {found}", "line.description", "its heading says so; the export describes no item")
    )


def _plain(spec: Settings, name: str) -> Settings:
    """A column's settings without a heading that is its name."""
    return {key: value for key, value in spec.items() if not (key == "from" and value == name)}


def _from_export(
    made: Proposal, export: Export, items: Sequence[Any] | None, stated: Sequence[Decimal | None] | None
) -> list[Settings]:
    """A price list made of the export: the price that most lines of an item state; without items, what each states."""
    if stated is None:
        return []
    if items is None:
        own = _own_price(made)
        return [{"value": f"line.{own}"}] if own else []
    words = export.value_of("line", "description") or [None] * len(items)
    seen: dict[str, dict[Decimal, int]] = {}
    told: dict[str, Any] = {}
    for item, price, word in zip(items, stated, words, strict=True):
        if item is not None and price is not None:
            counts = seen.setdefault(str(item), {})
            counts[price] = counts.get(price, 0) + 1
            told.setdefault(str(item), word)
    rows = [(item, told[item], max(counts, key=lambda each: counts[each])) for item, counts in sorted(seen.items())]
    same = sum(1 for counts in seen.values() if len(counts) == 1)
    made.rows["tables/items.csv"] = (("item", "description", "price"), [list(row) for row in rows])
    made.settings.setdefault("table", {})["item"] = {
        "file": "tables/items.csv",
        "key": {"item": "line.item"},
        "columns": {"price": {"kind": "decimal", "label": "price"}},
    }
    said = f"{same} of {len(seen)} items have one price on all their lines; of the others it is the most frequent one"
    heading = made.roles.identity.price if made.roles.identity is not None else ""
    made.guesses.append(Guess(heading, "item.price in tables/items.csv", said))
    return [{"value": "item.price"}]


def _own_price(made: Proposal) -> str:
    """The field of the price that each line states, as one of our own: a standard one would only be compared. Blank if
    the column is something else.
    """
    assert made.roles.identity is not None
    heading, columns = made.roles.identity.price, made.settings["layout"][LAYOUT]["line"]
    role = made.roles.role(heading, "line")
    if role is None or role.level != "line":
        return ""
    if role.name != "unit_price":
        return role.name
    own = _free(heading, set(columns))
    renamed = {own if each == role.name else each: spec for each, spec in columns.items()}
    made.settings["layout"][LAYOUT]["line"] = renamed
    made.settings.setdefault("line", {})[own] = {"kind": "decimal", "label": heading}
    made.guesses = [
        replace(each, means=f"line.{own}") if each.means == f"line.{role.name}" else each for each in made.guesses
    ]
    return own


# -- rules and routine ------------------------------------------------------------------------------------------------


def _rules(made: Proposal, roles: Roles) -> None:
    if roles.heading("line", "quantity"):
        made.settings["rule"] = [
            {
                "id": "quantity-is-there",
                "at": "enter",
                "require": "not blank(line.quantity) and line.quantity != 0",
                "message": "Line {line.number} has no quantity.",
            }
        ]


def _routine(made: Proposal, export: Export, options: Sequence[Settings]) -> None:
    identity = made.roles.identity
    if not options:
        return
    if identity is None:
        step = {"name": "price", "kind": "price", "options": list(options)}
        made.settings["routine"] = {"orders": {"prices_include_tax": False, "step": [step]}}
        return
    if identity.base and "base" not in options[0]:
        options = [{**each, "base": "line.price_per"} for each in options]
    steps: list[Settings] = [{"name": "price", "kind": "price", "options": list(options)}]
    if identity.percent:
        step = {"name": "discount", "kind": "discount", "percent": "coalesce(line.discount_percent, 0)"}
        parts = (identity.quantity, identity.price, identity.amount, identity.base, identity.percent)
        mode = discount_rounding(identity, {name: export.lines.numbers(name) for name in parts if name})
        if mode != "half-up":
            said = f"then {identity.amount} comes out as if it were rounded half-up after the discount"
            made.guesses.append(Guess(identity.percent, f"rounded {mode}", said))
            step["rounding"] = mode
        steps.append(step)
    if identity.less:
        steps.append({"name": "discount", "kind": "discount", "amount": "coalesce(line.discount_amount, 0)"})
    if charge := made.roles.heading("header", "charge_amount"):
        amount = {"amount": "coalesce(header.charge_amount, 0)", "over": "order", "if_no_share": "equal"}
        steps.append({"name": "charge", "kind": "charge", **amount, "label": charge})
    routine: Settings = {"prices_include_tax": False}
    if made.roles.tax_percent is not None:
        steps.append({"name": "vat", "kind": "tax", "percent": format(made.roles.tax_percent, "f"), "label": "tax"})
    if made.roles.tax is not None:
        level = next(each.level for each in made.roles.roles if each.name == "tax_percent")
        taken = {name for each in ("header", "line") for name in made.settings["layout"][LAYOUT][each]}
        name = "vat" if "vat" not in taken else "vat_due"
        steps.append({"name": name, "kind": "tax", "percent": f"{level}.tax_percent", "label": "tax"})
        if made.roles.tax_per == "line":
            routine["tax_per"] = "line"
    made.settings["routine"] = {"orders": {**routine, "step": steps}}


# -- questions --------------------------------------------------------------------------------------------------------


def _open(made: Proposal, export: Export) -> None:
    """Questions that the cells leave open."""
    for file in _distinct((export.headers, export.lines)):
        if not file.dates_certain and not any(each.id == "dates" for each in made.questions):
            example = next(str(cell) for each in file.columns.values() if each.dates for cell in each.filled)
            forms = {form: date_words(form) for form in (file.dates, *file.other_dates)}
            made.questions.append(about_dates(forms, example, LAYOUT))
        if not file.marks_certain and not any(each.id == "marks" for each in made.questions):
            heading, cell = file.open_marks
            ways = {str(value): marks for marks in reversed(MARKS) if (value := number(cell, marks)) is not None}
            made.questions.append(about_marks(heading, cell, ways, LAYOUT))
    roles = made.roles
    if not export.link and roles.several < TELLING:
        header = made.settings["layout"][LAYOUT]["header"]
        # What adds up to the order is proved to be about it.
        told = [name for name in header if name not in ("number", "charge_amount") and not name.startswith("stated_")]
        names = [spec["from"] if isinstance(spec := header[name], dict) else spec for name in told]
        if names:
            made.questions.append(about_header(names, roles.several, _moved(made.settings, told)))


def _moved(settings: Settings, names: Sequence[str]) -> Settings:
    """What makes columns of the lines of some that were taken for the header's: each path, and its value; blank takes a
    setting away."""
    layout, declared = settings["layout"][LAYOUT], settings.get("header", {})
    kinds = {each.name: each.kind for each in HEADER_FIELDS}
    lines = {each.name for each in LINE_FIELDS}
    found: Settings = {}
    for name in names:
        found[f"layout.{LAYOUT}.header.{name}"] = ""
        found[f"layout.{LAYOUT}.line.{name}"] = layout["header"][name]
        if name in declared:
            found[f"header.{name}"] = ""
            found[f"line.{name}"] = declared[name]
        elif name not in lines:
            found[f"line.{name}.kind"] = kinds.get(name, "text")
    return found


def _distinct(files: Iterable[FileProfile]) -> list[FileProfile]:
    return list({id(each): each for each in files}.values())
