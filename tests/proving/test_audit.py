"""The audit: each check on rows made to trip it, and on rows that must not; examples show what they say."""

import datetime
from decimal import Decimal as D

import dokima
from tests.books import DEMO, book, routine

TODAY = datetime.date(2026, 3, 12)
ITEMS = [{"item": "A", "tax_class": "f", "list": "9"}, {"item": "B", "tax_class": "g", "list": None}]


def _row(item=None, customer=None, since="2026-01-01", until="2026-12-31", least=None, price="5"):
    return {"item": item, "customer": customer, "from": since, "to": until, "least": least, "price": price}


def _audit(*rows, choose="lowest price", percent="0", **sections):
    rules = book(
        table={
            "item": {"key": {"item": "line.item"}, "columns": {"list": {"kind": "decimal"}}},
            "deals": {
                "match": {"customer": "header.customer", "item": "line.item"},
                "window": {"from": "from", "until": "to", "on": "header.date"},
                "breaks": {"least": "line.quantity"},
                "choose": [choose],
            },
        },
        tables={"item": ITEMS, "deals": list(rows)},
        routine=routine(
            {"name": "price", "kind": "price", "options": [{"value": "deals.price"}, {"value": "item.list"}]},
            {"name": "off", "kind": "discount", "percent": percent},
        ),
        **sections,
    )
    return rules, rules.audit(TODAY)


def _of(remarks, check):
    return [(remark.severity, list(remark.rows)) for remark in remarks if remark.check == check]


def test_rows_that_hide_each_other():
    _, found = _audit(
        _row("A"),  # row 2
        _row("A"),  # row 3: the same again
        _row("A", price="6", least="10"),  # row 4: dearer at a higher break, and so never the lowest
        _row("A", customer="C", price="4", until="2026-01-31"),
        _row("A", customer="C", price="3", since="2026-03-01"),  # nothing in February
        _row("B", price="1", since="2025-01-01", until="2025-12-31"),
    )
    assert _of(found, "tie") == [("warning", [2, 3])]
    assert ("warning", [4, 2]) in _of(found, "never-wins")
    assert _of(found, "dearer-break") == [("warning", [3, 4])]
    assert _of(found, "gap") == [("notice", [5, 6])]
    assert _of(found, "expired") == [("notice", [5]), ("notice", [7])]
    assert _of(found, "no-price") == []


def test_a_tie_that_only_the_file_decides_and_its_example():
    """Row 2 is for the item, row 3 for the customer; both give 5, but not the same answer beside it."""
    rows = [{**_row("A"), "note": "x"}, {**_row(customer="C"), "note": "y"}]
    rules, found = _audit(*rows)
    (tie,) = [remark for remark in found if remark.check == "tie"]
    assert (tie.severity, tie.rows) == ("error", [2, 3])
    assert (tie.example["header.customer"], tie.example["line.item"]) == ("C", "A")
    header = {name[7:]: value for name, value in tie.example.items() if name.startswith("header.")}
    line = {name[5:]: value for name, value in tie.example.items() if name.startswith("line.")}
    (answer,) = [a for a in rules.price_line(header, line)[0].step("price").answers if a.table == "deals"]
    assert [(each.number, each.reason) for each in answer.candidates] == [(2, "won"), (3, "file order")]
    assert _of(_audit(*rows, choose="most specific")[1], "tie") == []


def test_items_without_a_price_and_prices_with_a_discount_on_top():
    _, found = _audit(_row("A"))
    assert _of(found, "no-price") == [("error", [3])]
    assert _of(found, "price-and-discount") == []
    _, found = _audit(_row("A"), _row("B"), percent="10 if line.item == 'A' else 0")
    (remark,) = [remark for remark in found if remark.check == "price-and-discount"]
    assert (remark.rows, remark.example["line.item"]) == ([2], "A")
    assert "off takes another 0.5 off it" in remark.message


def test_keys_codes_and_what_nobody_reads():
    prices = [{"item": "A", "currency": "EUR", "unit": "C62"}, {"item": "a ", "currency": "EURO", "unit": "pcs"}]
    rules = book(
        table={"extra": {"match": {"item": "line.item", "currency": "header.currency"}, "choose": "most specific"}},
        tables={"item": [{"item": "A", "list_price": "1", "tax_class": "standard"}], "extra": prices},
        line={"colour": {}},
        value={"unused_rate": 1},
        rule=[
            {"id": "always", "at": "save", "require": "1 == 1"},
            {"id": "same", "at": "enter", "when": "line.quantity > 0", "require": "line.quantity  >  0"},
            {"id": "fine", "at": "enter", "require": "line.quantity / 3 + 1 > 0"},
        ],
    )
    found = rules.audit(TODAY)
    assert [remark.message for remark in found if remark.check == "near-twin"] == [
        "line.item: 'A' and 'a ' differ only in case, spaces or accents (item, extra)"
    ]
    assert _of(found, "unknown-key") == [("warning", [3])]
    assert _of(found, "unknown-currency") == [("error", [3])]
    assert _of(found, "unknown-unit") == [("warning", [3])]
    paths = {check: {remark.path for remark in found if remark.check == check} for check in ("unused", "cannot-fail")}
    assert paths == {
        "unused": {"table.extra", "line.colour", "value.unused_rate"},
        "cannot-fail": {"rule.always", "rule.same"},
    }


def test_a_unit_that_the_rulebooks_own_table_knows_is_known():
    """Whatever the standards say."""
    rules = book(
        table={
            "extra": {"match": {"item": "line.item", "unit": "line.unit"}, "choose": "most specific"},
            "unit": {"key": {"unit": "line.unit"}},
        },
        tables={
            "extra": [{"item": "PANE", "unit": "crate"}, {"item": "PANE", "unit": "bunch"}],
            "unit": [{"unit": "crate"}],
        },
    )
    unknown = [remark.message for remark in rules.audit(TODAY) if remark.check == "unknown-unit"]
    assert unknown == ["'bunch' is no unit that is known"]


def test_comparisons_that_never_hold():
    """With a value outside the choices of a field, or absent from a table's column; the nearest is named."""
    rules = book(
        header={"kind": {"choices": ["sales", "purchase"]}},
        rule=[
            {"id": "kind", "at": "save", "require": "header.kind != 'sale'"},
            {"id": "family", "at": "enter", "require": "not (item.family in ['glazing', 'ropes'])"},
            {"id": "fine", "at": "enter", "require": "item.family == 'vents' or header.customer == 'X'"},
        ],
    )
    found = [(remark.path, remark.message) for remark in rules.audit(TODAY) if remark.check == "never-equal"]
    assert found == [
        ("rule.family.require", "item.family is never 'ropes', as in: not (item.family in ['glazing', 'ropes'])"),
        ("rule.kind.require", "header.kind is never 'sale', as in: header.kind != 'sale'; did you mean 'sales'?"),
    ]


def test_windows_that_end_before_they_begin_and_prices_of_0():
    """Both are cells that were typed wrong."""
    _, found = _audit(_row("A", since="2026-03-01", until="2026-02-01"), _row("B", price="0"))
    assert _of(found, "backwards") == [("error", [2])]
    assert _of(found, "zero-price") == [("warning", [3])]


def test_each_example_of_the_demo_can_be_priced():
    """What the audit names is what pricing its example shows: the row that never wins loses, a discount comes on top."""
    rules = dokima.load(DEMO)
    found = rules.audit(TODAY)
    checks = {"never-wins", "price-and-discount", "unknown-key", "expired"}
    assert {remark.check for remark in found} == checks
    for remark in found:
        header = {name[7:]: value for name, value in remark.example.items() if name.startswith("header.")}
        line = {name[5:]: value for name, value in remark.example.items() if name.startswith("line.")}
        if remark.check == "price-and-discount":
            step = rules.price_line(header, line)[0].step("quantity_discount")
            assert step.value > D(0)
        if remark.check == "never-wins":
            (answer,) = [a for a in rules.price_line(header, line)[0].step("price").answers if a.table == "agreed"]
            reasons = {each.number: each.reason for each in answer.candidates}
            assert (reasons[remark.rows[0]], reasons[remark.rows[1]]) == ("choose", "won")
        if remark.check == "no-price":
            assert rules.price_line(header, line)[0].price is None


def test_a_flag_that_decides_a_price_is_no_price():
    """Three tools, of which one is fragile: no flag is a price of 0, and what another routine prices is no gap."""
    rules = dokima.Rulebook.from_dict(
        {
            "rulebook": {"name": "hire", "currency": "EUR"},
            "table": {"tool": {"key": {"tool": "line.item"}, "columns": {
                "fragile": {"kind": "flag"}, "rate": {"kind": "decimal"}, "weekly": {"kind": "decimal"}}}},
            "routine": {"hire": {"step": [
                {"name": "price", "kind": "price", "options": [{"value": "tool.weekly if tool.fragile else tool.rate"}]},
                {"name": "care", "kind": "discount", "percent": "tool.rate if tool.fragile else 0"},
            ]}},
        },
        tables={"tool": [
            {"tool": "SAW", "fragile": False, "rate": "12", "weekly": "50"},
            {"tool": "LASER", "fragile": True, "rate": "55", "weekly": "200"},
        ]},
    )  # fmt: skip
    assert [remark.message for remark in rules.audit(datetime.date(2026, 3, 2))] == []


def _of_tools(tools, taxes, **columns):
    rules = dokima.Rulebook.from_dict(
        {
            "rulebook": {"name": "tools", "currency": "EUR"},
            "header": {"zone": {"choices": ["north", "south"]}},
            "table": {
                "tool": {"key": {"tool": "line.item"}, "columns": {"rate": {"kind": "decimal"}}},
                "tax": {"key": {"tax_class": "tool.tax_class"}, "columns": {"percent": {"kind": "decimal", **columns}}},
                "trip": {"key": {"zone": "header.zone"}, "columns": {"fee": {"kind": "decimal"}}},
            },
            "routine": {"hire": {"step": [
                {"name": "price", "kind": "price", "options": [{"value": "tool.rate"}]},
                {"name": "trip", "kind": "charge", "over": "order", "amount": "trip.fee"},
                {"name": "vat", "kind": "tax", "percent": "tax.percent"},
            ]}},
        },
        tables={
            "tool": [dict(zip(("tool", "family", "tax_class", "rate"), each.split(), strict=True)) for each in tools],
            "tax": [{"tax_class": each, "percent": "21"} for each in taxes], "trip": [{"zone": "north", "fee": "5"}],
        },
    )  # fmt: skip
    return {(remark.check, remark.message, tuple(remark.rows)) for remark in rules.audit(TODAY)}


def test_what_is_looked_up_is_found_as_it_is_written():
    """A class in capitals, with an accent, or without a rate has no tax; a zone that may be chosen has no fee."""
    found = _of_tools(["SAW saw Standard 12", "BOOK book zéro 2", "GIFT book exempt 1"], ["standard", "zero"])
    alike = "tool.tax_class: '{}' and '{}' differ only in case, spaces or accents (tool, tax)"
    assert {each[1] for each in found if each[0] == "near-twin"} == {
        alike.format("Standard", "standard"), alike.format("zéro", "zero"),
    }  # fmt: skip
    lost = "'{}' of {} has no row in table {}, which is asked with it"
    assert {each[1:] for each in found if each[0] == "never-found"} == {
        (lost.format("Standard", "tool.tax_class", "tax"), (2,)), (lost.format("zéro", "tool.tax_class", "tax"), (3,)),
        (lost.format("exempt", "tool.tax_class", "tax"), (4,)), (lost.format("south", "header.zone", "trip"), ()),
    }  # fmt: skip
    # What stands in for a missing row is as it was meant; and what fits is no twin.
    found = _of_tools(["SAW saw standard 12", "GIFT book exempt 1"], ["standard"], default="0")
    assert {each[1] for each in found if each[0] in ("near-twin", "never-found")} == {
        lost.format("south", "header.zone", "trip")
    }


def test_a_digit_too_many_stands_out_among_its_own_kind():
    """Saws at 12 and 13, one at 125: a slip. Books at 2 are no slip beside them, nor five tools of all sizes."""
    saws = [f"SAW{at} saw standard {rate}" for at, rate in enumerate(("12.00", "13.00", "12.50", "125.00", "13.50"))]
    found = _of_tools([*saws, "BOOK book standard 0.20", "TOY book standard 2"], ["standard"])
    assert {each[1:] for each in found if each[0] == "outlying"} == {
        ("for tool SAW3: the rate 125 is far from the others like it, 13 in the middle", (5,))
    }
    sizes = [f"SAW{at} saw standard {rate}" for at, rate in enumerate(("0.12", "13.00", "1.50", "125.00", "1300"))]
    assert not {each for each in _of_tools([*sizes, "BOOK book standard 2"], ["standard"]) if each[0] == "outlying"}
