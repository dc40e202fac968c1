"""What each would pay: the list for nobody in particular, groups for all of their members, and who differs."""

from __future__ import annotations

import datetime
from decimal import Decimal as D

import pytest

import dokima
from tests.shell import run_here

DAY = datetime.date(2026, 3, 2)


def hirer(customers, **line):
    data = {
        "rulebook": {"name": "hirer", "currency": "EUR"},
        "line": {"hire": {"kind": "flag", "default": "False"}, **line},
        "table": {
            "item": {"key": {"item": "line.item"}, "columns": {"price": {"kind": "decimal"}}},
            "customer": {"key": {"customer": "header.customer"}, "columns": {"segment": {}, "loyal": {"kind": "flag"}}},
            "deal": {"match": {"segment": "customer.segment"}, "columns": {"off": {"kind": "decimal", "default": 0}}},
        },
        "formula": {"is_loyal": "customer.loyal"},
        "routine": {"r": {"step": [
            {"name": "price", "kind": "price", "options": [{"value": "item.price if not line.hire else item.price / 10"}]},
            {"name": "loyal", "kind": "discount", "percent": "15", "when": "formula.is_loyal", "label": "loyal customers"},
            {"name": "deal", "kind": "discount", "percent": "deal.off"},
        ]}},
    }  # fmt: skip
    rows = {"item": [{"item": "A", "price": "100"}], "customer": customers, "deal": [{"segment": "trade", "off": "10"}]}
    return dokima.Rulebook.from_dict(data, tables=rows)


def net_each(found):
    return {row.party: (row.net_each, list(row.left_out)) for row in found.rows}


def test_the_list_is_the_price_of_nobody_in_particular():
    """Two customers, one of them loyal: who is nobody gets no 15 %, and it is said that they are left out."""
    rules = hirer(
        [{"customer": "C1", "segment": None, "loyal": True}, {"customer": "C2", "segment": None, "loyal": False}]
    )
    assert net_each(rules.price_list(item="A", date=DAY)) == {
        "list": (D("100.0000"), ["loyal customers"]),
        "C1": (D("85.0000"), []),
    }
    for customer, price in (("C1", "85.0000"), ("C2", "100.0000")):
        assert net_each(rules.price_list(customer=customer, date=DAY)) == {customer: (D(price), [])}


def test_a_group_pays_what_holds_for_all_its_members_and_those_that_differ_are_shown():
    """All of the trade get 10 %; all of its members but one are loyal. Of the homes all are loyal."""
    rules = hirer([
        {"customer": "T1", "segment": "trade", "loyal": True}, {"customer": "T2", "segment": "trade", "loyal": False},
        {"customer": "H1", "segment": "home", "loyal": True}, {"customer": "H2", "segment": "home", "loyal": True},
    ])  # fmt: skip
    assert net_each(rules.price_list(item="A", date=DAY)) == {
        "list": (D("100.0000"), ["loyal customers"]),
        "segment trade": (D("90.0000"), ["loyal customers"]),
        "segment home": (D("85.0000"), []),
        "T1": (D("76.5000"), []),
    }
    assert net_each(rules.price_list(group={"segment": "trade"}, date=DAY)) == {
        "segment trade": (D("90.0000"), ["loyal customers"])
    }


def test_fields_of_lines_are_given_and_one_that_is_missing_is_asked_for_once(tmp_path):
    rules = hirer([{"customer": "C1", "segment": None, "loyal": False}])
    assert net_each(rules.price_list(customer="C1", date=DAY, line={"hire": "true"})) == {"C1": (D("10.0000"), [])}
    asking = hirer(
        [{"customer": f"C{at}", "segment": None, "loyal": False} for at in range(5)],
        hire={"kind": "flag", "required": True},
    )
    with pytest.raises(dokima.DokimaError) as caught:
        asking.price_list(item="A", date=DAY)
    assert (
        str(caught.value) == "line field 'hire': expected a value for hire (it is not given); --line hire=... gives it"
    )
    (tmp_path / "rulebook.toml").write_text(
        '[rulebook]\nname = "x"\ncurrency = "EUR"\n[line]\nhire = { kind = "flag", required = true }\n'
        '[[routine.r.step]]\nname = "price"\nkind = "price"\noptions = [{ value = "5 if line.hire else 7" }]\n'
        '[table.item]\nfile = "items.csv"\nkey = { item = "line.item" }\n'
    )
    (tmp_path / "items.csv").write_text("item\nA\n")
    status, out, _ = run_here(tmp_path, "prices", "--item", "A", "--line", "hire=true", "--format", "csv")
    assert (status, out.splitlines()[1].split(",")[7]) == (0, "5")
    status, _, err = run_here(tmp_path, "prices", "--item", "A")
    assert (status, err.count("hire")) == (2, 3)
