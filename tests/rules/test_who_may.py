"""Tables found by ``run.user``: what a person may, read by rules of every moment and by nothing that makes a figure."""

import pytest

import dokima
from tests.books import book, routine

ROWS = [
    {"user": "ann", "limit": "5000.00", "currency": "EUR", "role": "manager"},
    {"user": "ben", "limit": "100.00", "currency": "USD", "role": "clerk"},
]
APPROVER = {"key": {"user": "run.user"}, "columns": {"limit": {"kind": "decimal"}}}
LIMIT = {
    "id": "limit", "at": ["save", "approve"], "require": "header.with_tax <= approver.limit",
    "message": "{approver.role} up to {approver.limit}",
}  # fmt: skip


def tried(*rules, table=APPROVER, rows=ROWS, **more):
    return book(
        table={"approver": table}, tables={"approver": rows}, routine=routine({"name": "vat", "kind": "tax", "percent": "21"}),
        rule=list(rules), **more,
    )  # fmt: skip


def asked(book_, by, quantity="100", **header):
    order = dokima.Order("A", lines=[{"quantity": quantity}], **header)
    return [(each.rule, each.severity, each.message) for each in book_.check(order, "save", by=by)]


def test_each_person_has_a_limit_of_his_own():
    """100.00 with 21 % tax is 121.00: ann may, ben may not."""
    assert asked(tried(LIMIT), "ann") == []
    assert asked(tried(LIMIT), "ben") == [("limit", "error", "clerk up to 100")]


@pytest.mark.parametrize("by", ["", "eve"])
def test_whoever_has_no_name_or_no_row_is_refused(by):
    ((rule, severity, message),) = asked(tried(LIMIT), by)
    assert (rule, severity, "approver" in message) == ("limit", "error", True)


def test_every_order_of_a_batch_is_asked_with_the_same_person():
    orders = [dokima.Order(str(n), lines=[{"quantity": 40 * n}]) for n in range(1, 5)]
    found = tried(LIMIT).check(orders, "save", by="ben")
    assert [each.order for each in found] == ["3", "4"]  # 145.20 and 193.60


def test_a_rule_says_what_to_do_with_another_currency():
    own = {
        "id": "own",
        "at": "save",
        "require": "approver.currency == header.currency",
        "message": "not in {approver.currency}",
    }
    assert asked(tried(own), "ben", currency="EUR") == [("own", "error", "not in USD")]
    assert asked(tried(own), "ann", currency="EUR") == []


@pytest.mark.parametrize(
    ("more", "message"),
    [
        ({"header": {"most": {"kind": "decimal", "default": "approver.limit"}}}, "header.most.default"),
        ({"header": {"most": {"kind": "decimal", "value": "approver.limit"}}}, "header.most.value"),
        ({"routine": routine({"name": "fee", "kind": "charge", "amount": "approver.limit", "over": "order"})},
         "routine.sales.step.fee.amount"),
        ({"routine": routine({"name": "share", "kind": "figure", "value": "approver.limit"})}, "routine.sales.step.share.value"),
        ({"table": {"other": {"key": {"role": "approver.role"}}}}, "table.other.key.role"),
    ],
)  # fmt: skip
def test_nothing_that_makes_a_figure_reads_it(more, message):
    tables = {"approver": ROWS, "other": [{"role": "clerk"}]}
    sections = {**more, "table": {"approver": APPROVER, **more.get("table", {})}}
    with pytest.raises(dokima.RulebookError, match=f"{message}: (.|\n)*found by run.user, so only rules may read it"):
        book(tables=tables, **sections)


def test_the_day_still_finds_no_row():
    with pytest.raises(dokima.RulebookError, match="rules and defaults may read run.today and run.user"):
        tried(table={"key": {"user": "run.user"}, "window": {"from": "since", "on": "run.today"}},
              rows=[{**row, "since": "2026-01-01"} for row in ROWS])  # fmt: skip


@pytest.mark.parametrize("required", [True, "header.currency == 'EUR'"])
def test_no_price_waits_for_a_row_of_whoever_asks(required):
    with pytest.raises(
        dokima.RulebookError, match="table.approver.required: prices ask for required rows, and none may"
    ):
        tried(LIMIT, table={**APPROVER, "required": required})
    with pytest.raises(dokima.RulebookError, match="table.item.required: prices ask for required rows, and none may"):
        book(table={"item": {"key": {"item": "line.item"}, "required": "run.user == 'ann'"}})


def test_two_rows_for_one_person_do_not_load():
    with pytest.raises(dokima.RulebookError, match="expected each key once"):
        tried(LIMIT, rows=[*ROWS, ROWS[0]])


def test_approving_a_change_asks_with_its_amounts(tmp_path):
    """40 more at 1.00 and 21 %: the variance is 48.40, the amended total 169.40."""
    rules = (
        {"id": "change", "at": "approve", "require": "variance.with_tax <= approver.limit / 2", "message": "over half"},
        {**LIMIT, "at": "approve"},
    )
    book_ = tried(*rules, rows=[*ROWS, {"user": "cat", "limit": "96.79", "currency": "EUR", "role": "clerk"},
                                {"user": "dan", "limit": "169.40", "currency": "EUR", "role": "lead"}])  # fmt: skip
    with dokima.create_store(f"sqlite:///{tmp_path}/a.db", book_) as store:
        store.save(dokima.Order("A", state="confirmed", date="2026-03-02", lines=[{"quantity": 100}]), "ann")
        number = store.open_change("A", "ann").number
        store.update_change(number, "ann", lambda change: change.edit("ann").change_line(10, quantity=140))
        store.update_change(number, "ann", lambda change: change.submit("ann"))
        for by, rules_ in (("ben", {"limit"}), ("cat", {"change", "limit"}), ("", {"change", "limit"})):
            with pytest.raises(dokima.Refused) as refused:
                store.approve(number, by)
            assert {each.rule for each in refused.value.findings} == rules_
        assert [each.number for each in store.approve(number, "dan").orders] == ["A"]
