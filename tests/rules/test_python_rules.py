"""Rules and functions in Python: an answer from every rule, and none by omission."""

import datetime
import linecache
import math
import subprocess
import sys
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from dokima import accept, refuse
from tests.books import FIELDS, book, routine

D = Decimal


@dokima.rule("no-red", at="enter", help="Paint it.")
def no_red(line, order):
    """Red glass is not made."""
    if line.colour == "red":
        return refuse(f"{line.item} in red for {order['header.country']} in {line['item.family']}?")
    return accept()


@dokima.rule("forgot", at="enter")
def forgot(line):
    if line.quantity > 5:
        return accept()


@dokima.rule("breaks", at="save")
def breaks(order):
    return accept() if order.lines[0].quantity / len(order.lines[0].colour) else refuse("no")


@dokima.rule("several", at="save", severity="notice")
def several(order):
    for line in order.lines:
        if line.boxes and line.boxes > 1:
            yield refuse(f"{line.boxes} boxes")
    yield accept()


@dokima.rule("columns", at="save", severity="warning", columns=True)
def columns(lines):
    return [None if q is None else q < 100 for q in lines["line.quantity"]]


@dokima.function
def pallets(quantity: Decimal, per: int) -> int:
    return math.ceil(quantity / per)


@dokima.function(columns=True)
def initial(words: str) -> str:
    return [word and word[0] for word in words]


@dokima.function
def fails(day: datetime.date, flag: bool) -> bool:
    raise RuntimeError("no")


@dokima.rule("who-and-how-much", at="approve")
def who_and_how_much(order, change):
    if change.opened_by == order.customer or change["variance.without_tax"] > 50:
        told = (change.opened_by, change.requested_by, change["variance.with_tax"], change["ledger.headroom_after"])
        return refuse(" ".join(map(str, told)))
    return accept()


def test_a_rule_of_approving_in_python_sees_the_change():
    """2 to 8 at 10.00 is 60.00 more, and leaves 20.00 of a budget of 100.00; an order by itself is no change."""
    rules = dokima.Rulebook.from_dict(
        {
            "rulebook": {"name": "r", "currency": "EUR"},
            "routine": routine({"name": "price", "kind": "price", "options": [{"value": "10"}]}),
        },
        python=[who_and_how_much],
    )
    order = dokima.Order("A", customer="C", budget="100", state="confirmed", lines=[{"item": "X", "quantity": 2}])
    assert not rules.check(order, at="approve")
    for quantity, refused in ((8, "Ada Bea 60 20"), (7, "")):
        change = rules.change(order, by="Ada", requested_by="Bea")
        change.edit("Ada").change_line(10, quantity=quantity)
        change.submit("Ada")
        if refused:
            with pytest.raises(dokima.Refused, match=refused):
                change.approve("Cleo", [order])
        else:
            assert change.approve("Cleo", [order]).orders[0].lines[0].fields["quantity"] == quantity


def test_a_function_is_told_apart_by_its_version_or_its_source():
    """Not by its bytecode, which differs between versions of Python; one that has neither cannot be loaded."""

    def made(text, **settings):
        space = {}
        exec(compile(f"def check(order):\n    return {text}", "<nowhere>", "exec"), space)
        return dokima.rule("r", at="save", **settings)(space["check"])

    def loaded(*python):
        return dokima.Rulebook.from_dict({"rulebook": {"name": "r"}}, python=python).program.fingerprint

    with pytest.raises(
        dokima.RulebookError, match="rulebook.python: the source of check cannot be found; say version='1'"
    ):
        loaded(made("accept()"))
    one, same, two = (loaded(made(text, version=v)) for text, v in (("1", "1"), ("2", "1"), ("2", "2")))
    assert one == same != two
    assert loaded(no_red) == loaded(no_red) != loaded(who_and_how_much)


def test_a_rulebook_with_functions_is_the_same_in_every_process(tmp_path):
    (tmp_path / "own.py").write_text(
        "from decimal import Decimal\nimport dokima\n\n@dokima.function\n"
        "def twice(price: Decimal, times: int = 2) -> Decimal | None:\n    return price * times\n"
    )
    (tmp_path / "rulebook.toml").write_text(
        "[rulebook]\nname = 'r'\ncurrency = 'EUR'\npython = 'own.py'\n[value]\nprice = 2\n"
        "[routine.r]\nstep = [{ name = 'price', kind = 'price', options = [{ value = 'twice(value.price, 2)' }] }]\n"
    )
    script = f"import dokima, pathlib; print(dokima.load(pathlib.Path({str(tmp_path)!r})).fingerprint)"
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    here = dokima.load(tmp_path)
    assert done.stdout.strip() == here.fingerprint
    (tmp_path / "own.py").write_text((tmp_path / "own.py").read_text().replace("* times", "+ times"))
    assert dokima.load(tmp_path).fingerprint != here.fingerprint


OWN = """
from decimal import Decimal
import dokima

STEPS, OTHER = {"a": [Decimal("2"), None], "b": (1, "x")}, 5
UNUSED = 7
KINDS = frozenset({"b", "a", "c"})

@dokima.function
def figure(price: Decimal) -> Decimal:
    return helper(price) * STEPS["a"][0] * len(KINDS)

@dokima.function(version="1")
def told(price: Decimal) -> Decimal:
    return price * UNUSED

def helper(price):
    return Table.factor * deeper(price)

def deeper(price):
    return price + 1

class Table:
    factor = 3
"""


@pytest.mark.parametrize(
    ("old", "new", "differs"),
    [
        ('Decimal("2")', 'Decimal("3")', True),
        ('"c"}', '"d"}', True),
        ("price + 1", "price + 2", True),
        ("factor = 3", "factor = 4", True),
        ("= 7", "= 8", False),
        ('version="1"', 'version="2"', True),
        ("import dokima", "import dokima, math", False),
    ],
)
def test_what_a_function_reads_beside_it_tells_it_apart(tmp_path, old, new, differs):
    said = [
        "[rulebook]", "name = 'r'", "currency = 'EUR'", "python = 'own.py'", "[value]", "price = 2", "[routine.r]",
        "step = [{ name = 'price', kind = 'price', options = [{ value = 'figure(value.price)' }] }]",
    ]  # fmt: skip
    (tmp_path / "rulebook.toml").write_text("\n".join(said), encoding="utf-8")
    found = []
    for text in (OWN, OWN, OWN.replace(old, new)):
        (tmp_path / "own.py").write_text(text, encoding="utf-8")
        linecache.clearcache()
        found.append(dokima.load(tmp_path).fingerprint)
    assert (found[0] == found[1], found[0] != found[2]) == (True, differs)


PYTHON = [no_red, forgot, breaks, several, columns, pallets, initial, fails]


def said(*lines: dict, python=PYTHON, **header) -> list[tuple[str, str, str, str]]:
    data = {"number": "A", "country": "NL", **header, "lines": lines}
    tried = dokima.Rulebook.from_dict(
        {"rulebook": {"name": "p", "currency": "EUR"}, **FIELDS, "table": {"item": {"key": {"item": "line.item"}}}},
        tables={"item": [{"item": "PANE", "family": "glazing"}]},
        python=python,
    )
    return [(f.rule, f.line, f.severity, f.message) for f in tried.check(data)]


def test_every_rule_answers_or_refuses():
    """accept and refuse; nothing, an exception and a wrong answer are undecided, and name themselves."""
    lines = (
        {"item": "PANE", "quantity": 9, "colour": "red", "boxes": 2},
        {"item": "PANE", "quantity": 5, "colour": None, "boxes": 3},
    )
    assert said(*lines) == [
        ("several", "", "notice", "2 boxes; 3 boxes"),
        ("no-red", "10", "error", "PANE in red for NL in glazing?"),
        (
            "forgot",
            "20",
            "error",
            "forgot does not hold. (could not be decided: expected accept() or refuse(message) (it returned nothing))",
        ),
    ]
    lines = ({"quantity": None, "colour": ""},)
    assert said(*lines, python=[breaks, columns]) == [
        (
            "breaks",
            "",
            "error",
            "breaks does not hold. (could not be decided: it raised TypeError: object of type 'NoneType' has no len())",
        ),
        ("columns", "10", "error", "columns does not hold. (could not be decided: a value is blank)"),
    ]
    assert said({"quantity": 100, "colour": "x"}, python=[columns]) == [
        ("columns", "10", "warning", "columns does not hold.")
    ]


def test_answers_that_are_none():
    yes = dokima.rule("yes", at="save")(lambda order: True)
    empty = dokima.rule("empty", at="save")(lambda order: iter(()))
    short = dokima.rule("short", at="save", columns=True)(lambda lines: [True])
    arguments = dokima.rule("arguments", at="save")(lambda order, customer: accept())
    found = said({"quantity": 1}, {"quantity": 2}, python=[yes, empty, short, arguments])
    assert [(rule, line, message.split("decided: ")[1]) for rule, line, _, message in found] == [
        ("arguments", "", "expected arguments named line, order and change (got 'customer'))"),
        ("empty", "", "expected accept() or refuse(message) (it returned nothing))"),
        ("yes", "", "expected accept() or refuse(message) (it returned True))"),
        ("short", "10", "expected 2 answers, one a line (it returned 1))"),
        ("short", "20", "expected 2 answers, one a line (it returned 1))"),
    ]


def test_a_rule_by_itself_in_two_lines():
    tried = dokima.Rulebook.from_dict({"rulebook": {"name": "p", "currency": "EUR"}, **FIELDS}, python=[forgot])
    assert len(tried.check(dokima.Order(lines=[{"quantity": 6}, {"quantity": 2}]), rule="forgot")) == 1


def test_own_functions_are_typed_and_unknown_where_they_fail():
    step = {"name": "p", "kind": "figure", "value": "pallets(line.quantity, line.boxes) + length(initial(line.colour))"}
    odd = {"name": "q", "kind": "figure", "value": "1 if fails(header.due, True) else 2"}
    tried = dokima.Rulebook.from_dict(
        {"rulebook": {"name": "p", "currency": "EUR"}, **FIELDS, "routine": routine(step, odd)}, python=PYTHON[5:]
    )
    order = tried.price({"number": "A", "due": "2026-03-02", "lines": [
        {"quantity": "10.5", "boxes": 4, "colour": "red"}, {"quantity": "8", "boxes": 4, "colour": "x"}, {"quantity": 1, "colour": "y"},
    ]})["A"]  # fmt: skip
    assert [line.p for line in order.lines] == [4, 3, None]
    assert order.figures == {"q": None}
    wrong = routine({"name": "p", "kind": "figure", "value": "pallets(1, line.quantity)"})
    with pytest.raises(dokima.RulebookError, match=r"pallets\(\) needs a whole number \(got 'line.quantity'"):
        dokima.Rulebook.from_dict({"rulebook": {"name": "p"}, **FIELDS, "routine": wrong}, python=[pallets])
    with pytest.raises(
        TypeError, match="expected argument 'x' to be annotated with one of Decimal, int, str, bool, date"
    ):
        dokima.function(lambda x: x)


def test_python_files_of_a_rulebook(tmp_path):
    toml = '[rulebook]\nname = "p"\ncurrency = "EUR"\npython = "house.py"\n\n[[rule]]\nid = "double"\nat = "save"\nrequire = "twice(line.quantity) < 10"\n'
    (tmp_path / "rulebook.toml").write_text(toml)
    house = 'from decimal import Decimal\nimport dokima\n\n@dokima.function\ndef twice(x: Decimal) -> Decimal:\n    return 2 * x\n\n@dokima.rule("odd", at="save")\ndef odd(line, order):\n    return dokima.refuse("even") if line.quantity % 2 == 0 else dokima.accept()\n'
    (tmp_path / "house.py").write_text(house)
    found = dokima.load(tmp_path).check({"number": "A", "lines": [{"quantity": 6}, {"quantity": 3}]})
    assert [(f.rule, f.line) for f in found] == [("double", "10"), ("odd", "10")]
    (tmp_path / "house.py").write_text(house + "\nraise ValueError('not today')\n")
    with pytest.raises(dokima.RulebookError, match="house.py line 12: ValueError: not today"):
        dokima.load(tmp_path)
    (tmp_path / "house.py").unlink()
    with pytest.raises(dokima.RulebookError, match="rulebook.toml line 4, rulebook.python: expected a Python file"):
        dokima.load(tmp_path)


def test_messages_format_numbers_and_name_labels():
    rules = [
        {
            "id": "a",
            "at": "save",
            "require": "line.quantity < 0",
            "message": "{line.price_override!label} {line.price_override:2}, {line.quantity:,1} {header.due:2}",
        },
        {"id": "b", "at": "edit", "require": "True"},
        {"id": "c", "at": "save", "acknowledge": True, "require": "True"},
    ]
    with pytest.raises(dokima.RulebookError) as caught:
        book(**FIELDS, rule=rules)
    assert [str(p) for p in caught.value.problems] == [
        "rule.b.field: a rule at 'edit' names the field whose change asks it",
        "rule.c.acknowledge: only a warning can be accepted; say severity = 'warning'",
    ]
    tried = book(**FIELDS, rule=rules[:1])
    line = {"price_override": "1234.5", "quantity": "98765.432"}
    assert [f.message for f in tried.check(dokima.Order("A", lines=[line]))] == ["manual price 1234.50, 98,765.4 blank"]


def test_why_tells_what_came_of_every_rule():
    rules = [{"id": "a", "at": "enter", "when": "line.fitted", "require": "line.weight > 1"}]
    lines = [{"fitted": True, "weight": 2}, {"fitted": True, "weight": 1}, {"fitted": False}, {"fitted": True}]
    answers = book(**FIELDS, rule=rules).explain_rules(dokima.Order("A", lines=lines), rule="a")
    assert [(a.line, a.result) for a in answers] == [
        ("10", "passed"),
        ("20", "refused"),
        ("30", "does not apply"),
        ("40", "undecided"),
    ]
    assert answers[1].values == {"line.fitted": True, "line.weight": D(1)}
    summary = book(**FIELDS, rule=rules).check(dokima.Order("A", lines=lines)).summary
    assert (summary[0].rule, summary[0].asked, summary[0].refused, summary[0].undecided) == ("a", 4, 1, 1)


batch = st.lists(
    st.tuples(
        st.sampled_from(["NL", "SE", None]),
        st.lists(st.fixed_dictionaries({"quantity": st.sampled_from([None, 1, 5, 9]), "colour": st.sampled_from(["red", "x", None]), "boxes": st.integers(0, 2)}), max_size=4),
    ),
    min_size=1, max_size=5,
)  # fmt: skip


@given(batch)
def test_many_orders_at_once_give_the_findings_of_each_by_itself(orders):
    rules = [
        {
            "id": "a",
            "at": "enter",
            "require": "line.quantity > 1 or header.country == 'NL'",
            "message": "{line.number}",
        },
        {"id": "b", "at": "save", "require": "sum(line.boxes) < 3"},
        {"id": "c", "at": "save", "when": "line.colour == 'red'", "require": "line.quantity == highest(line.quantity)"},
    ]
    tried = dokima.Rulebook.from_dict(
        {"rulebook": {"name": "p", "currency": "EUR"}, **FIELDS, "rule": rules}, python=[no_red, forgot, several]
    )
    documents = [{"number": f"O{n}", "country": country, "lines": lines} for n, (country, lines) in enumerate(orders)]
    together = tried.check(documents)

    assert list(together) == [finding for document in documents for finding in tried.check(document)]
