"""Damaged orders, files, rulebooks and formulas: an error of ours or a finding, and never another exception.

The quick run takes some hundred inputs, the long one (``pytest -m long``) some thousand, and before something of the
reading is released a hundred thousand: ``DOKIMA_TEST_INPUTS=15000``.
"""

import contextlib
import json
import os
import random
import shutil
import tomllib
from pathlib import Path

import pytest
import tomlkit

import dokima
from tests.books import DEMO
from tests.hardening.mutating import damaged, torn, torn_inside
from tests.shell import run_here

BOOK = dokima.load(DEMO)
ORDERS = [json.loads(path.read_text()) for path in sorted((DEMO / "orders").glob("*.json"))]
RULEBOOK = (DEMO / "rulebook.toml").read_bytes()
DATA = tomllib.loads(RULEBOOK.decode())
FORMULAS = [
    "header.kind == 'sales' and any(item.family == 'glazing') and not header.pick_up",
    "sum(line.quantity, by=item.family, where=line.quantity > 0.5) * 100 / header.without_tax",
    "coalesce(min(line.quantity, '', 5), -line.quantity) if blank(line.unit) else round(line.quantity / 3, 2)",
    "add_days(header.date, 30) > date('2026-03-02') or matches(line.item, 'P[A-Z]+-.*') and line.item in ['a', 'b']",
    "days_between('', header.date) + length(upper(trim(line.item))) - floor(abs(line.quantity) % 3)",
]  # fmt: skip


@contextlib.contextmanager
def holding(file: Path, content: bytes):
    """A file with other content for a while: all kinds of damage share one folder."""
    kept = file.read_bytes()
    file.write_bytes(content)
    try:
        yield
    finally:
        file.write_bytes(kept)


def in_data(dice: random.Random, folder: Path) -> None:
    order = dokima.Order.from_dict(damaged(dice.choice(ORDERS), dice))
    found = BOOK.price([order, dokima.Order.from_dict(ORDERS[0] | {"number": "neighbour"})])
    assert found["neighbour"].totals.payable is not None
    BOOK.check(order, at="save")
    dokima.report(found).to_text()
    dokima.to_json(found)
    dokima.to_csv(found)


def in_edits(dice: random.Random, folder: Path) -> None:
    editor = BOOK.edit(dokima.Order.from_dict(ORDERS[0]), by="Ada")
    line = damaged({"quantity": 5, "item": "PANE-T6", "unit": "C62"}, dice)
    given = line if isinstance(line, dict) else {}
    editor.change_line(10, **{name: value for name, value in given.items() if name != "number"})
    header = damaged({"customer": "OAKMERE", "date": "2026-03-02"}, dice)
    editor.change_header(**(header if isinstance(header, dict) else {}))


def in_json(dice: random.Random, folder: Path) -> None:
    BOOK.price(
        dokima.Order.from_json(torn(json.dumps(dice.choice(ORDERS)).encode(), dice).decode("utf-8", "surrogateescape"))
    )


def in_formulas(dice: random.Random, folder: Path) -> None:
    formula = torn(dice.choice(FORMULAS).encode(), dice).decode("utf-8", "replace")
    BOOK.evaluate(formula, dokima.Order.from_dict(ORDERS[0]), 10)


def in_rulebooks(dice: random.Random, folder: Path) -> None:
    data = damaged(DATA, dice)
    try:
        text = tomlkit.dumps(data)
    except (TypeError, ValueError, AttributeError):
        return  # TOML has no such value
    with holding(folder / "rulebook.toml", text.encode("utf-8", "surrogatepass")):
        dokima.load(folder).price(dokima.Order.from_dict(ORDERS[0]))


def in_rulebook_texts(dice: random.Random, folder: Path) -> None:
    with holding(folder / "rulebook.toml", torn(RULEBOOK, dice)):
        dokima.load(folder).price(dokima.Order.from_dict(ORDERS[0]))


def in_tables(dice: random.Random, folder: Path) -> None:
    table = dice.choice(sorted((DEMO / "tables").glob("*.csv")))
    target = folder / "tables" / table.name
    with holding(target, torn(target.read_bytes(), dice)):
        dokima.load(folder).price(dokima.Order.from_dict(ORDERS[0]))


def of_file(name: str):
    """Damages a file of orders, and prices it."""

    def work(dice: random.Random, folder: Path) -> None:
        target = folder / f"damaged{Path(name).suffix}"
        content = (folder / name).read_bytes()
        target.write_bytes(
            torn_inside(content, dice) if name.endswith("xlsx") and dice.random() < 0.8 else torn(content, dice)
        )
        BOOK.price(target)

    work.__name__ = f"in_{Path(name).suffix[1:]}_files"
    return work


def in_the_shell(dice: random.Random, folder: Path) -> None:
    target = folder / "damaged.json"
    target.write_text(json.dumps(damaged(dice.choice(ORDERS), dice), default=str))
    command = dice.choice(["price", "check", "lines", "explain", "edit", "variance"])
    more = {"explain": ["10"], "edit": ["--set", "10.quantity=2", "--dry-run"], "variance": ["orders/SQ-2041.json"]}
    form = dice.choice([[], ["--format", "json"], ["--format", "csv"]]) if command != "edit" else []
    status, _, _ = run_here(folder, command, target, *more.get(command, []), *form)
    assert status in (0, 1, 2)


def in_a_store(dice: random.Random, folder: Path) -> None:
    target = dice.choice([each for each in (folder / "store").rglob("*") if each.is_file()])
    with holding(target, torn(target.read_bytes(), dice)):
        for command in (["change", "ledger", "SQ-2041"], ["change", "show", "SQ-2041-C1"], ["change", "list"]):
            assert run_here(folder, *command, "--store", "store")[0] in (0, 1, 2)


KINDS = (
    in_data, in_edits, in_json, in_formulas, in_rulebooks, in_rulebook_texts, in_tables, of_file("orders.csv"),
    of_file("orders.xlsx"), of_file("orders.jsonl"), of_file("orders.parquet"), in_the_shell, in_a_store,
)  # fmt: skip
INPUTS = int(os.environ.get("DOKIMA_TEST_INPUTS", "250"))
"""Of each kind in the long run, as far as one does not take longer than others."""
SLOW = {"in_rulebooks": 6, "in_rulebook_texts": 4, "in_tables": 6, "in_the_shell": 5, "in_a_store": 20}
"""How many times as long as others a kind takes, about."""


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """A copy of the demo, its orders in every format, and a store with a change order."""
    target = tmp_path_factory.mktemp("hardening") / "book"
    shutil.copytree(DEMO, target)
    orders = [dokima.Order.from_dict(each) for each in ORDERS if not {"deliveries", "payments", "terms"} & set(each)]
    for ending in ("csv", "xlsx", "jsonl"):
        dokima.write_orders(orders, target / f"orders.{ending}", BOOK)
    import pyarrow.csv
    import pyarrow.parquet

    pyarrow.parquet.write_table(pyarrow.csv.read_csv(target / "orders.csv"), target / "orders.parquet")
    shutil.copytree(DEMO / "orders", target / "store" / "orders")
    run_here(target, "change", "open", "SQ-2041", "--reason", "x", "--by", "Ada", "--store", "store")
    run_here(target, "change", "edit", "SQ-2041-C1", "--set", "10.quantity=40", "--by", "Ada", "--store", "store")
    return target


def run_kind(work, seeds, folder):
    """Every seed once; what is no error of ours is told with its seed."""
    for seed in seeds:
        dice = random.Random(f"{work.__name__} {seed}")
        try:
            with contextlib.suppress(dokima.DokimaError):
                work(dice, folder)
        except Exception as error:
            raise AssertionError(f"{work.__name__}, seed {seed}: {type(error).__name__}: {error}") from error


@pytest.mark.parametrize("work", KINDS, ids=lambda work: work.__name__)
def test_damaged_inputs(work, folder):
    run_kind(work, range(40 // SLOW.get(work.__name__, 1)), folder)


@pytest.mark.long
@pytest.mark.parametrize("work", KINDS, ids=lambda work: work.__name__)
def test_many_damaged_inputs(work, folder):
    run_kind(work, range(1000, 1000 + INPUTS // SLOW.get(work.__name__, 1)), folder)
