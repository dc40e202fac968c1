"""The editor: what each operation asks, refuses, keeps and undoes."""

import datetime
from decimal import Decimal

import pytest

import dokima
from dokima.formats.json_files import json_text
from tests.books import DEMO, FIELDS, book, routine

D = Decimal
LAND = {"land": {"key": {"customer": "header.customer"}}}
ROWS = {"land": [{"customer": "A", "country": "NL"}, {"customer": "B", "country": "SE"}]}
RULES = [
    {
        "id": "sold-here", "at": "edit", "field": "line.item", "when": "line.item == 'PANE'",
        "require": "land.country in ['NL', 'BE']", "message": "{line.item} is not sold in {land.country}.",
    },
    {"id": "heavy", "at": "edit", "field": "weight", "require": "line.weight < 100 or line.fitted"},
    {"id": "step", "at": "enter", "when": "not line.is_new", "require": "line.quantity <= was.quantity * 2", "message": "From {was.quantity} to {line.quantity} is too much at once."},
    {"id": "first", "at": "enter", "when": "line.is_new", "require": "line.quantity <= 50"},
    {"id": "partner", "at": "remove", "when": "line.item == 'VENT'", "require": "not any(line.item == 'DAY')", "message": "Line {line.number} holds up a DAY line."},
    {"id": "large", "at": "save", "severity": "warning", "acknowledge": True, "require": "sum(line.quantity) < 40", "message": "{sum(line.quantity):2} pieces.", "help": "Ask the yard."},
    {"id": "closing", "at": "close", "require": "line.quantity > 0"},
    {"id": "position", "at": "save", "require": "line.position < 6"},
    {"id": "moved", "at": "enter", "require": "was_header.customer == header.customer or line.quantity < 30", "message": "Moving {line.quantity} pieces to another customer is not done."},
    {"id": "house", "at": "inspect", "require": "run.user == 'M' and run.today == date('2026-03-02')"},
]  # fmt: skip
BOOK = book(
    ROWS, header=FIELDS["header"], line={**FIELDS["line"], "family": {"default": "item.family"}, "note": {"default": "line.family"}},
    table=LAND, rule=RULES, routine=routine({"name": "price", "kind": "price", "options": [{"value": "item.list_price"}]}),
    rulebook={"name": "small", "currency": "EUR", "moments": ["inspect"]},
)  # fmt: skip


def editor(*lines: dict, customer: str = "A", **header) -> dokima.Editor:
    return BOOK.edit(
        dokima.Order("SQ-1", customer=customer, lines=lines, **header), by="M", today=datetime.date(2026, 3, 2)
    )


def refused(work, kind: type[Exception] = dokima.Refused) -> str:
    with pytest.raises(kind) as caught:
        work()
    return str(caught.value)


def test_a_rule_on_a_field_sees_the_header_and_is_asked_again_when_it_changes():
    """Silent for a customer who may buy it; changing the customer afterwards asks again."""
    edit = editor()
    edit.add_line(item="PANE", quantity=2)
    before = json_text(edit.order.to_dict())
    assert (
        refused(lambda: edit.change_header(customer="B"))
        == "change header is refused: line 10: PANE is not sold in SE."
    )
    assert json_text(edit.order.to_dict()) == before
    other = editor(customer="B")
    other.add_line(item="DAY", quantity=1)
    assert "PANE is not sold in SE" in refused(lambda: other.change_line(10, item="PANE"))
    unknown = editor(customer="C")
    assert "could not be decided: table land has no row that fits" in refused(
        lambda: unknown.add_line(item="PANE", quantity=1)
    )


def test_at_edit_an_unfinished_line_stays_silent_and_nowhere_else():
    """``fitted`` is not given yet: the rule on weight cannot be decided, and says nothing while the line is typed."""
    edit = editor()
    assert not edit.preview_line(weight=120)
    assert [f.rule for f in edit.preview_line(weight=120, fitted=False)] == ["heavy"]
    assert [f.rule for f in edit.preview_line(item="NONE", quantity=90)] == ["first"]
    assert edit.order.lines == []
    assert edit.journal == ()


def test_was_and_is_new_tell_adding_from_changing():
    edit = editor({"item": "PANE", "quantity": 10})
    assert refused(lambda: edit.add_line(item="PANE", quantity=51)).endswith("line 20: first does not hold.")
    assert refused(lambda: edit.change_line(10, quantity=21)).endswith("From 10 to 21 is too much at once.")
    edit.change_line(10, quantity=20)
    edit.change_line(10, quantity=40)
    assert "Moving 40 pieces" in refused(lambda: edit.change_header(customer="A2"))
    found = BOOK.check(dokima.Order("X", customer="A", lines=[{"item": "PANE", "quantity": 45}]), at="enter")
    assert not found  # loaded from a file there is no before: neither rule about it applies


def test_removing_sees_the_order_without_all_that_leave():
    edit = editor({"item": "VENT", "quantity": 1}, {"item": "DAY", "quantity": 1}, {"item": "PANE", "quantity": 1})
    assert refused(lambda: edit.remove_line(10)) == "remove line is refused: line 10: Line 10 holds up a DAY line."
    assert edit.remove_lines() == ["10", "20", "30"]  # the DAY line leaves as well
    edit.undo()
    edit.remove_line(20)
    edit.remove_line(10)
    assert [line.number for line in edit.order.lines] == ["30"]


def test_removing_a_parent_asks_its_sub_lines():
    lines = [
        {"number": "10"},
        {"number": "10/10", "item": "VENT", "quantity": 1},
        {"number": "20", "item": "DAY", "quantity": 1},
    ]
    edit = editor(*lines)
    assert "Line 10/10 holds up" in refused(lambda: edit.remove_line(10))
    assert edit.remove_lines(skip=True) == ["10", "10/10", "20"]
    edit.undo()
    assert "Line 10/10 holds up" in refused(lambda: edit.remove_lines(["10"]))
    assert edit.remove_lines(["20", 10]) == ["10", "10/10", "20"]  # sub-lines leave with their parent
    edit.undo()
    with pytest.raises(dokima.NotFound, match="order SQ-1 has no line 99"):
        edit.remove_lines([20, 99])
    assert edit.remove_lines(["10"], skip=True) == []  # its sub-line holds up line 20
    edit.add_line(number="30", item="VENT", quantity=1, delivered=1)
    assert "30: 1 are delivered already" in refused(edit.remove_lines)
    assert edit.remove_lines(skip=True) == ["10", "10/10", "20"]


def test_leave_alone_is_not_make_blank():
    edit = editor(
        {"number": 35, "item": "PANE", "quantity": 4, "colour": "red", "price_override": "40"},
        {"number": 70, "quantity": 1},
    )
    edit.change_line(35, quantity=5)
    assert edit.order.line(35).fields == {
        "number": "35", "item": "PANE", "quantity": D(5), "colour": "red", "price_override": D(40),
    }  # fmt: skip
    assert (edit.line(35).family, edit.line(35).note) == ("glazing", "glazing")
    edit.change_line(35, colour=None)
    assert edit.order.line(35)["colour"] is None


def test_a_new_item_draws_again_what_the_default_gave_and_keeps_what_was_typed():
    edit = editor()
    edit.add_line(item="PANE", quantity=1, note="mine", price_override=50)
    edit.change_line(10, item="VENT")
    assert (edit.line(10).family, edit.line(10).note, str(edit.line(10).price)) == ("vents", "mine", "50.00")
    edit.reprice_line(10)
    assert str(edit.line(10).price) == "129.90"
    edit.override_price(10, "12.50", "damaged", base=10)
    assert (str(edit.line(10).net), edit.line(10).override_reason) == ("1.25", "damaged")


def test_the_manual_price_beside_that_of_the_rulebook():
    """Both are shown before anything changes, and the journal keeps both."""
    edit = editor({"item": "PANE", "quantity": 4})
    assert edit.compare_price(10) == dokima.PriceComparison(None, None, D("48.50"))
    edit.override_price(10, "40", "last year's stock")
    assert edit.compare_price(10) == dokima.PriceComparison(D("40.00"), "last year's stock", D("48.50"))
    edit.reprice_line(10)
    assert str(edit.line(10).net) == "194.00"
    assert [str(entry) for entry in edit.journal] == [
        "override price: line 10, rulebook 48.5, manual 40, reason last year's stock",
        "reprice line: line 10, manual 40, rulebook 48.5",
    ]


def test_numbers_between_and_when_there_is_no_room():
    edit = editor({"item": "PANE", "quantity": 1}, {"item": "DAY", "quantity": 1})
    added = [edit.insert_line(before=20, item="DAY", quantity=1) for _ in range(3)]
    assert added == ["15", "17", "18"]
    assert edit.insert_line(after=20, item="DAY", quantity=1) == "30"
    assert "no room between 19 and 20" in refused(
        lambda: [edit.insert_line(before=20, item="DAY", quantity=1) for _ in range(2)]
    )
    assert edit.add_line(number="10/10", item="DAY", quantity=1) == "10/10"
    assert "is there already" in refused(lambda: edit.add_line(number=10, item="DAY", quantity=1))
    assert edit.renumber_lines() == {
        "10": "10",
        "10/10": "10/10",
        "15": "20",
        "17": "30",
        "18": "40",
        "19": "50",
        "20": "60",
        "30": "70",
    }
    refused(lambda: edit.add_line(number="99/10", item="DAY", quantity=1), dokima.DocumentError)


def test_a_warning_stops_until_it_is_accepted_and_comes_back_when_its_values_change():
    edit = editor({"item": "PANE", "quantity": 30}, {"item": "PANE", "quantity": 15})
    assert refused(edit.save) == "saving is refused: 45.00 pieces."
    (finding,) = edit.check()
    assert (finding.severity, finding.acknowledge, finding.help, finding.stops) == (
        "warning",
        True,
        "Ask the yard.",
        True,
    )
    edit.acknowledge(finding, "the yard knows", by="I. Marrow")
    saved = edit.save()
    kept = saved.header["acknowledgements"][0]
    assert (kept["rule"], kept["by"], kept["reason"], kept["digest"][:2], kept["time"][:2]) == (
        "large",
        "I. Marrow",
        "the yard knows",
        "2:",
        "20",
    )
    assert [f.accepted for f in BOOK.check(saved)] == ["I. Marrow: the yard knows"]
    saved.header["acknowledgements"] = [{**kept, "digest": "1" * 64}]
    (again,) = BOOK.check(saved)
    assert (again.accepted, again.stops) == ("", True)
    assert "accepted before, in the form of another version of Dokima, and must be accepted again" in again.help
    edit.renumber_lines()
    assert edit.save().number == "SQ-1"
    edit.change_line(20, quantity=16)
    assert refused(edit.save) == "saving is refused: 46.00 pieces."
    edit.change_line(20, quantity=15)
    edit.save()
    assert "cannot be accepted" in refused(lambda: edit.acknowledge(dokima.Finding("x", "error", "no"), "please"))


def test_states_of_orders_and_lines():
    edit = editor({"item": "PANE", "quantity": 1}, {"item": "DAY", "quantity": 1})
    edit.close_line(10)
    assert "line 10 must be reopened first" in refused(lambda: edit.change_line(10, quantity=2), dokima.Locked)
    assert "line 10 must be reopened first" in refused(edit.remove_lines, dokima.Locked)
    edit.reopen_line(10)
    edit.change_line(10, quantity=2)
    assert "an order that is draft cannot become finished; it can become confirmed, cancelled" in refused(
        lambda: edit.move_to("finished"), dokima.Locked
    )
    edit.move_to("confirmed")
    edit.close_lines([10])
    assert edit.state == "confirmed"
    edit.close_lines()
    assert edit.state == "finished"
    assert "is finished, and that does not permit closing" in refused(lambda: edit.reopen_line(10), dokima.Locked)
    edit.undo()
    assert edit.state == "confirmed"
    refused(lambda: edit.move_to("opne"), dokima.NotFound)
    assert "it changes by close_line() and reopen_line()" in refused(lambda: edit.change_line(20, state="closed"))


def test_payments_lock_the_order_and_deliveries_complete_it():
    edit = editor({"item": "PANE", "quantity": 2, "delivered": 1})
    assert refused(lambda: edit.change_line(10, quantity="0.5")).endswith(
        "1 are delivered already; the quantity cannot be 0.5."
    )
    assert "1 are delivered already" in refused(lambda: edit.remove_line(10))
    edit.move_to("confirmed")
    edit.record_delivery("F1", "planned")
    edit.record_delivery("F2", "planned")
    edit.record_payment("97.00", date="2026-03-03")
    assert (edit.state, str(edit.totals.prepaid), str(edit.totals.payable)) == ("confirmed", "97.00", "0.00")
    assert "only a change order may change it" in refused(lambda: edit.change_line(10, quantity=3), dokima.Locked)
    edit.record_delivery("F1", "delivered")
    assert edit.state == "confirmed"
    edit.record_delivery("F2", "failed")
    assert (edit.state, len(edit.order.header["deliveries"])) == ("finished", 2)


def test_an_operation_given_twice_happens_once():
    edit = editor()
    numbers = [edit.add_line(item="PANE", quantity=1, operation="op-1") for _ in range(2)]
    assert (numbers, len(edit.order.lines), len(edit.journal)) == (["10", "10"], 1, 1)
    refused(lambda: edit.add_line(item="PANE", quantity=60, operation="op-2"))
    assert edit.add_line(item="PANE", quantity=6, operation="op-2") == "20"  # refused is not spent
    edit.insert_line(before=20, item="DAY", quantity=1, operation="op-3")
    assert edit.insert_line(before=20, item="DAY", quantity=1, operation="op-3") == "15"
    for work in (edit.close_lines, edit.renumber_lines):
        for _ in range(2):
            work(operation=work.__name__)
    assert [entry.action for entry in edit.journal] == [
        "add_line",
        "add_line",
        "insert_line",
        "close_lines",
        "renumber_lines",
    ]


def test_refusals_name_everything_and_leave_no_trace():
    edit = editor()
    with pytest.raises(
        dokima.DocumentError, match="quantty: expected a known line field .got 'quantty'; did you mean 'quantity'"
    ):
        edit.add_line(item="PANE", quantty=1)
    with pytest.raises(dokima.DocumentError, match="boxes: expected a whole number .got 1.5"):
        edit.add_line(item="PANE", quantity=1, boxes="1.5")
    refused(lambda: edit.add_line(item="NONE", quantity=60))
    assert (edit.order.lines, edit.journal, edit.undo()) == ([], (), False)
    refused(lambda: edit.change_line(10, quantity=1), dokima.NotFound)
    refused(lambda: edit.add_line(number="x", quantity=1), dokima.NotFound)
    edit.add_line(item="PANE", quantity=3)
    entry = edit.journal[0]
    assert (entry.by, str(entry), entry.time.tzinfo) == (
        "M",
        "add line: line 10, fields item = PANE, quantity = 3",
        datetime.UTC,
    )


def test_moments_of_a_rulebook_and_the_run():
    assert not editor({"quantity": 1, "item": "DAY"}).check("inspect")
    assert [f.rule for f in BOOK.check(dokima.Order("A"), at="inspect", by="X")] == ["house"]
    with pytest.raises(dokima.NotFound, match="there is no moment 'inspct'; did you mean 'inspect'"):
        BOOK.check(dokima.Order("A"), at="inspct")


def test_editing_what_came_from_a_file_keeps_blank_and_absent_apart(tmp_path):
    (tmp_path / "a.json").write_text(
        '{"number": "A", "customer": "A", "lines": [{"item": "PANE", "quantity": 1, "note": null}, {"item": "DAY", "quantity": 1}]}'
    )
    edit = BOOK.edit(tmp_path / "a.json", by="M")
    edit.change_line(10, quantity=2)
    edit.change_line(20, quantity=2)
    assert [(line.get("note", "absent"), line.get("family")) for line in edit.order.lines] == [
        (None, None),
        ("absent", None),
    ]
    assert [(edit.line(number).note, edit.line(number).family) for number in (10, 20)] == [
        (None, "glazing"),
        ("services", "services"),
    ]
    with pytest.raises(dokima.DocumentError, match="expected one order to edit .got 11"):
        dokima.load(DEMO).edit(DEMO / "orders", by="M")


def test_states_of_a_rulebooks_own():
    states = {
        "order": {
            "new": {"to": ["sent"], "permits": ["lines"]},
            "sent": {"to": ["new"], "permits": ["records"], "asks": "approve"},
        },
        "finished": "sent",
        "change_when_paid": True,
    }
    own = book(states=states, rule=[{"id": "some", "at": "approve", "require": "count() > 0", "message": "Empty."}])
    edit = own.edit(dokima.Order("A"), by="M")
    assert "Empty." in refused(lambda: edit.move_to("sent"))
    edit.add_line(item="PANE", quantity=1)
    assert "does not permit changing the header" in refused(lambda: edit.change_header(customer="X"), dokima.Locked)
    edit.move_to("sent")
    assert "does not permit changing lines" in refused(lambda: edit.add_line(item="PANE", quantity=1), dokima.Locked)
    with pytest.raises(dokima.RulebookError, match="expected 'new' to lead to states that are there .got 'gone'"):
        book(states={"order": {"new": {"to": ["gone"]}}, "finished": "new"})


def test_a_line_is_copied_with_its_sub_lines_and_nothing_that_happened_to_it():
    """What was delivered, closed or stated stays behind; a default is drawn anew, what was typed goes along."""
    rules = book(line={"kilos": {"kind": "decimal", "default": "line.quantity * 2"}})
    lines = [
        {"item": "VENT", "quantity": 3, "delivered": 2, "state": "closed", "unit_price": "1", "due_date": "2026-05-11"},
        {"number": "20", "description": "a set"},
        {"number": "20/10", "item": "PANE", "quantity": 4, "kilos": 7},
        {"number": "20/20", "item": "VENT", "quantity": 1},
    ]
    edit = rules.edit(dokima.Order("A", lines=lines), by="M")
    assert edit.copy_line(10, quantity=5, operation="op") == "30" == edit.copy_line(10, quantity=5, operation="op")
    assert edit.order.line("30").fields == {
        "number": "30", "item": "VENT", "quantity": 5, "due_date": datetime.date(2026, 5, 11), "kilos": 10,
        "drawn": ["kilos"],
    }  # fmt: skip
    assert edit.copy_line(20) == "40"
    assert [(line.number, line.get("item"), line.get("kilos")) for line in edit.order.lines[-3:]] == [
        ("40", None, None), ("40/10", "PANE", 7), ("40/20", "VENT", 2),
    ]  # fmt: skip
    assert edit.copy_line("20/10") == "20/30"
    assert edit.journal[-1].details == {"line": "20/30", "from": "20/10", "fields": {}}
    assert "has no line 90" in refused(lambda: edit.copy_line(90), dokima.NotFound)
