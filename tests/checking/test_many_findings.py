"""Many findings of one rule are columns until somebody looks at them; they say what each by itself would have said."""

import csv
import io
import json
import pickle
from dataclasses import replace

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

import dokima
from dokima.model.finding_columns import FindingColumns, Refusals
from tests.books import DEMO

BOOK = dokima.Rulebook.from_dict(
    {
        "rulebook": {"name": "refusing", "currency": "EUR"},
        "table": {"weight": {"key": {"item": "line.item"}, "columns": {"kg": {"kind": "decimal"}}, "required": True}},
        "rule": [
            {"id": "few", "at": "enter", "require": "line.quantity <= 5", "message": "100 % of {line.quantity} {line.item}"},
            {"id": "priced", "at": "save", "require": "line.price_override > 1", "message": "{line.price_override} is low", "severity": "warning", "help": "ask"},
            {"id": "whole", "at": "save", "require": "sum(line.quantity) < 9", "message": "{sum(line.quantity):2} in all", "field": "customer"},
            {"id": "asked", "at": "save", "require": "line.quantity != 3", "severity": "warning", "acknowledge": True},
            {"id": "shared", "at": "save", "when": "line.price_override < 2", "require": "6 / (line.quantity - 1) < sum(line.price_override) or sum(payment.amount) > 0", "severity": "warning"},
        ],
    },
    tables={"weight": [{"item": "A", "kg": "1"}]},
)  # fmt: skip
LINE = st.fixed_dictionaries(
    {"item": st.sampled_from(["A", "B%s", None]), "quantity": st.sampled_from([None, 1, 3, "7.5"])},
    optional={"price_override": st.sampled_from(["0.5", "0.90", "2"])},
)


def orders(of_orders):
    return [dokima.Order(f"O{at}", currency="EUR", lines=lines) for at, lines in enumerate(of_orders)]


@given(st.lists(st.lists(LINE, min_size=1, max_size=4), min_size=1, max_size=5), st.integers(1, 6), st.data())
def test_columns_and_pieces_say_what_findings_by_themselves_say(of_orders, piece, data):
    with pytest.MonkeyPatch.context() as patch:
        singly = BOOK.check(orders(of_orders))
        patch.setattr("dokima.checking.asking.FEW", -1)
        columns = BOOK.check(orders(of_orders))
        patch.setattr("dokima.checking.asking.PIECE", piece)
        in_pieces = BOOK.check(orders(of_orders), workers=2)
    # What may be accepted is made at once: whoever accepts it accepts what stands in it.
    assert isinstance(columns.items, FindingColumns) or all(finding.acknowledge for finding in columns)
    assert columns == singly == in_pieces
    counted = [[replace(each, seconds=None) for each in found.summary] for found in (singly, columns, in_pieces)]
    assert counted[0] == counted[1] == counted[2]
    assert columns + singly == singly + columns
    for each in ("errors", "stopping", "touched"):
        assert getattr(columns, each) == getattr(singly, each)
    assert columns.at_least("warning") == singly.at_least("warning")
    assert columns.of("O0") == singly.of("O0")
    assert columns.beyond(singly.errors) == singly.beyond(columns.errors)
    assert columns.where(lambda each: each.line == "10") == singly.where(lambda each: each.line == "10")
    assert dokima.to_csv(columns) == dokima.to_csv(singly)
    assert json.loads(dokima.to_json(columns))["findings"] == json.loads(dokima.to_json(singly))["findings"]
    assert columns.to_frame().equals(singly.to_frame())
    assert pickle.loads(pickle.dumps(columns)) == singly
    if singly:
        at = data.draw(st.integers(-len(singly), len(singly) - 1))
        assert columns[at] == singly[at]
        assert columns[at:] == singly[at:]


def test_what_could_not_be_decided_of_thousands_is_said_of_each(monkeypatch):
    """1,000 lines: a quantity is blank, one divides by zero, and a rule of the order meets its second line."""
    lines = [{"item": "A", "quantity": 1, "price_override": 1}, {"item": "A", "price_override": 1}]
    many = orders([lines] * 500)
    expected = [each.to_dict() for each in BOOK.check(many[:1])]
    assert [(each["line"], each["rule"], each["message"]) for each in expected if each["undecided"]] == [
        ("", "whole", "blank in all (could not be decided: line.quantity is blank on line 20)"),
        ("10", "shared", "shared does not hold. (could not be decided: division by zero in '6 / (line.quantity - 1)')"),
        ("20", "asked", "asked does not hold. (could not be decided: line.quantity is blank)"),
        ("20", "few", "100 % of blank A (could not be decided: line.quantity is blank)"),
        ("20", "shared", "shared does not hold. (could not be decided: line.quantity is blank)"),
    ]
    monkeypatch.setattr("dokima.rules.verdicts.Asking._finding", lambda *_: pytest.fail("a finding was made"))
    found = BOOK.check(many).where_shared(lambda each: each.undecided)
    assert len(found) == 2500
    written = json.loads(dokima.to_json(found))["findings"]
    assert written == [{**each, "order": f"O{at}"} for at in range(500) for each in expected if each["undecided"]]


def test_thousands_are_counted_chosen_and_written_without_making_one(monkeypatch):
    """400 lines of more than five, and as many without a row in the table: nobody looks at any by itself."""
    many = orders([[{"item": "B", "quantity": 6 + at}] for at in range(400)])
    expected = [each.to_dict() for each in BOOK.check(many)]
    monkeypatch.setattr(Refusals, "findings", lambda *_: pytest.fail("a finding was made"))
    found = BOOK.check(many).where_shared(lambda each: each.rule in ("few", "table.weight"))
    assert (len(found), len(found.errors), len(found.stopping)) == (800, 800, 800)
    written = json.loads(dokima.to_json(found))["findings"]
    assert written == [each for each in expected if each["rule"] in ("few", "table.weight")]
    assert written[0]["message"] == "100 % of 6 B"
    rows = list(csv.DictReader(io.StringIO(dokima.to_csv(found))))
    assert [row["message"] for row in rows] == [each["message"] for each in written]


DEMO_BOOK = dokima.load(DEMO)
BLANKS = dokima.Rulebook.from_dict(
    {
        "rulebook": {"name": "blanks", "currency": "EUR"},
        "header": {"factor": {"kind": "decimal", "places": 2}},
        "line": {"divisor": {"kind": "decimal", "places": 2}, "worth": {"kind": "decimal", "places": 2}, "spare": {"kind": "decimal", "places": 2}},
        "table": {
            "rate": {"match": {"item": "line.item"}, "breaks": {"least": "line.quantity"}, "choose": ["most specific", "highest least"]},
            "band": {"key": {"item": "rate.band"}},
            "bulk": {"key": {"item": "line.item"}, "breaks": {"least": "sum(line.quantity, by=line.item)"}},
        },
        "routine": {
            "sales": {
                "prices_include_tax": "header.factor > 1",
                "step": [
                    {"name": "price", "kind": "price", "options": [{"value": "rate.price / line.divisor"}, {"value": "rate.price * sum(coalesce(line.spare, 0))"}, {"value": "band.price if line.worth > 1 else rate.price", "base": "line.worth"}]},
                    {"name": "off", "kind": "discount", "percent": "band.off", "when": "line.worth != 2"},
                    {"name": "extra", "kind": "charge", "amount": "line.worth / header.factor"},
                    {"name": "whole", "kind": "charge", "amount": "header.factor", "over": "order", "where": "line.worth > 0"},
                    {"name": "bulk_off", "kind": "discount", "percent": "bulk.off * sum(line.divisor) / line.divisor"},
                    {"name": "vat", "kind": "tax", "percent": "10 / line.divisor", "category": "'S'"},
                ],
            }
        },
    },
    tables={
        "rate": [{"item": "A", "least": 1, "price": "5", "band": "X"}, {"item": "B", "least": 2, "price": None, "band": "Y"}, {"item": None, "least": 3, "price": "4", "band": None}],
        "band": [{"item": "X", "price": "1", "off": "3"}, {"item": "Y", "price": None, "off": None}],
        "bulk": [{"item": "A", "least": 2, "off": "1"}, {"item": "B", "least": 1, "off": None}],
    },
)  # fmt: skip
VALUE = st.sampled_from([None, 0, 1, 2, "1.5"])
ODD = st.fixed_dictionaries(
    {}, optional={"item": st.sampled_from(["A", "B", "C"]), "quantity": VALUE, "divisor": VALUE, "worth": VALUE, "spare": VALUE, "price_override": VALUE}
)  # fmt: skip
SOLD = st.fixed_dictionaries(
    {"item": st.sampled_from(["PANE-H4", "CLIP-S", "NOPE", "W-0107"])},
    optional={"quantity": st.sampled_from([1, "2.5", None]), "unit": st.sampled_from(["C62", "XX"]), "price_override": VALUE},
)  # fmt: skip


def _both_ways(book, documents):
    """What is found of orders where the reason of each line is looked for, and where one stands for all like it."""
    found = []
    for many in (10**9, -1):
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr("dokima.pricing.steps.run_state.MANY", many)
            patch.setattr("dokima.pricing.running.pricing.FEW", 10**9 if many > 0 else -1)
            found.append(book.price(documents).findings)
    return found


@given(st.lists(st.tuples(VALUE, st.lists(ODD, min_size=1, max_size=4)), min_size=1, max_size=4))
@example([(1, [{"item": "B", "quantity": 2, "spare": 1}, {"item": "B", "quantity": 2}])])  # of no price of its own
def test_lines_that_are_alike_are_blank_for_one_reason(of_orders):
    documents = [dokima.Order(f"O{at}", factor=factor, lines=lines) for at, (factor, lines) in enumerate(of_orders)]
    singly, alike = _both_ways(BLANKS, documents)
    assert alike == singly


@given(
    st.lists(
        st.tuples(st.sampled_from(["FERNHOLT", "NOBODY", None]), st.lists(SOLD, min_size=1, max_size=4)),
        min_size=1,
        max_size=4,
    )
)
def test_reasons_of_the_demo_are_those_of_each_line(of_orders):
    documents = [
        dokima.Order(f"O{at}", kind="sales", date="2026-03-02", customer=customer, lines=lines)
        for at, (customer, lines) in enumerate(of_orders)
    ]
    singly, alike = _both_ways(DEMO_BOOK, documents)
    assert alike == singly


def test_a_table_of_orders_is_asked_by_order_where_there_are_as_many_orders_as_lines():
    """Two lines of an order without a row, one of an order whose row has no price, an order without lines: the first two
    have the same reason, the third has another."""
    book = dokima.Rulebook.from_dict(
        {
            "rulebook": {"name": "zones", "currency": "EUR"},
            "header": {"zone": {"kind": "text"}},
            "table": {"zone": {"key": {"zone": "header.zone"}, "columns": {"price": {"kind": "decimal"}}}},
            "routine": {"sales": {"step": [{"name": "price", "kind": "price", "options": [{"value": "zone.price"}]}]}},
        },
        tables={"zone": [{"zone": "N", "price": None}]},
    )
    line = {"item": "A", "quantity": 1}
    documents = [
        dokima.Order(f"O{at}", zone=zone, lines=[line] * count)
        for at, (zone, count) in enumerate([("X", 2), ("N", 1), ("X", 0)])
    ]
    singly, alike = _both_ways(book, documents)
    assert [each.message for each in singly if each.line] == [
        "no price: tried table zone has no row that fits", "no price: tried table zone has no row that fits",
        "no price: tried table zone has a row that fits, but no price in it",
    ]  # fmt: skip
    assert alike == singly


def test_what_a_sum_over_the_order_meets_is_told_of_the_line_it_stands_on():
    """The line of another order, which has a row of the table, says nothing about it."""
    book = dokima.Rulebook.from_dict(
        {
            "rulebook": {"name": "summed", "currency": "EUR"},
            "line": {"weight": {"kind": "decimal"}},
            "table": {"bulk": {"key": {"item": "line.item"}, "columns": {"fee": {"kind": "decimal"}}}},
            "routine": {
                "all": {
                    "step": [
                        {"name": "price", "kind": "price", "options": [{"value": "1"}]},
                        {"name": "bulk_fee", "kind": "charge", "amount": "sum(bulk.fee)", "over": "order"},
                        {"name": "freight", "kind": "charge", "amount": "sum(line.weight)", "over": "order"},
                    ]
                }
            },
        },
        tables={"bulk": [{"item": "A", "fee": None}, {"item": "B", "fee": 2}]},
    )
    lines = {"O1": ["A"], "O2": ["B", "C"], "O3": ["B", "B"]}
    found = book.price(
        [dokima.Order(name, lines=[{"item": item, "quantity": 1} for item in items]) for name, items in lines.items()]
    ).findings
    assert [(each.order, each.message) for each in found] == [
        ("O1", "no bulk fee: table bulk has a row that fits, but no fee in it (line 10)"),
        ("O2", "no bulk fee: table bulk has no row that fits (line 20)"),
        ("O3", "no freight: line.weight is blank on line 10"),
    ]


def test_a_blank_that_was_given_keeps_a_default_out_and_says_so():
    """Of 300 orders every third says nothing of express, every third null, and the default of every third is blank."""
    book = dokima.Rulebook.from_dict(
        {
            "rulebook": {"name": "web", "currency": "EUR"},
            "header": {"region": {}, "express": {"kind": "flag", "default": "header.region == 'N'"}},
            "line": {"length": {"kind": "decimal", "default": "2"}},
            "rule": [{"id": "short", "at": "save", "require": "line.length < 3"}],
            "routine": {
                "web": {
                    "step": [
                        {"name": "price", "kind": "price", "options": [{"value": "line.length"}]},
                        {"name": "fee", "kind": "charge", "amount": "1", "when": "header.express"},
                    ]
                }
            },
        }
    )
    headers = [{"region": "N"}, {"region": "N", "express": None}, {}]
    lines = [{"quantity": 1}, {"quantity": 1, "length": None}]
    orders = [dokima.Order(f"O{at}", lines=lines, **headers[at % 3]) for at in range(300)]
    out = "is given as blank, which keeps its default out"
    found = {(each.order, each.line, each.rule): each.message for each in book.price(orders, check="save").findings}
    for at in range(300):
        assert found.pop((f"O{at}", "20", "short")) == f"short does not hold. (could not be decided: line.length {out})"
        assert found.pop((f"O{at}", "20", "web.price")) == f"no price: tried line.length {out}"
        if at % 3:
            assert (
                found.pop((f"O{at}", "10", "web.fee")) == f"no fee: header.express {out if at % 3 == 1 else 'is blank'}"
            )
    assert not found
