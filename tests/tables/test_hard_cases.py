"""Hard cases of tables: windows of a day, breaks reached exactly, returns, blank cells, odd files, odd dates."""

import datetime
from decimal import Decimal as D

import openpyxl
import pytest

import dokima
from tests.books import book, routine

COLUMNS = ("customer", "item", "starts", "ends", "least", "price", "base")


def _deals(*rows, choose="most specific", percent="0"):
    return book(
        table={
            "deals": {
                "match": {"customer": "header.customer", "item": "line.item"},
                "window": {"from": "starts", "until": "ends", "on": "header.date"},
                "breaks": {"least": "line.quantity"},
                "choose": [choose],
                "columns": {"price": {"kind": "decimal"}, "base": {"kind": "decimal", "default": 1}},
            }
        },
        tables={"deals": [dict(zip(COLUMNS, row, strict=True)) for row in rows]},
        routine=routine(
            {"name": "price", "kind": "price", "options": [{"value": "deals.price", "base": "deals.base"}]},
            {"name": "off", "kind": "discount", "percent": percent},
        ),
    )


def _net(rules, quantity="1", date="2026-03-02", customer="C", item="A"):
    order = dokima.Order("O", customer=customer, date=date, lines=[{"item": item, "quantity": quantity}])
    found = rules.price(order)["O"]
    return found.line(10).net, [finding.rule for finding in found.findings]


def test_a_window_of_one_day_and_dates_of_other_centuries():
    rules = _deals(
        (None, "A", "2026-03-02", "2026-03-02", None, "5", None),
        (None, "A", "1850-01-01", "1899-12-31", None, "1", None),
        (None, "A", "2300-01-01", None, None, "9", None),
    )
    dated = {
        "2026-03-01": None,
        "2026-03-02": D("5.00"),
        "2026-03-03": None,
        "1899-12-31": D("1.00"),
        "2345-06-07": D("9.00"),
    }
    assert {date: _net(rules, date=date)[0] for date in dated} == dated


def test_a_break_is_reached_exactly_and_by_returns():
    rules = _deals(
        (None, "A", None, None, None, "5", None), (None, "A", None, None, "12.5", "4", None), choose="lowest price"
    )
    quantities = {"12.499": D("62.50"), "12.5": D("50.00"), "-12.5": D("-50.00"), "-12.4": D("-62.00")}
    assert {quantity: _net(rules, quantity)[0] for quantity in quantities} == quantities


def test_a_price_of_zero_is_one_and_a_blank_one_is_none():
    rules = _deals((None, "A", None, None, None, "0", None), (None, "B", None, None, None, None, None))
    assert _net(rules) == (D("0.00"), [])
    assert _net(rules, item="B") == (None, ["sales.price"])
    assert _net(_deals(), item="B") == (None, ["sales.price"])


def test_a_blank_field_meets_only_blank_cells_and_keys_are_exact():
    rules = _deals(("C", "A", None, None, None, "4", None), (None, "A", None, None, None, "5", None))
    answers = {"C": D("4.00"), None: D("5.00"), "c": D("5.00"), "C ": D("5.00"), "": D("5.00")}
    assert {customer: _net(rules, customer=customer)[0] for customer in answers} == answers


def test_prices_per_thousand_with_six_places_and_a_discount_of_all_of_it():
    """1234 x 17.654321 / 1000 = 21.785432...; and 100 % off leaves nothing."""
    rules = _deals((None, "A", None, None, None, "17.654321", "1000"))
    assert _net(rules, "1234")[0] == D("21.79")
    assert _net(_deals((None, "A", None, None, None, "17.654321", "1000"), percent="100"), "1234")[0] == D("0.00")


def _folder(tmp_path, file, **marks):
    said = "\n".join(f'{name} = "{value}"' for name, value in marks.items())
    (tmp_path / "rulebook.toml").write_text(
        f"""
[rulebook]
name = "files"
currency = "EUR"
[table.deals]
file = "{file}"
key = {{ item = "line.item" }}
{said}
columns.price = {{ kind = "decimal" }}
columns.since = {{ kind = "date" }}
[routine.all]
step = [{{ name = "price", kind = "price", options = [{{ value = "deals.price" }}] }}]
"""
    )
    return dokima.load(tmp_path)


def test_semicolons_and_decimal_commas_are_said_of_a_table(tmp_path):
    (tmp_path / "deals.csv").write_text("item;since;price\nA;02.03.2026;1.234,50\n")
    marks = {"separator": ";", "decimal": ",", "thousands": ".", "dates": "%d.%m.%Y"}
    rules = _folder(tmp_path, "deals.csv", **marks)
    assert rules.price(dokima.Order("O", lines=[{"item": "A", "quantity": 2}]))["O"].line(10).net == D("2469.00")
    (tmp_path / "deals.csv").write_text("item;since;price\nA;02.03.2026;1.23,50\n")
    with pytest.raises(dokima.RulebookError, match="deals.csv row 2 column price"):
        _folder(tmp_path, "deals.csv", **marks)


def test_a_column_under_a_blank_heading_is_no_last_day(tmp_path):
    (tmp_path / "deals.csv").write_text("item,since,,price\nA,2026-03-02,5,7.00\n")
    window = {"from": "since", "on": "header.date"}
    rules = book(
        table={"deals": {"key": {"item": "line.item"}, "window": window, "choose": ["latest since"], "columns": {"price": {"kind": "decimal"}}}},
        tables={"deals": tmp_path / "deals.csv"},
        routine=routine({"name": "price", "kind": "price", "options": [{"value": "deals.price"}]}),
    )  # fmt: skip
    order = dokima.Order("O", date="2030-01-01", lines=[{"item": "A", "quantity": 2}])
    assert rules.price(order)["O"].line(10).net == D("14.00")


def test_a_workbook_formula_that_was_never_calculated_is_named(tmp_path):
    book_ = openpyxl.Workbook()
    for row in (["item", "since", "price"], ["A", datetime.date(2026, 3, 2), 4.5], ["B", None, "=C2*2"]):
        book_.active.append(row)
    book_.save(tmp_path / "deals.xlsx")
    with pytest.raises(dokima.RulebookError, match="deals.xlsx row 3.*formula"):
        _folder(tmp_path, "deals.xlsx")


def test_other_rows_for_one_table_share_all_the_others():
    """Today's stock in the place of yesterday's: the price table is the same object, and the old rulebook as it was."""
    rules = book(
        table={"item": {"key": {"item": "line.item"}}, "stock": {"key": {"item": "line.item"}}},
        tables={
            "item": [{"item": "A", "list_price": "5", "tax_class": "standard"}],
            "stock": [{"item": "A", "free": "3"}],
        },
        rule=[
            {"id": "in-stock", "at": "enter", "require": "line.quantity <= stock.free", "message": "{stock.free} left"}
        ],
    )
    order = dokima.Order("O", lines=[{"item": "A", "quantity": 5}])
    other = rules.with_tables(stock=[{"item": "A", "free": "9"}])
    assert [finding.message for finding in rules.check(order)] == ["3 left"]
    assert not other.check(order).errors
    assert other.program.tables["item"] is rules.program.tables["item"]
    assert other.program.fingerprint != rules.program.fingerprint
    with pytest.raises(
        dokima.RulebookError, match="rows were given for 'stok', which is no table; did you mean 'stock'"
    ):
        rules.with_tables(stok=[])
    with pytest.raises(dokima.RulebookError, match="in-stock"):
        rules.with_tables(stock=[{"item": "A", "free": "plenty"}])
