"""Every result in every form for programs, with nothing, one, as many as go one by one, and one more: all say the same."""

from __future__ import annotations

import csv
import io
import json
from decimal import Decimal, InvalidOperation

import pandas
import pyarrow.parquet
import pytest

import dokima
from dokima.formats.results import calculations
from dokima.model import finding_columns
from tests.books import DEMO, book, routine

PRICE = {"name": "price", "kind": "price", "options": [{"value": "item.list_price"}]}
VAT = {"name": "vat", "kind": "tax", "percent": "rate.percent", "category": "rate.category"}
OFF = {"name": "off", "kind": "discount", "percent": "line.quantity", "cap": "7.77"}
RULES = [
    {
        "id": "few",
        "at": "save",
        "severity": "warning",
        "require": "line.quantity < 3",
        "message": "Too many: {line.quantity}.",
    },
    {"id": "known", "at": "save", "require": "line.description != ''"},
]
BOOKS = {
    "with tax": book(rule=RULES, routine=routine(PRICE, OFF, VAT)),
    "without tax": book(rule=RULES, routine=routine(PRICE, OFF)),
}
TEXTS = ["", "plain", '"quoted", and', "=1+1", "two\nlines", "ü", "-5", "'x"]
SIZES = [0, 1, calculations.LONG, calculations.LONG + 1, finding_columns.FEW, finding_columns.FEW + 1]


def orders(lines):
    """Orders of up to seven lines, that many lines together, one order without any between them."""
    found, at = [], 0
    while at < lines:
        count = min(1 + at % 7, lines - at)
        rows = [
            {"number": str(10 * n + 10), "item": ("PANE", "VENT", "DAY", "FREE", "none")[(at + n) % 5], "quantity": (at + n) % 5 + 1,
             "description": TEXTS[(at + n) % len(TEXTS)]}
            for n in range(count)
        ]  # fmt: skip
        found.append(
            {"number": f"O{at:05}", "currency": "EUR", "customer": TEXTS[at % len(TEXTS)] or None, "lines": rows}
        )
        at += count
    return found


def rows_of(result, **how):
    return list(csv.DictReader(io.StringIO(dokima.to_csv(result, **how))))


@pytest.mark.parametrize("kind", BOOKS)
@pytest.mark.parametrize("size", sorted(set(SIZES)))
def test_a_calculation_says_the_same_in_every_form(tmp_path, kind, size):
    rules = BOOKS[kind]
    priced = rules.price(orders(size))
    data = json.loads(dokima.to_json(priced))["orders"]
    table = priced.to_arrow("lines")
    assert sum(len(order["lines"]) for order in data) == table.num_rows == size
    taxed = {"vat", "tax", "with_tax"}
    wanted = {"price", "amount", "net", "off", "without_tax", *(taxed if kind == "with tax" else ())}
    assert wanted <= set(table.column_names)
    assert not (taxed - {"tax", "with_tax"}) & set(table.column_names) or kind == "with tax"
    by_line = {(order["number"], line["number"]): line for order in data for line in order["lines"]}
    raw = {(row["order"], row["line"]): row for row in rows_of(priced, raw=True)}
    guarded = {(row["order"], row["line"]): row for row in rows_of(priced)}
    for row in table.to_pylist():
        key = row["order"], row["line"]
        for name in wanted:
            said = by_line[key][name]
            assert (None if said is None else Decimal(said)) == row[name]
            assert raw[key][name] == guarded[key][name] == (said or "")
        assert (row["description"] or "") == raw[key]["description"] == (by_line[key]["description"] or "")
        led = raw[key]["description"][:1] in ("=", "-") and raw[key]["description"] != "-5"
        assert guarded[key]["description"] == ("'" if led else "") + raw[key]["description"]
    assert len(by_line) == len(raw) == len(guarded) == size
    dokima.write_parquet(priced, tmp_path / "p.parquet")
    assert pyarrow.parquet.read_table(tmp_path / "p.parquet").to_pylist() == table.to_pylist()
    totals = {row["number"]: row for row in priced.to_arrow("orders").to_pylist()}
    assert set(totals) == {order["number"] for order in data}
    for order in data:
        for name, said in order["totals"].items():
            assert (None if said is None else Decimal(said)) == totals[order["number"]][name]


@pytest.mark.parametrize("size", sorted({0, 1, finding_columns.FEW - 1, finding_columns.FEW, finding_columns.FEW + 1}))
def test_findings_say_the_same_in_every_form(size):
    """Two rules a line: up to a number they are objects, from there on columns."""
    found = BOOKS["with tax"].check(orders(size), "save")
    data = found.to_dicts()
    assert json.loads(dokima.to_json(found))["findings"] == json.loads(json.dumps(data, default=str))
    frame = found.to_frame()
    assert len(data) == len(found) == len(frame) == len(list(found))
    rows = rows_of(found)
    for one, row, finding in zip(data, rows, found, strict=True):
        assert (one["order"], one["line"], one["rule"], one["severity"]) == (
            row["order"],
            row["line"],
            row["rule"],
            row["severity"],
        )
        assert (finding.order, finding.line, finding.message) == (one["order"], one["line"], one["message"])
    assert list(frame["message"]) == [one["message"] for one in data]
    few = [one for one in data if one["rule"] == "few"]
    assert len(few) == sum((line["quantity"] >= 3) for order in orders(size) for line in order["lines"])


@pytest.mark.parametrize("kind", BOOKS)
@pytest.mark.parametrize("size", [0, 1, calculations.LONG, calculations.LONG + 1])
def test_a_variance_says_the_same_in_every_form(kind, size):
    rules = BOOKS[kind]
    before = orders(size)
    after = [
        {**each, "lines": [{**line, "quantity": line["quantity"] + 1} for line in each["lines"]]} for each in before
    ]
    varied = rules.variance(before, after)
    data = json.loads(dokima.to_json(varied))
    assert sum(each["status"] == "changed" for each in data["lines"]) == size
    sums = {order["number"]: order["totals"]["without_tax"] for order in data["orders"]}
    for order in data["orders"]:
        told = sums[order["number"]]
        if None not in (told["before"], told["after"]):
            assert Decimal(told["after"]) - Decimal(told["before"]) == Decimal(told["variance"])
    rows = rows_of(varied)
    assert {row["order"] for row in rows if row.get("order")} == set(sums)


def test_the_table_of_lines_is_one_in_every_form(tmp_path):
    """Columns follow from the rulebook, rows as they were given; also where no order has a routine, or a field is given."""
    demo = dokima.load(DEMO)
    orders = DEMO / "orders"
    grid = [
        {"order": order, "line": line, "kind": "sales", "customer": "FERNHOLT", "item": "PANE-T6", "quantity": at + 1}
        for at, (order, line) in enumerate([("B", "20"), ("A", "10"), ("B", "10"), ("A", "20/10"), ("A", "20")])
    ]
    for source in (orders, [], pandas.DataFrame(grid)):
        priced = demo.price(source)
        for level, extra in (
            ("lines", ["customer_name", "price_override", "header.state"]),
            ("headers", ["customer_name"]),
        ):
            schema = demo.arrow_schema(level)
            table = priced.to_arrow(level)
            assert table.column_names == schema.names == list(priced.to_frame(level).columns)
            frame = priced.to_frame(level)
            assert {name: pyarrow.array(frame[name]).to_pylist() for name in frame} == table.to_pydict()
            assert priced.to_arrow(level, schema).to_pylist() == table.to_pylist()
            chosen = [*extra, *schema.names[:3]]
            assert priced.to_arrow(level, columns=chosen).select(schema.names[:3]) == table.select(schema.names[:3])
        table = priced.to_arrow()
        rows = rows_of(priced, raw=True)
        assert next(csv.reader(io.StringIO(dokima.to_csv(priced)))) == table.column_names
        assert [[as_cell(value) for value in row.values()] for row in table.to_pylist()] == [
            [as_number(cell) for cell in row.values()] for row in rows
        ]
        shown = dokima.report(priced)
        shown.write(tmp_path / "r.csv")
        assert shown.csv() == dokima.to_csv(priced) == (tmp_path / "r.csv").read_text()
    assert [row["order"] for row in rows] == ["B", "A", "B", "A", "A"]


def as_cell(value):
    """A value of Arrow as it is compared with a cell: numbers by what they are worth."""
    if value is None:
        return ""
    return str(value).lower() if isinstance(value, bool) else as_number(str(value))


def as_number(cell):
    try:
        return Decimal(cell)
    except InvalidOperation:
        return cell


@pytest.mark.parametrize("size", [0, 3, finding_columns.FEW + 1])
def test_columns_are_chosen_of_every_result(size):
    """In the sequence asked for; one that is none is named, with the nearest."""
    rules = BOOKS["with tax"]
    results = {
        "calculation": (rules.price(orders(size)), ["net", "order", "customer"]),
        "findings": (rules.check(orders(size), "save"), ["message", "rule"]),
        "variance": (rules.variance(orders(size), orders(size)), ["line", "order"]),
    }
    for name, (result, columns) in results.items():
        whole, chosen = rows_of(result), rows_of(result, columns=columns)
        heading = next(csv.reader(io.StringIO(dokima.to_csv(result, columns=columns))))
        assert (heading, len(chosen)) == (columns, len(whole)), name
        assert all(
            row[each] == mine[each] for row, mine in zip(whole, chosen, strict=True) for each in columns if each in row
        )
        if name != "variance":  # nothing has changed, and no row says which columns there are
            with pytest.raises(dokima.NotFound, match="there is no column 'ordre'; did you mean 'order'"):
                dokima.to_csv(result, columns=["ordre"])
