"""Every kind of result as JSON and as CSV: both say the same, exactly, and CSV has one row for each thing."""

import csv
import datetime
import io
import json
import shutil
from decimal import Decimal as D
from typing import Any

import pytest

import dokima
from tests.books import DEMO

BOOK = dokima.load(DEMO)


def both(result: Any) -> tuple[Any, list[dict[str, str]]]:
    """A result as data and as rows."""
    return json.loads(dokima.to_json(result)), list(csv.DictReader(io.StringIO(dokima.to_csv(result))))


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
    number = store.open("SQ-2041", "Ada").number
    store.work(number, "Ada", lambda change: change.edit("Ada").change_line(10, quantity=40))
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
