"""What a rulebook tells beside prices: lists of lines, hints on TOML, the schema of orders, which prices are agreed."""

from __future__ import annotations

import datetime

import jsonschema
import pytest

import dokima
from tests.books import FIELDS, book, routine

DAY = datetime.date(2026, 3, 2)


def test_an_order_without_a_state_is_as_one_in_the_first_and_one_that_ended_has_nothing_open():
    tried = book(**FIELDS)
    lines = [
        {"number": "10", "item": "PANE", "quantity": 5, "delivered": 2},
        {"number": "20", "item": "PANE", "quantity": 1, "state": "closed"},
    ]
    states = (None, "draft", "confirmed", "finished", "cancelled")
    orders = [dokima.Order(f"O{at}", state=state, lines=lines) for at, state in enumerate(states)]
    listed = [(row["order"], row["line"], str(row["open"]), row["state"]) for row in tried.lines(orders)]
    assert listed == [
        row for at, state in enumerate(states)
        for row in ((f"O{at}", "10", "0" if state in ("finished", "cancelled") else "3", "open"), (f"O{at}", "20", "0", "closed"))
    ]  # fmt: skip
    still = tried.lines(orders, open_only=True)
    assert [(row["order"], row["line"]) for row in still] == [("O0", "10"), ("O1", "10"), ("O2", "10")]


@pytest.mark.parametrize(
    ("line", "hint"),
    [
        ("name = small", "a text stands in quotes"), ("name = [small]", "a text stands in quotes"),
        ("name = 12abc", ""), ('name = "small', "a text that begins on a line ends on it"),
        ('when = "date("2026-03-02")"', "within double quotes stand single ones"), ("name = ", ""), ("[line", ""),
    ],
)  # fmt: skip
def test_a_hint_is_given_where_it_helps_and_nowhere_else(tmp_path, line, hint):
    (tmp_path / "rulebook.toml").write_text(f"[rulebook]\n{line}\n")
    with pytest.raises(dokima.RulebookError, match="rulebook.toml line 2: this is not TOML") as caught:
        dokima.load(tmp_path)
    said = str(caught.value)
    every = ("a text stands in quotes", "a text that begins on a line", "within double quotes")
    assert [each for each in every if each in said] == [each for each in every if hint and hint.startswith(each)]


def test_the_schema_of_orders_takes_what_the_rulebook_reads():
    tried = book(header={"channel": {"default": "'web'"}, "kind": {"choices": ["sales"], "required": True}},
                 line={"size": {"kind": "decimal", "choices": ["1", "2"]}})  # fmt: skip
    schema = tried.order_schema()
    check = jsonschema.Draft202012Validator(schema)
    order = {
        "number": "A",
        "kind": "sales",
        "drawn": ["channel"],
        "channel": "web",
        "lines": [{"number": "10", "size": 1}],
    }
    for drawn in (["channel"], "channel", None):
        assert list(check.iter_errors({**order, "drawn": drawn})) == []
        assert tried.price(dokima.Order.from_dict({**order, "drawn": drawn})).problems == ()
    for wrong in ({"kind": "hire"}, {"kind": None}, {"colour": "red"}, {"lines": [{"size": [1]}]}):
        assert list(check.iter_errors({**order, **wrong})) != []


def test_a_price_is_agreed_where_the_party_decides_and_tried_in_each_unit_of_its_rows():
    tables = {
        "deal": [{"customer": "C", "item": "A", "unit": "BOX", "price": "90"}, {"customer": "C", "item": "A", "unit": "C62", "price": "9"}],
        "base": [{"item": "A", "unit": "C62", "price": "10"}, {"item": "A", "unit": "BOX", "price": "95"}],
        "customer": [{"customer": "C"}, {"customer": "D"}], "item": [{"item": "A", "unit": "C62", "tax_class": "standard"}],
    }  # fmt: skip
    keys = {"item": "line.item", "unit": "line.unit"}
    tried = book(tables, line={"unit": {"default": "'C62'"}}, table={
        "deal": {"match": {"customer": "header.customer", **keys}}, "base": {"match": keys},
        "customer": {"key": {"customer": "header.customer"}}, "item": {"key": {"item": "line.item"}},
    }, routine=routine({"name": "price", "kind": "price", "options": [{"value": "deal.price"}, {"value": "base.price"}]}))  # fmt: skip
    of_party = {(row.unit, str(row.price), row.is_agreed) for row in tried.price_list(customer="C", date=DAY).rows}
    assert of_party == {("BOX", "90.00", True), ("C62", "9.00", True)}
    others = {(row.unit, str(row.price), row.is_agreed) for row in tried.price_list(customer="D", date=DAY).rows}
    assert others == {("BOX", "95.00", False), ("C62", "10.00", False)}


def test_a_formula_may_read_a_field_that_no_routine_reads():
    tried = book(**FIELDS, routine=routine({"name": "count", "kind": "figure", "value": "line.quantity * 2"}))
    order = dokima.Order("A", country="NL", lines=[{"number": "10", "quantity": 1, "colour": "red"}])
    assert tried.evaluate("line.colour", order, 10).value == "red"
    assert tried.evaluate("header.country", order).value == "NL"
    assert str(tried.evaluate("line.count + 1", order, 10).value) == "3"
