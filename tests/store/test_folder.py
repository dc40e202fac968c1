"""The folder store through the real command line and through Python; reports read back; what happens between."""

from __future__ import annotations

import csv
import json
import re
import shutil
import subprocess
import sys
from decimal import Decimal as D
from pathlib import Path

import openpyxl
import pytest

import dokima
from dokima.store.locking import only_writer
from tests.books import DEMO
from tests.shell import run_here


def run(folder, *arguments):
    return run_here(folder, *arguments, width=160)


@pytest.fixture
def folder(tmp_path):
    target = tmp_path / "q"
    shutil.copytree(DEMO, target)
    return target


@pytest.fixture
def store(folder):
    return dokima.FolderStore(folder, dokima.load(folder))


def _submitted(store, panes=40):
    number = store.open_change("SQ-2041", "Ada", reason="more panes").number
    store.update_change(number, "Ada", lambda change: change.edit("Ada").change_line(10, quantity=panes))
    store.update_change(number, "Ada", lambda change: change.submit("Ada"))
    return number


def test_a_change_from_the_shell_from_opening_to_the_ledger(folder):
    order = (folder / "orders" / "SQ-2041.json").read_text()
    (folder / "orders" / "SQ-2041.json").write_text(order.replace('"pick_up": true', '"pick_up": true, "budget": 4500'))
    assert run(folder, "change", "open", "SQ-2041", "--reason", "a bench")[:2] == (0, "SQ-2041-C1\n")
    edits = ("--set", "10.quantity=40", "--set", "20.quantity=3", "--add", "item=BENCH-K,quantity=1")
    status, out, _ = run(folder, "change", "edit", "SQ-2041-C1", *edits)
    assert (status, "+541.84" in out, "added" in out) == (0, True, True)
    status, _, err = run(folder, "change", "approve", "SQ-2041-C1")
    assert (status, "is draft, so it cannot be approved" in err) == (2, True)
    assert run(folder, "change", "submit", "SQ-2041-C1")[0] == 0
    status, out, _ = run(folder, "change", "approve", "SQ-2041-C1", "--by", "Ben")
    assert (status, out.splitlines()) == (
        0,
        ["SQ-2041\tamended\trevision 1", "SQ-2041-S1\tsupplement\trevision 0", "tax rounding\t-0.01\tEUR"],
    )
    status, _, err = run(folder, "change", "approve", "SQ-2041-C1")
    assert (status, "SQ-2041-C1 is approved, so it cannot be approved" in err) == (2, True)
    _, out, _ = run(folder, "change", "ledger", "SQ-2041", "--format", "json")
    ledger = json.loads(out)
    assert (ledger["balanced"], ledger["current"]["with_tax"], ledger["headroom"]) == (True, "4881.22", "314.69")
    assert [line["changes"] for line in ledger["lines"]] == [
        {"SQ-2041-C1": "186.94"}, {"SQ-2041-C1": "-132.50"}, {}, {"SQ-2041-C1": "393.36"},
    ]  # fmt: skip
    status, _, err = run(folder, "change", "show", "SQ-2041-C9")
    assert (status, "there is no change order SQ-2041-C9; did you mean 'SQ-2041-C1'?" in err) == (2, True)


def test_reports_say_the_same_in_every_form(folder, store):
    number = store.open_change("SQ-2041", "Ada", reason="=cmd()", requested_by="Ι. Μάρροου, И. Марроу").number

    def more(change):
        editor = change.edit("Ada")
        for at in range(60):
            editor.add_line(item="CLIP-S", quantity=at + 1, description=f"=clip {at} " + "long and winding words " * 4)

    store.update_change(number, "Ada", more)
    targets = [folder / f"r.{kind}" for kind in ("html", "pdf", "xlsx", "csv", "json", "md")]
    options = [part for target in targets for part in ("--report", target)]
    status, _, err = run(folder, "change", "show", number, *options, "--locale", "de_DE", "--chart", folder / "c.svg")
    assert (status, err.count("written:")) == (0, 7)
    variance = store.change(number).variance()
    ((_, totals),) = variance.totals().items()
    page = (folder / "r.html").read_text()
    assert page.count("<tr") == (1 + 5) + (2 + 62)
    assert '<html lang="de">' in page
    assert "=cmd()" in page
    assert f"{totals['with_tax'].after:,.2f}".translate(str.maketrans(",.", ".,")) in page
    sheets = openpyxl.load_workbook(folder / "r.xlsx")
    summary, lines = sheets.worksheets
    assert [D(str(cell.value)) for cell in summary[summary.max_row][1:4]] == [
        totals["with_tax"].before, totals["with_tax"].variance, totals["with_tax"].after,
    ]  # fmt: skip
    assert ["Grund", "=cmd()"] in [[cell.value for cell in row[:2]] for row in summary.iter_rows(min_row=3)]
    heights = [summary.row_dimensions[int(summary.freeze_panes[1:]) - 1].height, lines.row_dimensions[3].height]
    assert heights == [15.0, 45.0]  # "Menge Abweichung" takes a line a word, "ohne Steuer Abweichung" three
    assert (lines.freeze_panes, lines["C5"].data_type, lines["C5"].value[:6]) == ("A4", "s", "=clip ")
    assert lines.max_row == 3 + 62
    assert D(str(lines.cell(65, 13).value)) == totals["without_tax"].variance
    raw = (folder / "r.pdf").read_bytes()
    pages = max(int(n) for n in re.findall(rb"/Count (\d+)", raw))
    assert pages > 2
    assert b"DejaVuSans" in raw
    # CSV and JSON are for programs: the same keys and plain numbers in any language.
    table = list(csv.DictReader((folder / "r.csv").read_text().splitlines()))
    assert (folder / "r.csv").read_text() == run(folder, "change", "show", number, "--format", "csv")[1]
    assert D(table[0]["with_tax_variance"]) == D(table[0]["with_tax_after"]) - D(table[0]["with_tax_before"] or 0)
    assert len(table) == 60
    told = json.loads((folder / "r.json").read_text())
    assert told == json.loads(run(folder, "change", "show", number, "--format", "json")[1])
    assert (told["state"], told["valid_until"], len(told["lines"])) == ("draft", None, 60)
    assert told["orders"][0]["totals"]["with_tax"]["variance"] == str(totals["with_tax"].variance)
    assert told["parties"]["customer"] == ["Fernholt Botanic Garden", "Orangery Lane 3", "3512 Fernholt"]
    mail = (folder / "r.md").read_text().splitlines()
    total = f"{totals['without_tax'].variance:,.2f}".translate(str.maketrans(",.", ".,"))
    assert sum(line.startswith("| ") for line in mail) == (1 + 5) + (1 + 62)
    assert [line for line in mail if line.endswith(f"| +{total} |")]
    assert "- gewünscht von: Ι. Μάρροου, И. Марроу" in mail
    assert "expected a report ending in" in run(folder, "change", "show", number, "--report", "r.doc")[2]


@pytest.mark.parametrize(
    ("option", "missing", "said"),
    [
        (
            ("--chart", "c.png"),
            "matplotlib",
            "charts need matplotlib, which is not installed: pip install 'dokima[charts]'",
        ),
        (
            ("--report", "r.pdf"),
            "reportlab",
            "reports as PDF need reportlab, which is not installed: pip install 'dokima[pdf]'",
        ),
    ],
)
def test_without_an_extra_a_report_says_what_to_install(folder, store, monkeypatch, option, missing, said):
    number = store.open_change("SQ-2041", "Ada").number
    store.update_change(number, "Ada", lambda change: change.edit("Ada").change_line(10, quantity=40))
    for name in [each for each in sys.modules if each.partition(".")[0] == missing]:
        monkeypatch.delitem(sys.modules, name)
    monkeypatch.setattr(sys, "meta_path", [_Without(missing), *sys.meta_path])
    status, _, err = run(folder, "change", "show", number, *option)
    assert (status, f"error: {said}\n" in err, (folder / option[1]).exists()) == (2, True, False)


class _Without:
    """Finds one library nowhere."""

    def __init__(self, library):
        self.library = library

    def find_spec(self, name, *_):
        if name.partition(".")[0] == self.library:
            raise ModuleNotFoundError(f"No module named '{name}'", name=name)


@pytest.mark.parametrize("survives", range(4))
def test_a_settlement_cut_short_is_all_there_or_not_at_all(store, monkeypatch, survives):
    """The process dies before the nth file is in place: before the deciding one nothing has happened, after it all has."""
    number = _submitted(store)
    before = {path: path.read_text() for path in (store.folder / "orders").iterdir()}
    real, count = Path.replace, [0]

    def dying(self, target):
        if count[0] == survives:
            raise KeyboardInterrupt
        count[0] += 1
        return real(self, target)

    monkeypatch.setattr(Path, "replace", dying)
    with pytest.raises(KeyboardInterrupt):
        store.approve(number, "Ben")
    monkeypatch.undo()
    again = dokima.FolderStore(store.folder, store.book)
    orders = again.with_supplements("SQ-2041")
    if survives == 0:
        assert again.change(number).state == "submitted"
        assert {path: path.read_text() for path in (store.folder / "orders").glob("*.json")} == before
    else:
        assert again.change(number).state == "approved"
        assert [order.number for order in orders] == ["SQ-2041", "SQ-2041-S1"]
        assert [str(order.line(10)["quantity"]) for order in orders] == ["36", "4"]
        assert again.ledger("SQ-2041").is_balanced


def test_a_second_writer_waits_and_is_told_for_whom(store, caplog):
    """Two writers at once, in a fixed sequence: the second waits, gives up with a message, and goes on once it may."""
    number = _submitted(store)
    quick = dokima.FolderStore(store.folder, store.book, patience=0.6)
    with only_writer(store.folder, "Cleo", 1):
        with pytest.raises(dokima.Conflict, match="Cleo is writing in .* .waited 0.6 s.; try again in a moment"):
            quick.approve(number, "Ben")
        assert "waiting for Cleo, who is writing in" in caplog.text
        assert quick.change(number).state == "submitted"  # readers never wait
    (store.folder / ".lock").write_text("whatever somebody left here")
    assert [order.number for order in quick.approve(number, "Ben").orders] == ["SQ-2041", "SQ-2041-S1"]


def test_a_killed_writer_holds_nothing(store):
    """The lock dies with its holder, at whatever moment that is."""
    code = (
        "import os, signal; from pathlib import Path; from dokima.store.locking import only_writer\n"
        "with only_writer(Path('.'), 'Cleo', 1): os.kill(os.getpid(), signal.SIGKILL)"
    )
    ended = subprocess.run([sys.executable, "-c", code], cwd=store.folder, check=False)
    assert (ended.returncode, (store.folder / ".writer").exists()) == (-9, True)
    assert store.open_change("SQ-2041", "Ada").number == "SQ-2041-C1"
    assert not (store.folder / ".writer").exists()


def test_two_changes_and_two_approvals(store):
    number = _submitted(store)
    other = store.open_change("SQ-2041", "Cleo").number
    store.update_change(other, "Cleo", lambda change: change.edit("Cleo").change_line(20, quantity=2))
    store.update_change(other, "Cleo", lambda change: change.submit("Cleo"))
    store.approve(number, "Ben")
    with pytest.raises(dokima.Locked, match="is approved"):
        store.approve(number, "Cleo")
    with pytest.raises(dokima.StaleBaseline, match="SQ-2041 has moved since SQ-2041-C2 was opened; rebase it"):
        store.approve(other, "Ben")
    store.rebase(other, "Cleo")
    store.update_change(other, "Cleo", lambda change: change.submit("Cleo"))
    store.approve(other, "Ben")
    ledger = store.ledger("SQ-2041")
    assert ([each.number for each in ledger.approved], ledger.is_balanced) == (["SQ-2041-C1", "SQ-2041-C2"], True)


def test_a_ledger_names_direct_edits(folder, store):
    """What was done without a change order is a row of its own, after the last change or between two."""
    store.approve(_submitted(store), "Ben")
    was = store.ledger("SQ-2041").current
    editor = store.book.edit(store.order("SQ-2041"), by="Cleo")
    editor.change_line(20, quantity=6)
    (folder / "orders" / "SQ-2041.json").write_text(json.dumps(editor.order.to_dict(), default=str))
    ledger = store.ledger("SQ-2041")
    (edit,) = ledger.direct
    assert (edit.document, edit.revision, edit.before, ledger.is_balanced) == ("SQ-2041", 1, "", True)
    assert edit.variance == {name: ledger.current[name] - was[name] for name in was}
    status, out, _ = run(folder, "change", "ledger", "SQ-2041")
    assert (status, "direct edit" in out, "SQ-2041, revision 1" in out) == (0, True, True)

    second = _submitted(store, panes=50)
    store.approve(second, "Ben")
    ledger = store.ledger("SQ-2041")
    assert ([each.before for each in ledger.direct], ledger.is_balanced) == ([second], True)
    assert [str(line.rest) for line in ledger.lines[:2]] == ["0.00", "265.01"]
    # 21 % of 2336.80 + 795.02 less 21 % of 1869.44 + 795.02 is 657.68 - 559.54; documents 657.53 + 39.26 + 98.15 + 137.25.
    row = ledger.approved[1]
    assert (str(row.variance["tax"]), str(row.tax_rounding), str(ledger.current["tax"])) == ("98.14", "0.01", "794.94")

    path = folder / "changes" / f"{second}.json"
    kept = json.loads(path.read_text())
    kept["settled"]["tax_rounding"] = "0.05"
    path.write_text(json.dumps(kept))
    ledger = store.ledger("SQ-2041")
    assert (ledger.is_balanced, str(ledger.imbalance["tax"]), ledger.to_dict()["balanced"]) == (False, "-0.04", False)
    assert "does not balance" in run(folder, "change", "ledger", "SQ-2041")[1]


def test_a_supplement_is_one_because_its_link_says_so(store):
    """Another customer's order may have a name that looks like one; a change of a supplement is one of its original."""
    other = {**store.order("SQ-2044").to_dict(), "number": "SQ-2041-SPARES"}
    (store.folder / "orders" / "SQ-2041-SPARES.json").write_text(json.dumps(other, default=str))
    change = {**store.open_change("SQ-2041-SPARES", "Cleo").to_dict()}
    assert (change["order"], [order.number for order in store.with_supplements("SQ-2041")]) == (
        "SQ-2041-SPARES",
        ["SQ-2041"],
    )
    before = (store.folder / "orders" / "SQ-2041-SPARES.json").read_text()
    store.approve(_submitted(store), "Ben")
    assert (store.folder / "orders" / "SQ-2041-SPARES.json").read_text() == before
    assert [order.number for order in store.with_supplements("SQ-2041")] == ["SQ-2041", "SQ-2041-S1"]

    number = store.open_change("SQ-2041-S1", "Ada").number
    assert number == "SQ-2041-C2"
    store.update_change(number, "Ada", lambda change: change.edit("Ada").change_line(10, quantity=45))
    store.update_change(number, "Ada", lambda change: change.submit("Ada"))
    store.approve(number, "Ben")
    assert store.ledger("SQ-2041-S1").is_balanced
    assert store.ledger("SQ-2041").number == "SQ-2041"
    document = store.order("SQ-2041-S1").to_dict()
    document["links"] = []
    (store.folder / "orders" / "SQ-2041-S1.json").write_text(json.dumps(document, default=str))
    with pytest.raises(dokima.DocumentError, match="SQ-2041-S1, links: expected a link to the original SQ-2041"):
        store.with_supplements("SQ-2041")


def test_a_change_reads_only_what_it_is_about(store, monkeypatch):
    """However many orders and changes there are: the fiftieth change reads no more files than the second."""
    for at in range(200):
        order = {**store.order("SQ-2044").to_dict(), "number": f"ZZ-{at}"}
        (store.folder / "orders" / f"ZZ-{at}.json").write_text(json.dumps(order, default=str))
    read, real = [], Path.read_text
    monkeypatch.setattr(Path, "read_text", lambda path, *a, **k: (read.append(path.name), real(path, *a, **k))[1])
    counts = []
    for _ in range(50):
        read.clear()
        number = store.open_change("SQ-2041", "Ada").number
        store.update_change(number, "Ada", lambda change: change.edit("Ada").change_line(20, quantity=3))
        counts.append(len(read))
    assert counts[49] == counts[1] <= 7
    read.clear()
    store.update_change(number, "Ada", lambda change: change.submit("Ada"))
    store.approve(number, "Ben")
    assert len(read) <= 12


@pytest.mark.long
def test_fifty_change_orders_on_one_order(store):
    numbers = [store.open_change("SQ-2041", "Ada").number for _ in range(50)]
    assert numbers[-1] == "SQ-2041-C50"
    for at, number in enumerate(numbers[:12]):
        store.rebase(number, "Ada")
        store.update_change(number, "Ada", lambda change, at=at: change.edit("Ada").change_line(20, quantity=5 + at))
        store.update_change(number, "Ada", lambda change: change.submit("Ada"))
        store.approve(number, "Ben")
    ledger = store.ledger("SQ-2041")
    assert (len(ledger.approved), len(ledger.pending), ledger.is_balanced) == (12, 38, True)
    assert [order.number for order in store.with_supplements("SQ-2041")][-1] == "SQ-2041-S12"


def test_a_customer_with_other_prices_still_gets_the_approved_ones(folder, store):
    number = _submitted(store)
    prices = folder / "tables" / "agreed_prices.csv"
    prices.write_text(prices.read_text().replace("44.25", "99.00"))
    settlement = dokima.FolderStore(folder, dokima.load(folder)).approve(number, "Ben")
    line = dokima.load(folder).price(settlement.supplement)["SQ-2041-S1"].line(10)
    assert (line.price, line.goods) == (D("44.25"), D("177.00"))


def test_a_changed_baseline_and_a_bad_number_are_refused(folder, store):
    number = _submitted(store)
    path = folder / "baselines" / f"{number}.json"
    path.write_text(path.read_text().replace("FERNHOLT", "FERNHOLD"))
    status, _, err = run(folder, "change", "show", number)
    assert (status, f"order {number}, baseline: the baseline has been changed" in err) == (2, True)
    change = folder / "changes" / f"{number}.json"
    for old, new, said in (
        ('"state": "submitted"', '"state": "finished"', "state: expected one of draft, submitted, approved"),
        ('"baseline":', '"base":', "baseline: expected it in a change order (it is missing)"),
        ("{", "[", f"{number}.json row 2: expected JSON"),
    ):
        text = change.read_text()
        change.write_text(text.replace(old, new, 1))
        status, _, err = run(folder, "change", "show", number)
        assert (status, said in err) == (2, True), err
        change.write_text(text)
    assert "expected a number that can name a file" in run(folder, "change", "ledger", "../SQ-2041")[2]
    assert (
        "expected a folder with a folder 'orders' in it"
        in run(folder / "tables", "change", "ledger", "X", "--book", folder)[2]
    )


def test_compare_says_what_other_tables_do_to_the_orders(folder):
    """4 % becomes 5 % from 24 panes, and 3 % 2 % from 50: FERNHOLT's line 15.93 less, GREENSHAW's 12.32 more."""
    run(folder, "edit", "orders/SQ-2041.json", "--to", "confirmed", "--out", "orders/SQ-2041.json")
    stated = folder / "orders" / "SQ-2042.json"
    stated.write_text(stated.read_text().replace('"kind": "sales",', '"kind": "sales", "stated_with_tax": "1.00",'))
    table = (folder / "tables" / "volume_discounts.csv").read_text()
    new = folder / "new.csv"
    new.write_text(re.sub(r",3\n", ",2\n", re.sub(r",4\n", ",5\n", table)))
    given = ("compare", "--orders", "orders", "--table", f"volume={new}", "--format", "json")
    status, out, _ = run(folder, *given)
    found = json.loads(out)["replay"]
    assert status == 0
    assert (found["stated"], found["reproduced"], [each["order"] for each in found["off"]]) == (2, 1, ["SQ-2042"])
    assert (found["changed_orders"], found["totals"]["EUR"]["variance"]) == (2, "-3.61")
    assert [(each["order"], each["variance"]) for each in found["largest"]] == [
        ("SQ-2041", "-15.93"), ("SQ-2042", "12.32"),
    ]  # fmt: skip
    assert {(each["value"], each["variance"]) for each in found["by_customer"]} == {
        ("FERNHOLT", "-15.93"), ("GREENSHAW", "12.32"),
    }  # fmt: skip
    _, out, _ = run(folder, *given, "--as-of", "2025-03-01")
    assert json.loads(out)["replay"]["totals"]["EUR"]["before"] != found["totals"]["EUR"]["before"]
    text = (folder / "rulebook.toml").read_text().replace("line.quantity % 0.5 == 0", "line.quantity % 1 == 0")
    shutil.copytree(folder, folder.parent / "stricter")
    (folder.parent / "stricter" / "rulebook.toml").write_text(text)
    status, out, _ = run(folder, "compare", ".", folder.parent / "stricter", "--orders", "orders")
    assert (status, re.search(r"half-days\s+\+1\s+−0", out) is not None) == (1, True)
    assert "expected OLD, or another table or value" in run(folder, "compare", "--orders", "orders")[2]
    assert "expected --orders too" in run(folder, "compare", ".", "--as-of", "2025-03-01")[2]
    assert "there is no file or folder 'ordres'" in run(folder, "compare", ".", "--orders", "ordres")[2]
    status, out, _ = run(folder, "compare", ".", folder.parent / "stricter", "--table", f"volume={new}", "-f", "json")
    assert {each["path"].split(".")[0] for each in json.loads(out)["changes"]} == {"rule", "volume"}


def test_two_approvals_at_once_settle_once(folder, store):
    """Two processes approve the same change in the same moment: one does, the other is told, nothing is doubled."""
    number = _submitted(store)
    command = [sys.executable, "-m", "dokima", "change", "approve", number]
    both = [
        subprocess.Popen(command, cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) for _ in "ab"
    ]
    ended = [(process.communicate(), process.returncode) for process in both]
    assert sorted(code for _, code in ended) == [0, 2], ended
    told = next(err for (_, err), code in ended if code == 2)
    assert "is approved, so it cannot be approved" in told
    assert [order.number for order in store.with_supplements("SQ-2041")] == ["SQ-2041", "SQ-2041-S1"]
    assert store.ledger("SQ-2041").is_balanced
    assert not [*folder.rglob("*.partial"), *folder.rglob("*.pending"), *folder.rglob(".writer")]


def test_an_approval_as_people_do_it(folder, store):
    """Not by the one who asked, beyond the budget only with an acceptance; and the list says what waits."""
    path = folder / "orders" / "SQ-2041.json"
    path.write_text(path.read_text().replace('"pick_up": true', '"pick_up": true, "budget": 3800'))
    number = store.open_change("SQ-2041", "Ada", requested_by="Bea", reason="more panes").number
    store.update_change(number, "Ada", lambda change: change.edit("Ada").change_line(10, quantity=40))
    store.update_change(number, "Ada", lambda change: change.submit("Ada"))
    second = store.open_change("SQ-2044", "Cleo", reason="perhaps").number
    store.update_change(second, "Cleo", lambda change: change.withdraw("Cleo", "the customer has thought again"))

    status, out, _ = run(folder, "change", "list", "--format", "json", "--today", "2040-01-01")
    listed = json.loads(out)
    assert [(each["number"], each["state"], each["without_tax"], each["reason"]) for each in listed] == [
        (number, "submitted", "186.94", "more panes"),
        (second, "withdrawn", "0.00", "the customer has thought again"),
    ]
    assert (status, listed[0]["waits"] > 4000, listed[1]["waits"], listed[0]["submitted_by"]) == (0, True, None, "Ada")
    assert "Cleo: the customer has thought again" in run(folder, "change", "show", second)[1]

    accepted = ("--accept", "beyond-budget=agreed by the board")
    status, _, told = run(folder, "change", "approve", number, "--by", "Bea", *accepted)
    assert (status, "Bea asked for this change, so somebody else approves it." in told) == (2, True)
    # 3800.00 - 3737.51 are left, and the change takes 186.94.
    status, _, told = run(folder, "change", "approve", number, "--by", "Ben")
    said = "The change comes to 186.94 without tax and leaves -124.45 of the budget of 3800.00."
    assert (status, said in told) == (2, True)
    _, _, told = run(folder, "change", "approve", number, "--by", "Ben", "--accept", "beyond-bugdet=x")
    assert "rule beyond-bugdet has nothing to accept; did you mean 'beyond-budget'?" in told
    assert run(folder, "change", "approve", number, "--by", "Ben", *accepted)[0] == 0
    (kept,) = store.change(number).record["accepted"]
    assert (kept["rule"], kept["message"], kept["reason"]) == ("beyond-budget", said, "agreed by the board")
    # An order by itself is no change: such rules do not apply to it.
    status, out, _ = run(folder, "check", "orders", "--at", "approve", "--why", "--rule", "beyond-budget")
    assert (status, "it asks about a change being approved, and there is none" in out, "would say" in out) == (
        0,
        True,
        False,
    )


def test_only_rules_of_approving_see_a_change():
    data = {"rule": [{"id": "r", "at": "save", "require": "ledger.headroom >= 0"}], "rulebook": {"name": "x"}}
    with pytest.raises(dokima.RulebookError, match="'ledger.headroom' is known to rules of 'approve' only .got save."):
        dokima.Rulebook.from_dict(data)
    data["rule"][0] |= {"at": "approve", "require": "variance.whithout_tax >= 0"}
    with pytest.raises(
        dokima.RulebookError, match="there is no 'variance.whithout_tax'; did you mean 'variance.without"
    ):
        dokima.Rulebook.from_dict(data)

    @dokima.rule("too-much", at=("approve", "save"))
    def too_much(order, change):
        return dokima.accept()

    with pytest.raises(dokima.RulebookError, match="'change' is known to rules of 'approve' only .got approve, save"):
        dokima.Rulebook.from_dict({"rulebook": {"name": "x"}}, python=[too_much])
    data = {"rulebook": {"name": "x"}, "header": {"asker": {"default": "change.opened_by"}}}
    with pytest.raises(dokima.RulebookError, match="only rules of 'approve' see the change"):
        dokima.Rulebook.from_dict(data)
