"""``header.is_new``: whether an order has ever been saved."""

import pytest

import dokima
from tests.books import book, routine

RULES = [
    {"id": "first", "at": "save", "when": "header.is_new", "require": "not blank(header.customer)", "message": "Who?"},
    {"id": "note", "at": "save", "require": "not header.is_new", "severity": "warning", "acknowledge": True,
     "message": "A new order."},
]  # fmt: skip


@pytest.mark.parametrize(("revision", "is_new"), [(None, True), ("", True), (0, True), (1, False), (7, False)])
def test_an_order_is_new_until_it_has_a_revision(revision, is_new):
    found = book(rule=RULES).check(dokima.Order("A", revision=revision, lines=[{"quantity": 1}]), "save")
    assert {each.rule for each in found} == ({"first", "note"} if is_new else set())


def test_each_order_of_a_batch_is_asked_by_itself():
    orders = [dokima.Order(str(n), revision=n % 2, lines=[{"quantity": 1}]) for n in range(6)]
    found = book(rule=RULES).check(orders, "save")
    assert {each.order for each in found if each.rule == "first"} == {"0", "2", "4"}


def test_what_a_store_saves_is_new_once(tmp_path):
    book_ = book(rule=RULES[:1])
    with dokima.create_store(f"sqlite:///{tmp_path}/a.db", book_) as store:
        with pytest.raises(dokima.Refused, match="A cannot be saved"):
            store.save(dokima.Order("A", lines=[{"quantity": 1}]), "ann")
        saved = store.save(dokima.Order("A", customer="C", lines=[{"quantity": 1}]), "ann")
        saved.header["customer"] = None
        assert store.save(saved, "ann").header["revision"] == 2


def test_an_accepted_warning_about_a_new_order_holds_for_the_saved_one():
    """Its digest does not read what saving alone changes."""
    rule = {**RULES[1], "require": "header.is_new and blank(header.customer)", "message": "Somebody known."}
    tried = book(rule=[rule])
    editor = tried.edit(dokima.Order("A", customer="C", lines=[{"quantity": 1}]), "ann")
    (finding,) = editor.check("save")
    editor.acknowledge(finding, "as agreed")
    accepted = editor.order
    assert not tried.check(accepted, "save").stopping
    accepted.header["revision"] = 1
    assert not tried.check(accepted, "save").stopping


def test_no_step_reads_it_and_no_field_is_called_so():
    step = {"name": "fee", "kind": "charge", "amount": "5 if header.is_new else 0", "over": "order"}
    with pytest.raises(dokima.RulebookError, match="only rules and defaults may read it"):
        book(routine=routine(step))
    for level, name in (("header", "is_new"), ("line", "is_new"), ("line", "position"), ("line", "is_parent")):
        with pytest.raises(dokima.RulebookError, match=f"formulas read {level}.{name} as something that is known"):
            book(**{level: {name: {"kind": "flag"}}})


@pytest.mark.parametrize("kind", ["text", "date", "flag"])
def test_a_revision_is_a_number(kind):
    with pytest.raises(
        dokima.RulebookError, match=f"header.revision: a store counts it up: expected a number .*{kind}"
    ):
        book(header={"revision": {"kind": kind}})
    found = book(header={"revision": {"kind": "decimal"}}, rule=RULES[:1]).check(
        dokima.Order("A", revision="1"), "save"
    )
    assert list(found) == []


def test_a_default_reads_it():
    given = [dokima.Order("A"), dokima.Order("B", revision=3)]
    rule = {"id": "told", "at": "save", "require": "header.stage == 'first'"}
    found = book(header={"stage": {"default": "'first' if header.is_new else 'later'"}}, rule=[rule])
    assert [bool(found.check(each, "save")) for each in given] == [False, True]
