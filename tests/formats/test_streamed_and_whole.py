"""Orders some of which have no lines, headers that stand once: piece by piece and whole they are the same orders."""

from __future__ import annotations

import csv
import json

import pyarrow as pa
import pyarrow.parquet
from hypothesis import given
from hypothesis import strategies as st

import dokima
from tests.books import ITEMS, RATES, definition

THEIRS = {"number": "No", "customer": "Who", "date": "On"}
LINES = {"number": "Pos", "item": "Art", "quantity": "Qty"}
RULES = dokima.Rulebook.from_dict(
    definition(
        layout={
            "once": {"header_once": True, "header": THEIRS, "line": LINES},
            "flat": {"header": THEIRS, "line": LINES},
            "api": {"lines": "rows", "header": THEIRS, "line": LINES},
        },
        rule=[{"id": "few", "at": "save", "require": "sum(line.quantity) < 9 and header.customer != ''"}],
    ),
    tables={"item": ITEMS, "rate": RATES},
)
ORDERS = st.lists(
    st.tuples(
        st.sampled_from(["K", "", None]),
        st.lists(st.tuples(st.sampled_from(["PANE", "DAY", "NONE", ""]), st.sampled_from(["1", "4.5", "-2", ""])), max_size=4),
    ),
    min_size=1, max_size=8,
)  # fmt: skip


def rows_of(orders, *, once):
    """A row a line; of an order without lines a row of its header alone."""
    for at, (customer, lines) in enumerate(orders):
        header = [f"N{at}", customer or "", "2026-03-02"]
        for number, (item, quantity) in enumerate(lines or [("", "")]):
            first = not once or number == 0
            yield [
                *(header if first else ["", "", ""]),
                *([10 * number + 10, item, quantity] if lines else ["", "", ""]),
            ]


def written(orders, file, *, once):
    with file.open("w", newline="") as out:
        writer = csv.writer(out)
        writer.writerow([*THEIRS.values(), *LINES.values()])
        writer.writerows(rows_of(orders, once=once))
    return file


def told(priced):
    """What is made of orders: figures, totals, findings, problems."""
    data = json.loads(dokima.to_json(priced))
    return data["orders"], [(each.order, each.field, each.message) for each in priced.problems]


def in_pieces(file, layout, size):
    """What is made of the orders in pieces of so many lines."""
    orders, problems = [], []
    for priced in RULES.stream(file, layout, lines=size):
        found = told(priced)
        orders += found[0]
        problems += found[1]
    return orders, problems


@given(ORDERS, st.integers(1, 5))
def test_headers_that_stand_once_are_those_that_stand_on_every_row(tmp_path_factory, orders, size):
    folder = tmp_path_factory.mktemp("once")
    once = written(orders, folder / "once.csv", once=True)
    flat = written(orders, folder / "flat.csv", once=False)
    whole = told(RULES.price(once, "once"))
    assert whole == told(RULES.price(flat, "flat"))
    # A row is a line: one that names none is told, and its order set aside.
    empty = [f"N{at}" for at, (_, lines) in enumerate(orders) if not lines]
    assert [number for number, field, _ in whole[1] if field == "number"] == empty
    assert [len(order["lines"]) for order in whole[0]] == [len(lines) for _, lines in orders if lines]
    for file, layout in ((once, "once"), (flat, "flat")):
        assert sorted(map(str, in_pieces(file, layout, size)[0])) == sorted(map(str, whole[0]))


@given(ORDERS, st.integers(1, 5))
def test_documents_with_and_without_lines_are_the_same_in_every_form(tmp_path_factory, orders, size):
    folder = tmp_path_factory.mktemp("documents")
    documents = [
        {"No": f"N{at}", "Who": customer, "On": "2026-03-02",
         **({"rows": [{"Pos": 10 * n + 10, "Art": item, "Qty": quantity} for n, (item, quantity) in enumerate(lines)]} if lines or at % 2 else {})}
        for at, (customer, lines) in enumerate(orders)
    ]  # fmt: skip
    (folder / "a.json").write_text(json.dumps(documents))
    (folder / "a.jsonl").write_text("".join(json.dumps(each) + "\n" for each in documents))
    (folder / "o").mkdir()
    for at, each in enumerate(documents):
        (folder / "o" / f"{at}.json").write_text(json.dumps(each))
    whole = told(RULES.price(folder / "a.json", "api"))
    assert whole == told(RULES.price(folder / "a.jsonl", "api")) == told(RULES.price(documents, "api"))
    assert whole[0] == told(RULES.price(folder / "o", "api"))[0]
    assert [len(order["lines"]) for order in whole[0]] == [len(lines) for _, lines in orders]
    assert in_pieces(folder / "a.jsonl", "api", size) == whole


def test_two_levels_of_which_some_orders_have_no_lines(tmp_path):
    """Headers and lines in two tables: whole, and in pieces, whatever comes first."""
    headers = pa.table({"order": ["A", "B", "C"], "kind": ["sales"] * 3})
    lines = pa.table(
        {"order": ["A", "C", "C"], "line": ["10", "10", "20"], "item": ["PANE"] * 3, "quantity": ["1", "2", "3"]}
    )
    pyarrow.parquet.write_table(lines, tmp_path / "l.parquet")
    priced = RULES.price((headers, lines))
    assert [(order.number, len(order.lines)) for order in priced] == [("A", 1), ("B", 0), ("C", 2)]
    assert [str(order.totals.without_tax) for order in priced] == ["48.50", "0.00", "242.50"]
