"""Changes that nobody could tell: proved equivalent by the values that a field can have."""

from decimal import Decimal

import pytest

import dokima
from dokima.proving.equivalence import normal_form
from tests.proving.test_cases import case, small

D = Decimal


@pytest.mark.parametrize(
    ("one", "two", "same"),
    [
        ("line.quantity > 0.5", "line.quantity >= 0.5", True),  # whole pieces: 0.5 is none
        ("line.quantity > 1", "line.quantity >= 2", True),
        ("line.quantity > 1", "line.quantity >= 1", False),
        ("0.5 < line.quantity", "1 <= line.quantity", True),
        ("line.quantity < -0.5", "line.quantity < 0", True),
        ("line.quantity == 0.5", "line.quantity == 0.6", True),  # neither is ever so
        ("line.quantity == 1", "line.quantity == 1.0", True),
        ("line.weight > 0.125", "line.weight > 0.126", False),
        ("line.weight > 0.1251", "line.weight > 0.1259", True),  # three places
        ("line.free > 0.1251", "line.free > 0.1259", False),  # as many places as anybody likes
        ("line.quantity * 2 > 1", "line.quantity * 2 >= 1", False),
        ("line.free == 0.12345678901234567891", "line.free == 0.12345678901234567892", False),
    ],
)
def test_comparisons_that_say_the_same_of_every_value_of_a_field(one, two, same):
    fields = {"quantity": {"kind": "integer"}, "weight": {"places": 3}, "free": {"kind": "decimal"}}
    rules = [{"id": name, "at": "save", "require": f} for name, f in (("one", one), ("two", two))]
    ruled = dokima.Rulebook.from_dict({"rulebook": {"name": "small"}, "line": fields, "rule": rules})
    program = ruled.program
    forms = [normal_form(program, rule.require.root) for rule in program.rules if rule.id in ("one", "two")]
    assert (forms[0] == forms[1]) == same
    lines = [(D(n) / 1000, n // 1000) for n in range(-2500, 2600, 125)]
    if same:  # and so does the engine
        orders = [{"number": f"A{at}", "lines": [{"quantity": whole, "weight": str(weight), "free": str(weight)}]}
                  for at, (weight, whole) in enumerate(lines)]  # fmt: skip
        findings = ruled.check([dokima.Order.from_dict(each) for each in orders], at="save")
        refused = [{each.order for each in findings if each.rule == rule} for rule in ("one", "two")]
        assert refused[0] == refused[1]


def test_a_slip_that_no_value_can_tell_is_proved_equivalent(tmp_path):
    folder = small(tmp_path, case('payable = "10.00"'))
    book = folder / "rulebook.toml"
    text = book.read_text().replace("line.quantity >= 5", "line.quantity > 4.5")
    book.write_text(text + '\n[line.quantity]\nkind = "integer"\n')
    score = dokima.CaseFolder(folder).mutate()
    survivors = [each.mutant.words for each in score.survivors]
    assert score.equivalent == 2  # `>=`, and 4.6
    assert not any("4.5" in str(each) for each in survivors)


def test_a_row_that_can_never_win_is_no_matter(tmp_path):
    # Row 3 is dearer than row 2 wherever it fits; a cent less or more changes nothing.
    table = """
[table.deal]
file = "deals.csv"
match = { item = "line.item" }
choose = ["lowest price"]
columns.price = { kind = "decimal", places = 2 }
"""
    folder = small(tmp_path, case('payable = "8.00"'))
    book = folder / "rulebook.toml"
    book.write_text(book.read_text().replace("item.price", "deal.price") + table)
    (folder / "deals.csv").write_text("item,price\nA,2.00\nA,3.00\nB,9.00\n")
    score = dokima.CaseFolder(folder).mutate(rows=True)
    survivors = [str(each.mutant.words) for each in score.survivors if each.mutant.path.startswith("table.deal")]
    assert survivors == [f"price of row 4 of deal were {new}, not 9.00" for new in ("9.01", "90.00")]
    assert score.equivalent == 2
    # Of two alike the first is taken: what is a cent dearer then is row 2, and row 3 wins.
    (folder / "deals.csv").write_text("item,price\nA,2.00\nA,2.00\nB,9.00\n")
    assert dokima.CaseFolder(folder).mutate(rows=True).equivalent == 0


def test_cells_of_one_row_of_a_file_stand_each_for_itself(tmp_path):
    """A list by quantity: from 10 on 6.00 never wins over 5.00, which does not make the 5.00 beside it idle."""
    table = """
[table.deal]
file = "qp.csv"
match = { item = "line.item" }
breaks = { least = "line.quantity" }
choose = ["lowest price"]
columns.price = { kind = "decimal", places = 2 }
columns.least = { kind = "integer" }
spread = { headings = "least", cells = "price", of = { "from 1" = 1, "from 10" = 10 } }
"""
    folder = small(tmp_path, case('payable = "10.00"'))
    book = folder / "rulebook.toml"
    book.write_text(book.read_text().replace("item.price", "deal.price") + table)
    (folder / "qp.csv").write_text("item,from 1,from 10\nA,5.00,6.00\n")
    score = dokima.CaseFolder(folder).mutate(rows=True)
    left = {str(each.mutant.words) for each in score.survivors if each.mutant.path.startswith("table.deal")}
    # 5.01, 50.00 and a break at 2 move every order of one piece; 6.01, 60.00 and a break at 11 move none.
    prices = {f"price of row 2 of deal were {new}, not 5.00" for new in ("5.01", "50.00")}
    assert left == {*prices, "least of row 2 of deal were 2, not 1"}
    assert score.equivalent == 3


def test_what_is_delivered_is_a_sum_that_may_have_decimals():
    """Deliveries of 2.25 twice are 4.5 delivered, also where the field itself is said to be whole."""
    rules = [
        {"id": name, "at": "save", "require": f"line.delivered {sign} 4.5"}
        for name, sign in (("one", "<"), ("two", "<="))
    ]
    book = dokima.Rulebook.from_dict(
        {"rulebook": {"name": "d"}, "line": {"delivered": {"kind": "integer"}}, "rule": rules}
    )
    forms = [normal_form(book.program, rule.require.root) for rule in book.program.rules if rule.id in ("one", "two")]
    assert forms[0] != forms[1]


def test_a_default_has_no_more_places_than_its_field():
    """A default of 0.555 in a field of one place is refused, so that none is between 0.55 and 0.56."""
    said = {"rulebook": {"name": "d"}, "line": {"kilos": {"kind": "decimal", "places": 1, "default": "0.555"}}}
    rule = {"id": "light", "at": "save", "require": "line.kilos < 0.56"}
    book = dokima.Rulebook.from_dict({**said, "rule": [rule]})
    findings = book.check(dokima.Order("A", lines=[{"quantity": 1}]), at="save")
    assert "0.555" in str(next(iter(findings)).message)
