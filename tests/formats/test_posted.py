"""What was posted: JSON in any shape ends in problems with their place, and no text ever opens a file."""

from __future__ import annotations

import json
from contextlib import suppress
from datetime import date
from decimal import Decimal as D
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from tests.books import DEMO, book, routine

BOOK = dokima.load(DEMO)
SMALL = book(line={"weight": {"kind": "decimal", "places": 3}, "share": {"kind": "decimal"}})
FILE = str(DEMO / "orders" / "SQ-2041.json")


@pytest.mark.parametrize("text", [FILE, str(DEMO / "orders"), "", "x"])
def test_no_verb_opens_a_file_because_of_a_text(text):
    """A path does, alone or in a list; a text is refused with a message that shows how."""
    verbs = (
        lambda: BOOK.orders(text),
        lambda: BOOK.edit(text, by="M"),
        lambda: BOOK.explain(text, 10),
        lambda: BOOK.variance(text, text),
        lambda: BOOK.change(text, by="M"),
        lambda: BOOK.replay(text, BOOK),
        lambda: BOOK.orders([text], strict=True),
        lambda: BOOK.price(text)["SQ-2041"],
        lambda: dokima.Order.from_dict(text),
    )
    for verb in verbs:
        with pytest.raises(dokima.DocumentError, match=r"got a text.*: a file is named by its path, pathlib.Path"):
            verb()
    for said in (BOOK.check(text), BOOK.price(text).findings, BOOK.price([text]).findings):
        assert [
            finding.message.startswith("expected an order (got a text)") or "[0]" in finding.message for finding in said
        ] == [True]
    assert BOOK.price([Path(FILE)])["SQ-2041"].totals == BOOK.price(Path(FILE))["SQ-2041"].totals


def test_json_text_is_read_exactly_and_never_a_file():
    """From text or bytes; a list of orders gives a list."""
    text = Path(FILE).read_text()
    assert dokima.Order.from_json(text) == dokima.Order.from_json(text.encode())
    assert str(BOOK.price(dokima.Order.from_json(text))["SQ-2041"].totals.payable) == "4339.39"
    assert [order.number for order in dokima.Orders.from_json(f"[{text}, {text}]")] == ["SQ-2041", "SQ-2041"]
    with pytest.raises(dokima.DocumentError, match="row 1: expected JSON .Expecting value at column 1"):
        dokima.Order.from_json(FILE)


@pytest.mark.parametrize(
    ("text", "problems"),
    [
        ("3", ["expected an order as a mapping of fields (got 3)"]),
        ('"x"', ["expected an order (got a text): a file is named by its path"]),
        ('{"lines": "x"}', ["lines: expected a list of lines (got 'x')"]),
        ('{"number": "A", "lines": [3, {}, "y"]}', ["order A, lines[0]: expected a line", "order A, lines[2]: expected a line"]),
        ('{"lines": [', ["row 1: expected JSON (Expecting value at column 12"]),
        ('{"a": 1, "a": 2}', ["a: expected each name once"]),
        ("[" * 100_000, ["expected JSON that is nested at most 100 levels deep"]),
        ("9" * 5000, ["expected an order as a mapping of fields (got 9999"]),
        ("NaN", ["expected a number (got NaN)"]),
    ],
)  # fmt: skip
def test_every_shape_ends_in_one_error_with_every_place(text, problems):
    """Also as findings, for whoever hands a parsed body over."""
    with pytest.raises(dokima.DocumentError) as refused:
        dokima.Order.from_json(text)
    told = [str(problem) for problem in refused.value.problems]
    assert [said[: len(problem)] for said, problem in zip(told, problems, strict=True)] == problems


def test_a_list_names_the_place_of_each_and_the_others_go_on():
    """The second is no order, the third has a line that is none."""
    body = [{"number": "A", "lines": []}, 7, {"number": "B", "lines": [None]}]
    with pytest.raises(dokima.DocumentError) as refused:
        dokima.Orders.from_json(json.dumps(body))
    assert [problem.field for problem in refused.value.problems] == ["[1]", "[2].lines[0]"]
    calculation = SMALL.price(body)
    assert ([order.number for order in calculation], [f.field for f in calculation.findings]) == (
        ["A"],
        ["[1]", "[2].lines[0]"],
    )


JSON = st.recursive(
    st.none() | st.booleans() | st.integers(-3, 10**20) | st.floats() | st.text(max_size=5),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from([
        "number", "lines", "orders", "quantity", "item", "date", "payments", "deliveries", "terms", "links", "pending",
        "acknowledgements", "amount", "line", "currency", "figures", "answers", "state", "rule",
    ]), inner, max_size=4),
    max_leaves=12,
)  # fmt: skip


@given(JSON)
def test_whatever_was_posted_becomes_findings(body):
    """Checking, pricing and editing never end in another exception."""
    assert SMALL.check(body) is not None
    assert SMALL.price(body).findings is not None
    for read in (dokima.Order.from_dict, lambda data: SMALL.edit(data, by="M").save()):
        with suppress(dokima.DocumentError, dokima.Refused):
            assert read(body) is not None


@pytest.mark.parametrize(
    ("field", "value", "read", "refused"),
    [
        ("weight", 0.1, "0.1", ""),
        ("weight", 2.675, "2.675", ""),
        ("weight", -1e3, "-1000", ""),
        ("weight", 0.1 + 0.2, None, "expected an exact number (got the binary float 0.30000000000000004)"),
        ("weight", 0.0001, None, "expected at most 3 decimal places (got 0.0001)"),
        ("weight", float("inf"), None, "expected an exact number (got the binary float inf)"),
        ("share", 0.1, None, "expected an exact number (got the binary float 0.1)"),
    ],
)
def test_short_floats_of_a_parsed_body_are_the_decimals_they_show(field, value, read, refused):
    """In a field that declares places, with at most 15 significant digits; every other float is refused."""
    orders = SMALL.orders({"number": "A", "lines": [{field: value}]})
    assert [problem.message[: len(refused)] for problem in orders.problems] == ([refused] if refused else [])
    assert [str(order.line(10).field(field)) for order in SMALL.price(orders)] == ([] if read is None else [read])


def test_documents_in_the_names_of_somebody_else(tmp_path):
    """A layout says the names, of the lines too; paths lead into objects, and what it does not name is left out."""
    line = {"number": "pos", "item": "sku", "quantity": "qty", "colour": "shade"}
    layout = {"lines": "positions", "dates": "%d.%m.%Y", "header": {"number": "no", "customer": "who.id"}, "line": line}
    layout["header"]["date"] = "on"
    rules = book(line={"colour": {"default": "'grey'"}}, layout={"api": layout}, routine=routine())
    line = {"shade": None, "pos": 10, "sku": "PANE", "qty": 2, "note": "left out"}
    theirs = {
        "no": 7,
        "who": {"id": "C1"},
        "on": "02.03.2026",
        "positions": [line, {"sku": "VENT", "qty": 3}],
        "more": {},
    }
    ours = {"number": "8", "customer": "C2", "lines": [{"item": "PANE", "quantity": 1}]}
    bad = [{"no": 9, "positions": 5}, {"no": 10, "positions": [4]}, {"no": 11, "positions": [{"qty": "x"}]}]
    said = [
        "order 9, positions: expected a list of lines (got 5)",
        "order 10, lines[0]: expected a line as a mapping of fields (got 4)",
        "order 11, line 10, quantity: expected a number such as 44.25 (got 'x')",
    ]
    file = tmp_path / "api.json"
    file.write_text(json.dumps([theirs, ours, *bad]), encoding="utf-8")
    for source, place in (([theirs, ours, *bad], ""), (file, "api.json, ")):
        orders = rules.orders(source, "api")
        assert orders.numbers == ["7", "8"]
        assert next(orders.documents()) == {
            "number": "7", "customer": "C1", "date": date(2026, 3, 2),
            "lines": [
                {"number": "10", "item": "PANE", "quantity": D(2), "colour": None},  # null is blank, and takes no default
                {"number": "20", "item": "VENT", "quantity": D(3)},
            ],
        }  # fmt: skip
        assert [str(problem) for problem in orders.problems] == [place + each for each in said]
    with pytest.raises(dokima.DokimaError, match="api.json: expected a table: CSV, XLSX or Parquet"):
        dokima.begin(tmp_path / "rules", [file, file])


def test_names_of_a_layout_that_stand_nowhere_while_one_like_it_does(tmp_path):
    """Else a misspelt name would only be a blank, and a misspelt list an order without lines."""
    theirs = {"no": 7, "who": {"id": "C1"}, "positions": [{"sku": "PANE", "qty": 2, "other": 1}], "notes": "none"}
    line = {"item": "sku", "quantity": "qty", "colour": "shade"}  # no line says a shade, and none need say one
    file = tmp_path / "api.json"
    file.write_text(json.dumps([theirs, {**theirs, "no": 8}]), encoding="utf-8")

    def read(**changes):
        layout = {"lines": "positions", "header": {"number": "no", "customer": "who.id"}, "line": line, **changes}
        return book(line={"colour": {}}, layout={"api": layout}, routine=routine()).orders(file, "api")

    assert read().count == 2
    with pytest.raises(
        dokima.DocumentError, match=r"api.json, layout.api.line.item: expected 'skuu' in some line .it is "
    ):
        read(line={**line, "item": "skuu"})
    with pytest.raises(dokima.DocumentError, match=r"layout.api.header.customer: .* in none; did you mean 'who.id'"):
        read(header={"number": "no", "customer": "who.ident"})
    with pytest.raises(dokima.DocumentError, match=r"under 'lines' .nothing is there; rows are under positions."):
        read(lines="lines")
