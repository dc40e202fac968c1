"""A document of which a few lines have changed is read as if all of it were read again."""

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from dokima.columns.column import values_of
from dokima.errors import DocumentError
from dokima.model.document import Document
from tests.books import book

FIELDS = book(
    line={
        "quantity": {"kind": "decimal", "places": 3},
        "pieces": {"kind": "integer", "default": "2"},
        "wish": {"kind": "text", "required": True},
        "due": {"kind": "date", "default": "header.date"},
        "note": {},
        "shown": {"kind": "flag", "empty": "absent", "default": "1 == 1"},
    }
).program.fields
GOOD = {
    "wish": st.sampled_from(["red", "green", "in-between"]),
    "quantity": st.sampled_from([1, "2.5", Decimal("10.125"), None, "", 10**30]),
    "pieces": st.sampled_from([0, 7, None]),
    "due": st.sampled_from(["2026-03-02", date(2026, 4, 1), None]),
    "shown": st.sampled_from([True, "false", None]),
    "note": st.text("ab", max_size=2),
}
BAD = {"wish": None, "quantity": "2,5", "pieces": 1.5, "due": "soon", "shown": "maybe", "colour": "red"}
NUMBERS = ["10", "20", "20/10", "20/10/10", "30"]
LINE = st.fixed_dictionaries({"wish": GOOD["wish"]}, optional={n: s for n, s in GOOD.items() if n != "wish"})
CHANGE = st.fixed_dictionaries({}, optional=GOOD)
WRONG = st.sampled_from([{name: value} for name, value in BAD.items()])


def content(document):
    """Everything that is known of a document: what it holds, its columns, and what is absent."""
    orders = document.orders(FIELDS)
    columns = {name: values_of(orders.line(name)) for name in FIELDS.line}
    nothing = [False] * orders.line_count
    absent = {name: orders.absent.get(("line", name), nothing) for name in FIELDS.line}
    return document.header, document.lines, columns, {name: list(mask) for name, mask in absent.items()}


@given(st.lists(LINE, min_size=5, max_size=5), st.data())
def test_reading_the_lines_that_changed_is_reading_all_of_them(lines, data):
    rows = [{"number": number, **line} for number, line in zip(NUMBERS, lines, strict=True)]
    now = Document.read(dokima.Order("SQ-1", customer="FERNHOLT", date="2026-03-02", lines=rows), FIELDS)
    for _ in range(data.draw(st.integers(1, 4))):
        after = now
        for number in data.draw(st.lists(st.sampled_from(NUMBERS), min_size=1, max_size=3)):
            kept = {name: value for name, value in after.lines[number].items() if data.draw(st.booleans())}
            wrong = data.draw(WRONG) if data.draw(st.integers(0, 9)) == 0 else {}
            after = after.with_line(number, {"wish": "red", **kept, **data.draw(CHANGE), **wrong})
        assert after.since is not None
        said = []
        for each in (after, Document(after.header, after.lines)):
            try:
                said.append(content(Document.reread(each, FIELDS)))
            except DocumentError as error:
                said.append(sorted(str(problem) for problem in error.problems))
        assert said[0] == said[1]
        if isinstance(said[0], list):
            return
        now = Document.reread(after, FIELDS)


@given(st.lists(st.lists(LINE, max_size=4), max_size=4))
def test_orders_read_together_are_as_each_is_read_alone(batch):
    orders = [
        dokima.Order(
            f"Q{at}", customer="FERNHOLT", lines=[{"number": 10 * n + 10, **row} for n, row in enumerate(lines)]
        )
        for at, lines in enumerate(batch)
    ]
    assert Document.read_many(orders, FIELDS) == [Document.read(order, FIELDS) for order in orders]


def test_of_orders_read_together_the_first_that_is_wrong_is_told():
    orders = [
        dokima.Order(number, lines=[{"wish": "red", "quantity": said}])
        for number, said in (("A", 1), ("B", "x"), ("C", "y"))
    ]
    with pytest.raises(dokima.DocumentError, match="order B, line 10, quantity: expected a number") as raised:
        Document.read_many(orders, FIELDS)
    assert len(raised.value.problems) == 1
