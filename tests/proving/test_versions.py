"""What changed between two versions of a rulebook: settings, rows, cases, and the state a commit of git has."""

import json
import shutil
import subprocess
from decimal import Decimal

import pytest

import dokima
from tests.books import DEMO, book
from tests.shell import run_here

CHANGES = [
    ("rulebook.toml", "line.quantity % 0.5 == 0", "line.quantity % 0.25 == 0"),
    ("rulebook.toml", "freight_rate = 0.38", "freight_rate = 0.41"),
    ("rulebook.toml", 'id = "surveys-of-institutions"', 'id = "surveys-of-colleges"'),
    ("tables/agreed_prices.csv", ",24,44.25,1", ",24,44.95,1"),
    ("tables/agreed_prices.csv", ",48,43.10,1", ",60,43.10,1"),
]


@pytest.fixture
def next_version(tmp_path):
    """The demo, and beside it a version with five changes, rows in another order."""
    for name in ("old", "new"):
        shutil.copytree(DEMO, tmp_path / name)
    for file, before, after in CHANGES:
        path = tmp_path / "new" / file
        text = path.read_text(encoding="utf-8")
        assert text.count(before) == 1
        path.write_text(text.replace(before, after), encoding="utf-8")
    path = tmp_path / "new" / "tables" / "items.csv"
    head, *rows = path.read_text(encoding="utf-8").splitlines()
    path.write_text("\n".join([head, *reversed(rows)]) + "\n", encoding="utf-8")
    return tmp_path


def test_settings_differ_by_their_paths_and_rows_by_their_terms(next_version):
    changes = dokima.load(next_version / "old").compare(dokima.load(next_version / "new"))
    terms = "for segment institution, item PANE-T6, unit C62, from 2026-01-01, until 2026-12-31, from quantity {}"
    found = [(each.path, each.change, each.before, each.after) for each in changes.changes if not each.row]
    assert found[:2] == [
        ("value.freight_rate", "changed", "0.38", "0.41"),
        ("rule.half-days.require", "changed", "line.quantity % 0.5 == 0", "line.quantity % 0.25 == 0"),
    ]
    assert [each[:2] for each in found[2:]] == [
        ("rule.surveys-of-institutions", "removed"),
        ("rule.surveys-of-colleges", "added"),
    ]
    assert [(each.path, each.change, each.before, each.after, each.row) for each in changes.changes if each.row] == [
        ("agreed", "changed", "min_quantity 48", "min_quantity 60", terms.format(60)),
        ("agreed", "changed", "price 44.25", "price 44.95", terms.format(24)),
    ]
    assert [each.said for each in changes.changes] == [
        "freight rate: from 0.38 to 0.41",
        "the rule half-days: from 0.5 to 0.25, in what it requires",
        "the rule surveys-of-institutions is gone",
        "the rule surveys-of-colleges is new",
        "a break moved from 48 to 60",
        "price from 44.25 to 44.95",
    ]
    same = dokima.load(DEMO)
    assert len(same.compare(dokima.load(DEMO))) == 0


RULE = {"id": "few", "at": "save", "require": "line.quantity < 5"}
STEPS = [
    {"name": "price", "kind": "price", "options": [{"value": "9"}]},
    {"name": "off", "kind": "discount", "percent": "5", "label": "discount"},
    {"name": "fee", "kind": "charge", "amount": "line.quantity * 0.38", "when": "line.quantity > 2"},
]


def _with(rule=None, step=None, **sections):
    """A rulebook with settings of one rule, of steps, or of whole sections changed."""
    steps = [{**each, **(step or {}).get(each["name"], {})} for each in STEPS]
    rules = [RULE, {**RULE, "id": "own", **(rule or {})}]
    return book(rule=rules, routine={"all": {"step": steps}}, **sections)


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"rule": {"at": "enter"}}, ["the rule own is asked when a line is entered, no longer when an order is saved"]),
        ({"rule": {"at": ["save", "close"]}}, ["the rule own is asked when a line is closed"]),
        ({"rule": {"severity": "warning"}}, ["the rule own gives a warning, no longer an error"]),
        ({"rule": {"message": "too many"}}, ["the rule own says now: “too many”"]),
        ({"rule": {"require": "line.quantity <= 5"}}, ["the rule own: what it requires is now: the quantity of the line is at most 5; before: the quantity of the line is below 5"]),
        ({"rule": {"when": "line.item == 'A'"}}, ["the rule own applies only where the item of the line is ‘A’"]),
        ({"step": {"fee": {"amount": "line.quantity * 0.41"}}}, ["fee (step fee of all): from 0.38 to 0.41, in the amount"]),
        ({"step": {"off": {"percent": "6"}}}, ["discount (step off of all): from 5 to 6, in the percentage"]),
        ({"step": {"price": {"options": [{"value": "8"}]}}}, ["price (step price of all): from 9 to 8, in the value"]),
        ({"value": {"rate": "1.5"}}, ["rate: from 1.25 to 1.5"]),
        ({"formula": {"dear": "line.quantity > 8"}}, ["the named formula dear: from 7 to 8"]),
    ],
)  # fmt: skip
def test_what_changed_is_said_in_a_sentence(changes, said):
    base = {"value": {"rate": "1.25"}, "formula": {"dear": "line.quantity > 7"}}
    found = _with(**base).compare(_with(**{**base, **changes}))
    assert [each.said for each in found.changes] == said


def test_a_function_in_python_says_which_lines_changed(tmp_path):
    said = """
[rulebook]
name = "own"
currency = "EUR"
python = ["own.py"]
[[routine.all.step]]
name = "price"
kind = "price"
options = [{ value = "halved(line.quantity)" }]
"""
    body = "import dokima\nfrom decimal import Decimal\n\n@dokima.function\ndef halved(x: Decimal) -> Decimal:\n    half = x / 2\n    return half\n"
    for name, text in (("old", body), ("new", "# a line above\n" + body.replace("x / 2", "x / 4"))):
        (tmp_path / name).mkdir()
        (tmp_path / name / "rulebook.toml").write_text(said)
        (tmp_path / name / "own.py").write_text(text)
    (change,) = dokima.load(tmp_path / "old").compare(dokima.load(tmp_path / "new")).changes
    assert change.said == "the Python function halved changed: line 7"


def test_steps_in_another_order_are_told(next_version):
    path = next_version / "new" / "rulebook.toml"
    lines = path.read_text(encoding="utf-8").splitlines()
    at = next(at for at, line in enumerate(lines) if 'name = "cost"' in line)
    lines[at - 1], lines[at] = lines[at], lines[at - 1]
    path.write_text("\n".join(lines), encoding="utf-8")
    changes = dokima.load(next_version / "old").compare(dokima.load(next_version / "new"))
    (moved,) = [each for each in changes.changes if each.change == "moved"]
    assert moved.path == "routine.sales.step"
    assert "vat, cost, advance, margin" in moved.after


def test_compare_says_what_it_does_to_cases_and_orders(next_version):
    old, new = str(next_version / "old"), str(next_version / "new")
    status, out, err = run_here(next_version, "compare", old, new, "--cases", "--orders", f"{DEMO}/orders/SQ-2041.json", "--format", "json")  # fmt: skip
    data = json.loads(out)
    cases = {each["case"]: (each["before"], each["after"]) for each in data["cases"]}
    assert (status, cases["the worked example"], err) == (1, ("passed", "failed"), "")
    assert "half a day" not in cases
    # 36 panes at 44.60 by the hundred: 12.60 more, less 0.50; freight 403.2 kg x 0.41 = 165.31, 12.09 more; 27.4 kg: 0.82.
    assert data["replay"]["totals"]["EUR"]["variance"] == "25.01"
    status, out, _ = run_here(
        next_version, "compare", old, new, "--locale", "de", "--report", "changes.html", "--report", "changes.md"
    )
    assert (status, "Was sich geändert hat" in out) == (0, True)
    assert "rule.half-days.require" in (next_version / "changes.html").read_text(encoding="utf-8")
    assert "geändert | rule.half-days.require" in (next_version / "changes.md").read_text(encoding="utf-8")


@pytest.mark.skipif(shutil.which("git") is None, reason="there is no git program here")
def test_the_old_version_may_be_a_commit_of_git(next_version, tmp_path_factory):
    git = ["git", "-c", "user.name=Ada", "-c", "user.email=ada@quillmere.example", "-C", str(next_version)]
    (next_version / "book").mkdir()
    shutil.copytree(next_version / "old", next_version / "book" / "rules")
    for words in (["init", "-q"], ["add", "book"], ["commit", "-q", "-m", "as it was"]):
        subprocess.run([*git, *words], check=True, capture_output=True)
    shutil.copytree(next_version / "new", next_version / "book" / "rules", dirs_exist_ok=True)
    folder = next_version / "book" / "rules"
    status, out, _ = run_here(folder, "compare", "git:HEAD", "--format", "csv")
    assert (status, out.splitlines()[1]) == (0, "value.freight_rate,,changed,0.38,0.41,freight rate: from 0.38 to 0.41")
    for revision in ("nowhere", "--output=x", "HEAD:book"):
        assert f"there is no revision '{revision}'" in run_here(folder, "compare", f"git:{revision}")[2]
    assert not (folder / "x").exists()
    elsewhere = tmp_path_factory.mktemp("elsewhere")
    assert "is in no git repository" in run_here(folder, "compare", "git:HEAD", str(elsewhere))[2]


def test_what_only_one_version_can_read_or_price_is_in_no_sum_and_named():
    """A has 100.00 and doubles. B lacks what is required now, C has no routine any more, D was not read until now."""

    def version(factor, **sections):
        step = {"name": "price", "kind": "price", "options": [{"value": f"line.price_base * {factor}"}]}
        return book(header={"kind": {}, **sections.pop("header", {})}, routine={"sales": {"step": [step], **sections}})

    old = version(1, header={"area": {"choices": ["north", "south"]}})
    new = version(2, header={"kind": {"required": True}, "area": {}}, when="header.kind == 'sales'")
    orders = [
        {"number": number, "kind": kind, "area": area, "lines": [{"item": "PANE", "quantity": 1, "price_base": amount}]}
        for number, kind, area, amount in (
            ("D", "sales", "east", "1000"), ("A", "sales", "north", "100"), ("B", None, None, "10"), ("C", "gift", None, "1"),
        )
    ]  # fmt: skip
    replay = old.replay(orders, new)
    assert replay.totals == {"EUR": (Decimal("100.00"), Decimal("200.00"), Decimal("100.00"))}
    assert [(each.order, each.before, each.after) for each in replay.largest] == [("A", Decimal(100), Decimal(200))]
    assert (replay.orders, replay.by_rule["document"], replay.by_rule["routine"]) == (2, (1, 1), (1, 0))
    assert [(each.order, each.reason.partition(": ")[0]) for each in replay.left_out] == [
        ("D", "today"), ("B", "new"), ("C", "new"),
    ]  # fmt: skip
    assert "left out  B  new: " in str(dokima.report(replay))
    assert "ausgelassen  B  neu: " in str(dokima.report(replay, locale="de"))
