"""The second example, a whole rulebook of another trade: every feature of it, by figures worked out by hand."""

import shutil
from decimal import Decimal as D
from pathlib import Path

import pytest

import dokima
from tests.shell import run_here

HIRE = Path(__file__).parents[1] / "examples" / "tool_hire"


@pytest.fixture
def hire(tmp_path):
    return shutil.copytree(HIRE, tmp_path / "hire")


def test_its_cases_pass_and_nothing_is_found(hire):
    assert run_here(hire, "prove")[:2] == (0, "10 cases passed, 0 failed\n")
    assert run_here(hire, "check", "orders")[0] == 0
    assert run_here(hire, "audit", "--today", "2026-05-04", "--severity", "warning")[0] == 0


def test_taxes_of_an_order_with_everything(hire):
    """Hire 180.00 + 1160.00 less 5 % + 320.00 = 1602.00; waiver 8 % of 1340.00 exempt; delivery 25.00 with the goods."""
    book = dokima.load(hire)
    order = book.price(hire / "orders" / "H-101.json")["H-101"]
    taxes = [(str(row.category), str(row.taxable), str(row.tax), row.reason) for row in order.tax_breakdown]
    assert taxes == [("E", "107.20", "0.00", "insurance"), ("S", "1627.00", "341.67", None)]
    assert [str(line.delivery) for line in order.lines] == ["2.71", "17.47", "4.82"]
    assert (order.totals.charges, order.totals.with_tax) == (D("132.20"), D("2075.87"))
    (row,) = order.instalments
    assert (row.early.discount, row.early.amount) == (D("41.52"), D("2034.35"))


def test_a_change_is_approved_by_who_may_and_comes_to_what_was_approved(hire):
    """A second excavator: 1102.00 hire, 92.80 waiver, 231.42 tax, and delivery shared anew."""
    book = dokima.load(hire)
    editor = book.edit(hire / "orders" / "H-101.json", by="Ada")
    editor.move_to("confirmed")
    change = book.change(editor.order, by="Ada", requested_by="the customer")
    change.edit("Ada").change_line(20, quantity=2)
    change.submit("Ada")
    ((_, moved),) = change.variance().totals().items()
    assert (moved["without_tax"].variance, moved["with_tax"].variance) == (D("1194.80"), D("1426.22"))
    with pytest.raises(dokima.Refused) as caught:
        change.approve("Ben", [editor.order])
    assert "Ben may approve changes up to 500.00; this one comes to 1426.22." in str(caught.value.findings[0].message)
    with pytest.raises(dokima.Refused) as caught:
        change.approve("Stranger", [editor.order])
    assert caught.value.findings[0].undecided
    done = change.approve("Maud", [editor.order])
    priced = [book.price(each)[each.number] for each in done.orders]
    assert sum(each.totals.with_tax for each in priced) == D("3502.09") + done.tax_rounding


def test_its_papers_in_two_languages(hire, tmp_path):
    status, out, _ = run_here(hire, "paper", "quotation", "orders/H-101.json", "--locale", "de_DE")
    assert status == 0
    assert [each for each in ("Mietangebot", "1.102,00", "Kaution von 415,17", "18.05.2026") if each not in out] == []
    assert [each for each in ("new hose", "earned", "21500") if each in out] == []
    inside = run_here(hire, "paper", "yard_sheet", "orders/H-101.json")[1]
    assert [each for each in ("new hose", "5.1") if each not in inside] == []


def test_its_specification_says_what_is_new(hire):
    status, _, _ = run_here(hire, "spec", "--out", "spec.md", "--today", "2026-05-04")
    told = (hire / "spec.md").read_text(encoding="utf-8")
    assert status == 0
    for sentence in (
        "Its amount has a tax of its own: 0 % of it, whatever its line is taxed with.",
        "It counts from 2026-01-01 to 2026-03-31, by the date of the order.",
        "It counts until 2026-06-30, by the date of the order.",
    ):
        assert sentence in told
