"""Agreed terms: what an order keeps once it leaves draft."""

import json
from decimal import Decimal as D
from pathlib import Path

import pytest

import dokima
from tests.books import DEMO, book, routine

HEADER = {"kind": "sales", "customer": "C1", "date": "2026-03-02", "currency": "EUR"}


def _book(price="10.00", percent="5", freight="1.5", reprice_on=("item", "unit"), extra=()):
    tables = {
        "special": [{"item": "A", "price": price}, {"item": "B", "price": "3"}, {"item": "C", "price": "8"}],
        "rebate": [{"customer": "C1", "percent": percent}],
        "scale": [{"item": "S", "from": 0, "price": "5"}, {"item": "S", "from": 10, "price": price}],
    }
    steps = [
        {"name": "price", "kind": "price", "options": [{"amount": "scale.amount"}, {"value": "special.price"}]},
        {"name": "rebate_step", "kind": "discount", "percent": "rebate.percent"},
        {"name": "freight", "kind": "charge", "amount": f"line.quantity * {freight}"},
        *extra,
    ]
    return book(
        table={
            "special": {"key": {"item": "line.item"}},
            "rebate": {"key": {"customer": "header.customer"}},
            "scale": {"key": {"item": "line.item"}, "breaks": {"from": "line.quantity"}, "graduated": True},
        },
        tables=tables,
        terms={"reprice_on": list(reprice_on)},
        routine=routine(*steps),
    )


def _opened(rules, *lines, **header):
    editor = rules.edit(dokima.Order("O", lines=list(lines), **{**HEADER, **header}), by="Ada")
    editor.move_to("confirmed")
    return editor.order


def test_a_corrected_table_row_does_not_move_an_open_order():
    order = _opened(_book(), {"item": "A", "quantity": "3"})
    # 3 x 10.00 = 30.00; less 5 % = 28.50; and 4.50 of freight.
    assert _book().price(order)["O"].totals.without_tax == D("33.00")
    dearer = _book(price="12.00", percent="0")
    assert dearer.price(order)["O"].totals.without_tax == D("33.00")
    assert not dearer.price(order).findings
    draft = dokima.Order.from_dict({**order.to_dict(), "state": "draft"})
    assert dearer.price(draft)["O"].totals.without_tax == D("40.50")
    answer = dearer.explain(order, 10).step("price").answers[-1]
    assert (answer.agreed["price"], answer.cells["price"]) == (D("10"), D("12"))
    assert answer.agreed_place == "row 2"


def test_answers_are_kept_through_json_and_changes_of_quantity():
    order = _opened(_book(), {"item": "A", "quantity": "3"}, {"item": "S", "quantity": "12"})
    again = dokima.Order.from_dict(json.loads(json.dumps(order.to_dict(), default=str)))
    dearer = _book(price="99", percent="50")
    editor = dearer.edit(again, by="Ben")
    # The graduated price keeps its bands: 10 x 5.00 + 4 x 10.00 = 90.00, less the 5 % agreed, and freight of 21.00.
    editor.change_line(20, quantity=14)
    assert editor.line(20).net == D("106.50")
    # Lines that come in later take the answers of their day, and keep those from then on.
    editor.add_line(item="A", quantity=1)
    assert editor.line(30).price == D("99")
    later = _book(price="1").price(editor.order)["O"]
    assert (later.line(10).price, later.line(20).net, later.line(30).price) == (D("10"), D("106.50"), D("99"))


def test_a_change_of_item_and_repricing_look_up_afresh():
    order = _opened(_book(), {"item": "A", "quantity": "3"}, {"item": "A", "quantity": "1"})
    editor = _book(price="12.00").edit(order, by="Ben")
    editor.change_line(10, item="B")
    assert (editor.line(10).price, editor.line(20).price) == (D("3"), D("10"))
    editor.override_price(20, "11.00", "fair")
    beside = editor.compare_price(20)
    assert (beside.manual, beside.agreed, beside.rulebook) == (D("11.00"), D("10"), D("12"))
    line = editor.order.line(20)
    assert (line["override_reason"], line["override_by"], line["override_time"][:2]) == ("fair", "Ben", "20")
    editor.reprice_line(20)
    assert editor.line(20).price == D("12")
    assert _book(price="50").price(editor.order)["O"].line(20).price == D("12")


def test_a_header_field_may_call_for_new_prices():
    rules = _book(reprice_on=("item", "header.date"))
    order = _opened(rules, {"item": "A", "quantity": "3"})
    dearer = _book(price="12.00", reprice_on=("item", "header.date"))
    editor = dearer.edit(order, by="Ben")
    editor.change_header(ship_to="elsewhere")
    assert editor.line(10).price == D("10")
    editor.change_header(date="2026-04-01")
    assert editor.line(10).price == D("12")


@pytest.mark.parametrize(
    ("changed", "step", "said"),
    [
        ({"freight": "2"}, "freight", "freight 4.50 was agreed; the formulas of today give 6.00"),
        (
            {"extra": [{"name": "toll", "kind": "charge", "amount": "1"}]},
            "toll",
            "toll 0.00 was agreed; the formulas of today give 1.00",
        ),
    ],
)
def test_other_formulas_are_a_finding_and_not_a_new_price(changed, step, said):
    order = _opened(_book(), {"item": "A", "quantity": "3"})
    found = _book(**changed).price(order)
    assert found["O"].totals.without_tax == D("33.00")
    (finding,) = found.findings
    assert (finding.rule, finding.line, finding.field, finding.message) == ("agreed-terms", "10", step, said)


def test_a_row_that_is_gone_is_not_missed():
    order = _opened(_book(), {"item": "C", "quantity": "2"})
    bare = {"special": [{"item": "A", "price": "1"}], "rebate": [], "scale": []}
    table = {
        "special": {"key": {"item": "line.item"}, "required": True},
        "rebate": {"key": {"customer": "header.customer"}, "required": True},
        "scale": {"key": {"item": "line.item"}, "breaks": {"from": "line.quantity"}, "graduated": True},
    }
    columns = {"rebate": {"customer": {}, "percent": {"kind": "decimal"}}}
    steps = [
        {"name": "price", "kind": "price", "options": [{"value": "special.price"}]},
        {"name": "rebate_step", "kind": "discount", "percent": "rebate.percent if found(rebate) else 0"},
        {"name": "freight", "kind": "charge", "amount": "line.quantity * 1.5"},
    ]
    table["rebate"]["columns"] = columns["rebate"]
    del table["scale"], bare["scale"]
    found = book(table=table, tables=bare, routine=routine(*steps)).price(order)
    assert not found.findings
    assert found["O"].totals.without_tax == D("18.20")


def test_the_demo_keeps_rows_and_fingerprint(tmp_path: Path):
    rules = dokima.load(DEMO)
    editor = rules.edit(DEMO / "orders" / "SQ-2041.json", by="Ada")
    editor.move_to("confirmed")
    kept = {record["line"]: record for record in editor.order.header["terms"]}
    assert kept["10"]["rows"]["agreed"] == "tables/agreed_prices.csv row 6"
    assert kept["10"]["figures"]["goods"] == "1593"
    assert kept[""]["rulebook"] == rules.program.fingerprint == dokima.load(DEMO).program.fingerprint
    edited = tmp_path / "agreed.csv"
    text = (DEMO / "tables" / "agreed_prices.csv").read_text()
    edited.write_text(text.replace("44.25", "49.99"))
    other = dokima.load(DEMO, tables={"agreed": edited})
    assert other.program.fingerprint != rules.program.fingerprint
    assert other.price(editor.order)["SQ-2041"].totals == rules.price(editor.order)["SQ-2041"].totals
    said = other.explain(editor.order, 10, "price").steps[0].answers[0]
    assert (said.agreed["price"], said.agreed_place) == (D("44.25"), "tables/agreed_prices.csv row 6")


def test_terms_of_another_form_are_told():
    """What another version of Dokima wrote is not read as if this one had."""
    order = _opened(_book(), {"item": "A", "quantity": "3"})
    order.header["terms"][0]["form"] = 1
    (problem,) = _book().orders(order).problems
    assert "expected agreed terms of form 2 (got form 1): another version of Dokima wrote them" in problem.message


@pytest.mark.parametrize(
    ("damage", "message"),
    [
        ({"figures": {"freight": "4,50"}}, "freight: expected a number such as 44.25"),
        ({"figures": ["4.50"]}, "expected 'figures' as a mapping"),
        ({"answers": {"scale.amount": [["0", "x", "1"]]}}, "scale.amount band 0: expected a number"),
        ({"answers": {"scale.amount": ["0"]}}, "answers.scale.amount: expected bands of a break, a price and its base"),
    ],
)
def test_terms_that_were_damaged_are_a_problem_of_the_document(damage, message):
    """The order is set aside with the place named; nothing is priced from half of its terms."""
    order = _opened(_book(), {"item": "A", "quantity": "3"})
    order.header["terms"][1] |= damage
    (problem,) = _book().orders(order).problems
    assert (problem.order, problem.field) == ("O", "terms")
    assert message in problem.message
