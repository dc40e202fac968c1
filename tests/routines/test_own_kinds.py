"""A kind of step from outside: everything that asks a step what it is asks its kind, so one class is enough."""

from decimal import Decimal as D

import pytest

import dokima
from dokima.changes.ledger import ledger_of
from tests.books import definition, routine


class Deposit(dokima.Charge):
    """A deposit for each returnable unit, so many of which come with one unit of the line."""

    name = "deposit"
    settings = {
        "each": dokima.Setting("the deposit of one returnable unit", ("decimal", "integer")),
        "units": dokima.Setting("returnable units that come with one of the line", ("decimal", "integer")),
        "when": dokima.Setting("where it applies", ("flag",)),
    }
    needs = "each"

    def exact(self, working):
        per_line = working["each"] * working.quantity
        return per_line * working["units"] if "units" in working else per_line


def rules(kinds=(Deposit,), settle="split", **deposit):
    step = {"name": "crates", "kind": "deposit", "each": "ware.deposit", "label": "deposit on crates", **deposit}
    data = definition(
        table={"ware": {"key": {"item": "line.item"}}},
        changes={"settle": settle},
        routine=routine(
            {"name": "price", "kind": "price", "options": [{"value": "ware.price"}]},
            {"name": "off", "kind": "discount", "percent": "10"},
            step,
            {"name": "vat", "kind": "tax", "percent": "20"},
        ),
    )
    wares = [{"item": "PANE", "price": "8.05", "deposit": "1.25"}, {"item": "CLIP", "price": "3", "deposit": None}]
    tables = {"item": [{"item": "PANE"}], "rate": [{"tax_class": "a", "percent": 1}], "ware": wares}
    data["table"] = {"ware": data["table"]["ware"]}
    return dokima.Rulebook.from_dict(data, tables={"ware": tables["ware"]}, kinds=kinds)


ORDER = dokima.Order("A", state="confirmed", lines=[{"item": "PANE", "quantity": 4}])


def test_it_prices_explains_and_is_described():
    """4 x 8.05 = 32.20, less 3.22, and 4 x 2 x 1.25 = 10.00 of deposit: 38.98; 20 % of that is 7.80."""
    book = rules(units="2")
    many = [dokima.Order(f"A{n}", lines=[{"item": "PANE", "quantity": 4}]) for n in range(3)]
    for order in [*book.price(many, workers=2), book.price(ORDER)["A"]]:
        line = order.lines[0]
        assert (line.off, line.crates, line.without_tax, order.totals.with_tax) == (
            D("3.22"),
            D("10.00"),
            D("38.98"),
            D("46.78"),
        )
    step = book.explain(ORDER, 10).step("crates")
    assert (step.value, step.symbol, step.counted["each"]) == (D("10.00"), "+", "1.25")
    assert [answer.table for answer in step.answers] == ["ware"]
    assert "3. + deposit on crates: deposit: each ware.deposit, units 2" in dokima.report(book).text
    text = dokima.report(book.price(ORDER)).text
    assert "+\u00a0deposit" in text
    assert "10.00" in text
    unknown = book.price(dokima.Order("B", lines=[{"item": "CLIP", "quantity": 1}]))
    assert [finding.message for finding in unknown.findings] == [
        "no deposit on crates: table ware has a row that fits, but no deposit in it"
    ]


def test_it_settles_and_the_ledger_balances():
    """4 to 6 panes: the supplement bears the deposit of its 2 (2.50), shared as the rest is; together 7.50."""
    book = rules()
    change = book.change(ORDER, by="Ada")
    change.edit("Ada").change_line(10, quantity=6)
    change.submit("Ada")
    assert change.variance().totals()["A"]["crates"].variance == D("2.50")
    done = change.approve("Ben", [ORDER])
    parts = [book.price(order)[order.number].line(10).crates for order in done.orders]
    assert parts == [D("5.00"), D("2.50")]
    assert ledger_of(book.program, done.orders, [change]).is_balanced
    assert "deposit on crates" in dokima.report(book.explain(done.orders[1], 10)).text


def test_its_settings_are_checked_and_its_source_is_part_of_the_rulebook():
    class Other(Deposit):
        """The same, said in another class."""

    for wrong, said in (
        ({"eech": "1"}, "crates.eech: expected a known key .got 'eech'; did you mean 'each'"),
        ({"percent": "5"}, "crates.percent: a deposit step takes each, units, when .got 'percent'"),
        ({"each": None}, "crates: a deposit step needs 'each'|crates.each: a deposit step needs 'each'"),
        ({"units": "ware.nothing"}, "crates.units: table 'ware' has no column 'nothing'"),
        ({"units": 0.5}, "expected an exact number, as text or Decimal .got the binary float 0.5"),
    ):
        with pytest.raises(dokima.RulebookError, match=said):
            rules(**wrong)
    kinds = "price, discount, charge, subtotal, figure, tax, advance"
    with pytest.raises(dokima.RulebookError, match=f"crates.kind: expected a kind of step: {kinds} .got 'deposit'"):
        rules(kinds=())
    assert rules().program.fingerprint == rules().program.fingerprint != rules(kinds=[Other]).program.fingerprint
