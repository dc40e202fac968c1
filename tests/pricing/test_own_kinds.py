"""A kind of step from outside: everything that asks a step what it is asks its kind, so one class is enough."""

import sys
from decimal import Decimal as D

import pytest

import dokima
from dokima.changes.ledger import ledger_of
from tests.books import definition, routine
from tests.shell import run_here


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
    assert "3. + deposit on crates deposit: each ware.deposit, units 2." in " ".join(dokima.report(book).text.split())
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


class OnTop(Deposit):
    """A deposit that no tax is taken of; what is split off by a change bears none of it."""

    name = "on_top"
    taxed = False

    def split(self, amount, quantities, places):  # noqa: ARG002
        return [amount, *(D(0) for _ in quantities[1:])]


def test_it_may_stand_outside_the_tax_base():
    """4 x 8.05 less 10 % is 28.98, taxed with 20 % (5.80); the deposit of 5.00 is paid, and not taxed: 39.78."""
    book = rules(kinds=[OnTop], kind="on_top")
    priced = book.price(ORDER)["A"]
    assert (priced.totals.without_tax, priced.totals.tax, priced.totals.with_tax) == (D("33.98"), D("5.80"), D("39.78"))
    assert [(row.taxable, row.tax) for row in priced.tax_breakdown] == [(D("28.98"), D("5.80"))]


def test_it_may_say_how_it_is_split():
    """6 panes: 7.50 of deposit were approved; by its own rule the original bears all of it, and its tax stays out."""
    book = rules(kinds=[OnTop], kind="on_top")
    change = book.change(ORDER, by="Ada")
    change.edit("Ada").change_line(10, quantity=6)
    change.submit("Ada")
    done = change.approve("Ben", [ORDER])
    parts = [book.price(order)[order.number].line(10) for order in done.orders]
    assert [(part.quantity, part.crates) for part in parts] == [(D(4), D("7.50")), (D(2), D("0.00"))]
    assert ledger_of(book.program, done.orders, [change]).is_balanced


def test_a_split_that_loses_something_is_refused():
    class Lost(Deposit):
        name = "lost"

        def split(self, amount, quantities, places):  # noqa: ARG002
            return [D(1) for _ in quantities]

    book = rules(kinds=[Lost], kind="lost")
    change = book.change(ORDER, by="Ada")
    change.edit("Ada").change_line(10, quantity=6)
    change.submit("Ada")
    with pytest.raises(dokima.Refused, match="cannot be settled: lost 7.5 was split into 1, 1"):
        change.approve("Ben", [ORDER])


KIND = """import dokima

TWICE = True


class Deposit(dokima.Charge):
    name = "deposit"
    settings = {"each": dokima.Setting("the deposit of one returnable unit", ("decimal", "integer"))}
    needs = "each"

    def exact(self, working):
        once = working["each"] * working.quantity
        return once + once if TWICE else once
"""
FOLDER = """[rulebook]
name = "crates"
currency = "EUR"
python = ["rules.py"]

[table.ware]
key = { item = "line.item" }
file = "ware.csv"

[[routine.sales.step]]
name = "price"
kind = "price"
options = [{ value = "ware.price" }]

[[routine.sales.step]]
name = "crates"
kind = "deposit"
each = "ware.deposit"
"""


def written(folder, python):
    (folder / "rulebook.toml").write_text(FOLDER)
    (folder / "ware.csv").write_text("item,price,deposit\nPANE,8.05,1.25\n")
    (folder / "order.json").write_text('{"number": "A", "lines": [{"item": "PANE", "quantity": 4}]}')
    (folder / "rules.py").write_text(python)
    return dokima.load(folder)


@pytest.mark.parametrize("place", ["in the file", "imported", "beside"])
def test_a_rulebook_in_a_folder_says_its_own(place, tmp_path, monkeypatch):
    """4 x 8.05 = 32.20 and 4 x 2 x 1.25 = 10.00 of deposit: 42.20, by every command and in other processes."""
    module = "kinds_of_a_test" if place == "imported" else "kinds_beside"
    if place == "imported":
        (tmp_path / "lib").mkdir()
        (tmp_path / "lib" / "kinds_of_a_test.py").write_text(KIND)
        monkeypatch.syspath_prepend(tmp_path / "lib")
    if place == "beside":
        (tmp_path / "kinds_beside.py").write_text(KIND)
    book = written(tmp_path, KIND if place == "in the file" else f"from {module} import Deposit\n")
    assert "kinds_beside" not in sys.modules
    orders = [dokima.Order(f"A{n}", lines=[{"item": "PANE", "quantity": 4}]) for n in range(3)]
    assert [order.totals.payable for order in book.price(orders, workers=2)] == [D("42.20")] * 3
    printed = {}
    for command in (
        ["price", "order.json"],
        ["explain", "order.json", "10"],
        ["store", "create", "--store", "sqlite:///orders.db"],
        ["store", "load", "order.json", "--store", "sqlite:///orders.db"],
        ["orders", "--store", "sqlite:///orders.db", "--format", "csv"],
        ["prove", "--suggest", "cases/first.toml"],
        ["prove", "--mutate"],
    ):
        status, printed[" ".join(command[:2])], _ = run_here(tmp_path, *command)
        assert status == 0, command
    assert "makes 42.20 EUR net" in printed["explain order.json"]
    assert "A,,,,,,draft,EUR,42.20,0.00,42.20" in printed["orders --store"]
    assert "6 cases suggested" in printed["prove --suggest"]
    assert book.program.fingerprint == dokima.load(tmp_path).program.fingerprint


def test_what_stands_beside_its_own_kind_is_part_of_the_fingerprint(tmp_path):
    before = written(tmp_path, KIND).program.fingerprint
    assert written(tmp_path, KIND.replace("True", "False")).program.fingerprint != before


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        ("return None", "step 'crates': expected numbers, one per line, from its kind 'deposit' (got None)"),
        ("return 1 / 0", "step 'crates': its kind 'deposit' failed: ZeroDivisionError: division by zero"),
        ("return working['ech']", "step 'crates': its kind 'deposit' failed: KeyError: 'ech'"),
    ],
)
def test_one_that_fails_is_a_mistake_of_the_rulebook(wrong, said, tmp_path):
    written(tmp_path, KIND.replace("return once + once if TWICE else once", wrong))
    assert run_here(tmp_path, "price", "order.json") == (2, "", f"error: {said}\n")
