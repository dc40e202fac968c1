"""Every kind of result as JSON and as CSV: both say the same, exactly, and CSV has one row for each thing."""

import csv
import datetime
import io
import json
import shutil
from decimal import Decimal as D
from typing import Any
from unittest import mock

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from dokima.columns.shown import shown
from dokima.formats.json_files import json_text
from dokima.formats.results import calculations
from tests.books import DEMO, book

BOOK = dokima.load(DEMO)


def both(result: Any) -> tuple[Any, list[dict[str, str]]]:
    """A result as data and as rows."""
    return json.loads(dokima.to_json(result)), list(csv.DictReader(io.StringIO(dokima.to_csv(result))))


TWO_ROUTINES = book(
    routine={
        "home": {"when": "header.currency == 'EUR'", "step": [
            {"name": "price", "kind": "price", "options": [{"value": "item.list_price"}]},
            {"name": "post", "kind": "charge", "amount": "1.255", "places": 3},
            {"name": "vat", "kind": "tax", "percent": "rate.percent", "category": "rate.category"},
        ]},
        "away": {"when": "header.currency != 'EUR'", "step": [
            {"name": "price", "kind": "price", "options": [{"value": "line.quantity * 1.1"}]},
            {"name": "pieces", "kind": "figure", "value": "sum(line.quantity)"},
        ]},
    },
)  # fmt: skip
TEXTS = st.text(
    st.characters(exclude_categories=("Cs", "Cc"), include_characters="\t\n\r"), max_size=6
) | st.sampled_from(["", '"', 'a "b", c', "=1+1", "-5", "-x", "＝1", "\u2028", "\\"])
LINES = st.lists(
    st.builds(
        lambda item, text, quantity: {"item": item, "description": text, "quantity": str(quantity)},
        st.sampled_from(["PANE", "VENT", "DAY", "FREE", "none"]), TEXTS, st.decimals(-99999, 99999, places=4),
    ),
    max_size=4,
)  # fmt: skip


@given(st.lists(st.tuples(st.sampled_from(["EUR", "JPY", "KWD"]), TEXTS, LINES), min_size=1, max_size=5), st.booleans())
def test_many_lines_are_written_as_few_are(documents, raw):
    """Of many lines a text is made from columns, of few from values: both say the same."""
    priced = TWO_ROUTINES.price(
        [{"number": f"A{at}", "currency": currency, "customer": who, "lines": lines}
         for at, (currency, who, lines) in enumerate(documents)]
    )  # fmt: skip
    few = dokima.to_json(priced), dokima.to_csv(priced, raw=raw)
    with mock.patch.object(calculations, "LONG", -1):
        many = dokima.to_json(priced), dokima.to_csv(priced, raw=raw)
    assert json.loads(many[0]) == json.loads(few[0])
    assert many[1] == few[1]


def test_a_variance_by_a_field_adds_up_to_its_total():
    grouped = BOOK.variance(DEMO / "orders" / "SQ-2041.json", DEMO / "changed" / "SQ-2041.json").by("item")
    data, rows = both(grouped)
    (block,) = data["currencies"]
    groups = {row["value"]: D(row["without_tax_variance"]) for row in rows if row["row"] == "group"}
    assert {each["value"]: D(each["without_tax_variance"]) for each in block["groups"]} == groups
    (total,) = [row for row in rows if row["row"] == "total"]
    assert sum(groups.values()) == D(total["without_tax_variance"]) == D(block["total"]["without_tax_variance"])
    assert (data["by"], data["left_out"]) == ("item", [])


def test_remarks_of_an_audit_name_rows_and_an_example():
    remarks = BOOK.audit(datetime.date(2026, 3, 2))
    data, rows = both(remarks)
    assert [(row["check"], row["message"]) for row in rows] == [(each.check, each.message) for each in remarks]
    assert [row["rows"].split() for row in rows] == [[str(at) for at in each["rows"]] for each in data]


def test_answers_of_rules_are_one_row_an_order_or_line():
    answers = BOOK.explain_rules(DEMO / "orders" / "SQ-2041.json", rule="half-days")
    data, rows = both(answers)
    assert [(row["line"], row["result"]) for row in rows] == [(each["line"], each["result"]) for each in data]
    assert {row["line"]: row["result"] for row in rows} == {
        "10": "does not apply",
        "20": "does not apply",
        "30": "passed",
    }


def test_a_ledger_and_a_list_of_changes_say_what_each_comes_to(tmp_path):
    shutil.copytree(DEMO, tmp_path, dirs_exist_ok=True)
    store = dokima.FolderStore(tmp_path, BOOK)
    number = store.open_change("SQ-2041", "Ada").number
    store.update_change(number, "Ada", lambda change: change.edit("Ada").change_line(10, quantity=40))
    data, rows = both(store.list_changes(datetime.date(2026, 3, 9)))
    assert [(row["number"], row["state"], row["without_tax"]) for row in rows] == [(number, "draft", "186.94")]
    assert data[0]["without_tax"] == "186.94"
    data, rows = both(store.ledger("SQ-2041"))
    assert [(each["number"], each["variance"]["without_tax"]) for each in data["pending"]] == [(number, "186.94")]
    assert [row["line"] for row in rows] == ["10", "20", "30"]


def test_a_replay_names_the_orders_that_move_most():
    dearer = BOOK.what_if(values={"freight_rate": "0.45"})
    replay = BOOK.replay(DEMO / "orders" / "SQ-2041.json", dearer)
    data, rows = both(replay)
    assert [row["order"] for row in rows] == [each["order"] for each in data["largest"]] == ["SQ-2041"]


def test_what_is_no_result_is_refused():
    with pytest.raises(dokima.DokimaError, match="expected a result of a rulebook .got int."):
        dokima.to_json(5)


VALUES = st.recursive(
    st.one_of(st.none(), st.booleans(), st.integers(), st.integers(-(2**70), 2**70), st.text(st.characters(exclude_categories=["Cs"])), st.decimals(allow_nan=False), st.dates()),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=4), inner, max_size=4),
    max_leaves=12,
)  # fmt: skip


@given(VALUES)
def test_json_is_indented_as_the_standard_library_does_it(data):
    """Whole numbers of any size, exact numbers and dates as messages write them; never an exponent."""
    written = json.dumps(data, indent=2, ensure_ascii=False, default=shown)
    assert json_text(data) == written
