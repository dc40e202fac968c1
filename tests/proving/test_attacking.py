"""No proof is told that an order refutes: tables and comparisons at random, each proof against every order of a grid."""

import itertools
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from dokima.proving.attacking import attack
from dokima.proving.equivalence import Equivalence, say_the_same
from dokima.proving.mutants import mutants_of
from dokima.proving.telling_apart import changed_program

DAYS = ("2026-01-01", "2026-01-02", "2026-03-31", "2026-04-01")


def book_of(rows, choose, breaks):
    table = {"match": {"item": "line.item"}, "choose": [choose], "window": {"from": "since", "until": "until", "on": "header.date"},
             "columns": {"price": {"kind": "decimal"}, "least": {"kind": "decimal"}, "since": {"kind": "date"}, "until": {"kind": "date"}}}  # fmt: skip
    if breaks:
        table["breaks"] = {"least": "line.quantity"}
    steps = [{"name": "price", "kind": "price", "options": [{"value": "deal.price"}, {"value": "9"}]}]
    said = {
        "rulebook": {"name": "grid", "currency": "EUR"},
        "table": {"deal": table},
        "routine": {"all": {"step": steps}},
    }
    return dokima.Rulebook.from_dict(said, tables={"deal": rows})


def orders():
    """Every order that a table of this kind can tell apart: items, quantities beside breaks, days beside windows."""
    quantities = ("-5", "0", "0.5", "1", "4", "5", "9", "10")
    grid = itertools.product(("A", "B", "C"), quantities, DAYS)
    return [
        dokima.Order(f"G{at}", date=day, lines=[{"item": item, "quantity": quantity}])
        for at, (item, quantity, day) in enumerate(grid)
    ]


def answers(book_or_program):
    return [order.totals.payable for order in book_or_program.price(orders())]


ROWS = st.lists(
    st.fixed_dictionaries(
        {
            "item": st.sampled_from(["A", "B", "A|B", ""]), "least": st.sampled_from(["", "1", "5", "10"]),
            "since": st.sampled_from(["", DAYS[1]]), "until": st.sampled_from(["", DAYS[2]]),
            "price": st.sampled_from(["5.00", "5.01", "6.00", "4"]),
        }
    ),
    min_size=1, max_size=4,
)  # fmt: skip
CHOOSE = st.sampled_from(["lowest price", "highest price", "highest least", "most specific", "latest since"])


@given(ROWS, CHOOSE, st.booleans())
def test_a_row_that_is_proved_idle_moves_no_order(rows, choose, breaks):
    book = book_of(rows, choose, breaks)
    proofs, before = Equivalence(book.program), None
    for mutant in mutants_of(book.program):
        changed = changed_program(book.program, mutant) if mutant.at is not None else None
        if changed is not None and proofs.equivalent(mutant.id, changed, (mutant.table, mutant.at)):
            before = answers(book) if before is None else before
            source = changed.definition.sources["deal"]
            cells = {name: [source.columns[name].values[p] if p >= 0 else "" for p in source.columns[name].places()]
                     for name in source.columns}  # fmt: skip
            other = [dict(zip(cells, row, strict=True)) for row in zip(*cells.values(), strict=True)]
            assert answers(book_of(other, choose, breaks)) == before, mutant.words
    assert proofs.refuted == []


def ruled(places, require, kind="decimal"):
    spec = {"kind": kind} | ({"places": places} if kind == "decimal" and places is not None else {})
    rule = {"id": "one", "at": "save", "require": require}
    return dokima.Rulebook.from_dict({"rulebook": {"name": "r"}, "line": {"x": spec}, "rule": [rule]}).program


NUMBERS = st.decimals(min_value=-2, max_value=2, places=2)
SIGNS = st.sampled_from(["<", "<=", ">", ">=", "==", "!="])


@given(st.sampled_from([None, 0, 1, 2]), SIGNS, NUMBERS, SIGNS, NUMBERS)
def test_what_is_proved_to_say_the_same_does_so_and_an_attack_finds_what_does_not(places, sign, one, other_sign, other):
    first, second = ruled(places, f"line.x {sign} {one}"), ruled(places, f"{other} {other_sign} line.x")
    step = Decimal(1).scaleb(-(3 if places is None else places))
    values = [step * at for at in range(int(-3 / step), int(3 / step) + 1)]
    compared = {"<": "__lt__", "<=": "__le__", ">": "__gt__", ">=": "__ge__", "==": "__eq__", "!=": "__ne__"}
    apart = any(getattr(x, compared[sign])(one) != getattr(other, compared[other_sign])(x) for x in values)
    found = attack(first, second)
    assert found.every
    assert (found.difference is not None) == apart
    if say_the_same(first, second):
        assert not apart


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("line.delivered < 4.5", "line.delivered <= 4.5"),
        ("coalesce(line.x, 0) > 0", "line.x > 0"),
        ("line.x < -1", "line.x <= -1"),
    ],
)
def test_an_attack_knows_sums_of_deliveries_blanks_and_negatives(one, other):
    assert attack(ruled(1, one), ruled(1, other)).difference is not None


def test_more_combinations_than_a_limit_are_drawn_and_said():
    names = [f"f{at}" for at in range(6)]
    fields = {name: {"kind": "integer"} for name in names}

    def program(last):
        rules = [{"id": "all", "at": "save", "require": " and ".join(f"line.{name} < {last}" for name in names)}]
        return dokima.Rulebook.from_dict({"rulebook": {"name": "r"}, "line": fields, "rule": rules}).program

    found = attack(program("5"), program("4.5"))
    assert not found.every
    assert found.difference is None
    assert 1000 < found.orders <= 2000
