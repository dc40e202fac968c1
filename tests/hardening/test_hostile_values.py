"""Values that nothing could hold, and arguments of every wrong kind: each ends in an error of ours, and others go on."""

from __future__ import annotations

import contextlib
import copy
import datetime
from decimal import Decimal as D
from pathlib import Path

import pytest

import dokima
from tests.books import DEMO, ITEMS, RATES, book, definition, routine
from tests.store.test_places import order, small

NINES = "9" * 5000
LITERALS = {
    "5,000 digits": NINES, "5,000 digits and a half": f"{NINES}.5", "zeros at the end": "1" + "0" * 5000,
    "a tiny one": "1e-99999999999999999999", "a huge one": "1E+99999999999999999999", "no number at all": "1e999999999",
    "a zero": "0e99999999999999999999", "a small zero": "-0.0e-99999999999999999999",
}  # fmt: skip
IN_TOML = {**LITERALS, "hex": "0x" + "f" * 6000, "oct": "0o" + "7" * 6000, "bin": "0b" + "1" * 20_000}
ODD = [
    None, True, 5, -1, 1.5, float("nan"), 10**5000, D("NaN"), D("1E+999999999"), "", "x", "\ud800", "a\0b", b"x", [], ["a", 5],
    {}, {1: 2}, {"\ud800": 1}, {"a": None}, set(), ("a",), object(), datetime.date(2026, 1, 1), datetime.datetime(2026, 1, 1),
]  # fmt: skip


def lines(number):
    return f'[{{"number": "10", "item": "PANE", "quantity": {number}}}]'


@pytest.mark.parametrize("literal", LITERALS.values(), ids=LITERALS)
def test_a_number_of_json_that_nobody_could_hold_stops_no_other_order(tmp_path, literal):
    rules = small()
    bad, good = (f'{{"number": "{n}", "kind": "sales", "lines": {lines(v)}}}' for n, v in (("A", literal), ("B", 2)))
    (tmp_path / "a.json").write_text(f"[{bad}, {good}]")
    (tmp_path / "a.jsonl").write_text(f"{bad}\n{good}\n")
    (tmp_path / "o").mkdir()
    for name, text in (("A", bad), ("B", good)):
        (tmp_path / "o" / f"{name}.json").write_text(text)
    for source in (
        tmp_path / "a.json",
        tmp_path / "a.jsonl",
        tmp_path / "o",
        dokima.Orders.from_json(f"[{bad}, {good}]"),
    ):
        priced = rules.price(source)
        (problem,) = priced.problems
        assert (problem.order, problem.line, problem.field) == ("A", "10", "quantity")
        assert problem.message.startswith("expected a number of at most 100 digits (got ")
        assert [each.number for each in priced] == ["B"]


@pytest.mark.parametrize("literal", IN_TOML.values(), ids=IN_TOML)
def test_a_number_of_toml_that_nobody_could_hold_is_told_with_its_line(tmp_path, literal):
    (tmp_path / "rulebook.toml").write_text(f'[rulebook]\nname = "x"\ncurrency = "EUR"\n[value]\nv = {literal}\n')
    with pytest.raises(
        dokima.RulebookError, match=r"rulebook\.toml line 5.*expected a number of at most 100 digits \(got"
    ):
        dokima.load(tmp_path)


@pytest.mark.parametrize("value", ODD, ids=lambda value: f"{type(value).__name__}")
def test_settings_of_every_wrong_kind_end_in_a_message(value):
    whole = definition(
        rule=[{"id": "x", "at": "save", "require": "true"}], numbering={}, source={}, layout={}, value={}
    )
    places = [
        *((name,) for name in ("rulebook", "header", "line", "value", "table", "source", "layout", "rule", "routine",
          "numbering", "terms", "report", "changes", "lifecycle", "editing", "question", "formula", "delivery", "nosuch")),
        ("rulebook", "name"), ("rulebook", "currency"), ("rulebook", "python"), ("report", "locale"), ("value", "z"),
        ("table", "item"), ("table", "item", "key"), ("table", "item", "key", "item"), ("table", "item", "columns"),
        ("rule", 0), ("rule", 0, "require"), ("routine", "sales", "step"), ("routine", "sales", "step", 0, "options"),
        ("routine", "sales", "step", 2, "percent"), ("source", "x"), ("layout", "x"), ("numbering", "sales"),
    ]  # fmt: skip
    for path in places:
        data = copy.deepcopy(whole)
        inner = data
        for name in path[:-1]:
            inner = inner.setdefault(name, {}) if isinstance(inner, dict) else inner[name]
        inner[path[-1]] = value
        with contextlib.suppress(dokima.DokimaError):
            _ = dokima.Rulebook.from_dict(data, tables={"item": ITEMS, "rate": RATES}).fingerprint
    for call in (
        lambda: dokima.Rulebook.from_dict(value),
        lambda: dokima.Rulebook.from_dict(whole, tables=value),
        lambda: dokima.Rulebook.from_dict(whole, tables={"item": value, "rate": RATES}),
        lambda: dokima.Rulebook.from_dict(whole, tables={"item": ITEMS, "rate": RATES}, python=value),
        lambda: dokima.load(value),
        lambda: dokima.load(".", trust=value),
    ):
        with contextlib.suppress(dokima.DokimaError):
            call()


@pytest.mark.parametrize(
    "formula", ["''", "'\ud800'", "line.quantity > \ud800", "'' == ''", "\0", "(", "line.", "", *ODD[:5]]
)
def test_formulas_of_every_kind_end_in_a_message_or_a_finding(formula):
    places = [
        {"rule": [{"id": "x", "at": "save", "require": formula}]},
        {"rule": [{"id": "x", "at": "save", "when": formula, "require": "true"}]},
        {"header": {"z": {"default": formula}}},
        {"routine": {"sales": {"step": [{"name": "price", "kind": "price", "options": [{"value": formula}]}]}}},
        {"routine": routine({"name": "d", "kind": "discount", "percent": formula})},
        {"routine": routine({"name": "f", "kind": "figure", "value": formula})},
        {"routine": routine({"name": "vat", "kind": "tax", "percent": formula, "category": formula})},
        {"table": {"p": {"match": {"item": "line.item"}, "breaks": {"from": formula}, "choose": ["highest from"]}},
         "tables": {"p": [{"item": "PANE", "from": "1", "price": "2"}]}},
        {"table": {"p": {"key": {"item": formula}}}, "tables": {"p": [{"item": "PANE", "price": "2"}]}},
        {"table": {"p": {"key": {"item": "line.item"}, "required": formula}}, "tables": {"p": [{"item": "PANE"}]}},
    ]  # fmt: skip
    for place in places:
        with contextlib.suppress(dokima.DokimaError):
            rules = book(**copy.deepcopy(place))
            one = dokima.Order("A", kind="sales", lines=[{"item": "PANE", "quantity": 1}])
            rules.price(one)
            dokima.to_json(rules.check(one, "save"))


@pytest.mark.parametrize("name", ["a\0b", "x" * 5000, "a\ud800", ""], ids=["nul", "long", "half", "blank"])
def test_paths_that_no_file_system_has(tmp_path, monkeypatch, name):
    monkeypatch.chdir(tmp_path)
    rules, one = small(), order("A")
    priced = rules.price(one)
    calls = [
        lambda: dokima.load(name), lambda: dokima.FolderStore(name, rules), lambda: dokima.open_store(name, rules),
        lambda: dokima.CaseFolder(Path(name)), lambda: dokima.begin(Path(name)),
        lambda: dokima.load(DEMO, tables={"item": Path(f"{name}.csv")}),
        *(lambda end=end: rules.price(Path(name + end)) for end in ("", ".json", ".jsonl", ".csv", ".xlsx", ".parquet")),
        *(lambda end=end: list(rules.stream(Path(name + end))) for end in ("", ".csv", ".parquet")),
        *(lambda end=end: dokima.write_orders([one], Path(name + end), rules) for end in (".json", ".jsonl", ".csv", ".xlsx")),
        *(lambda end=end: dokima.report(priced).write(Path(name + end)) for end in (".html", ".pdf", ".csv", ".json")),
        lambda: dokima.write_parquet(priced, Path(f"{name}.parquet")),
        lambda: dokima.draw(priced["A"].line(10), Path(f"{name}.png")),
        lambda: dokima.price_files(rules, [one], Path(f"{name}.csv")),
        lambda: dokima.price_files(rules, Path(name), tmp_path / "o.csv"),
    ]  # fmt: skip
    for call in calls:
        with contextlib.suppress(dokima.DokimaError):
            call()


def test_a_literal_blank_decides_nothing_and_prices_nothing():
    one = dokima.Order("A", kind="sales", lines=[{"item": "PANE", "quantity": 1}])
    (finding,) = book(rule=[{"id": "x", "at": "save", "require": "''"}]).check(one, "save")
    assert finding.undecided
    unpriced = book(routine={"sales": {"step": [{"name": "price", "kind": "price", "options": [{"value": "''"}]}]}})
    assert unpriced.price(one)["A"].totals.without_tax is None


@pytest.mark.parametrize("value", ODD[::2], ids=lambda value: f"{type(value).__name__}")
def test_calls_with_every_wrong_argument_end_in_a_message(tmp_path, value):
    rules = small()
    store = dokima.create_store(f"sqlite:///{tmp_path}/o.db", rules)
    store.save(order("A"), "Ada")
    editor = rules.edit(order("A"), "Ada")
    change = store.open_change("A", "Ada").number
    calls = [
        *(lambda name=name: store.orders(**{name: value}) for name in (
            "limit", "sort", "where", "columns", "since", "until", "numbers", "kind", "item", "nosuch")),
        lambda: store.lines(limit=value), lambda: store.lines(sort=value),
        lambda: store.save(order("B", note=value), "Ada"), lambda: store.save(order("C"), value),
        lambda: store.save(order("C"), "Ada", reason=value), lambda: store.save(order("C"), "Ada", operation=value),
        lambda: store.save(dokima.Order.from_dict({"number": value, "lines": []}), "Ada"),
        lambda: store.order(value), lambda: store.history(value), lambda: store.change(value), lambda: store.ledger(value),
        lambda: store.open_change("A", value), lambda: store.open_change("A", "Ada", reason=value), lambda: store.open_change(value, "Ada"),
        lambda: store.approve(value, "Ben"), lambda: store.approve(change, value), lambda: store.rebase(change, value),
        lambda: store.each(where=value), lambda: store.each().apply(value, "Ada"), lambda: store.each().apply("close", value),
        lambda: store.each().apply("close", "Ada", name=value), lambda: store.job(value).report(),
        lambda: editor.override_price(10, 5, reason=value), lambda: editor.override_price(10, value, reason="x"),
        lambda: editor.override_price(value, 5, reason="x"), lambda: editor.move_to(value),
        lambda: editor.change_line(value, quantity=1), lambda: editor.change_line(10, quantity=value),
        lambda: editor.change_line(10, item=value), lambda: editor.change_header(note=value),
        lambda: editor.close_lines(value), lambda: editor.reopen_line(value), lambda: editor.reprice_line(value),
        lambda: editor.remove_line(value), lambda: editor.copy_line(value), lambda: editor.add_line(item=value),
        lambda: editor.acknowledge(value, value), lambda: rules.edit(order("A"), value),
        lambda: rules.price(order("B", note=value)), lambda: rules.check(order("B", customer=value), "save"),
    ]  # fmt: skip
    for call in calls:
        with contextlib.suppress(dokima.DokimaError):
            call()
    store.close()
