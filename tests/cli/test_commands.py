"""The real command line on the demo data: what it prints, where, and its exit status."""

import csv
import io
import json
from decimal import Decimal
from pathlib import Path

import pytest

from tests.books import DEMO
from tests.shell import run_here, run_process


def dokima(*arguments: object, cwd: Path = DEMO, width: int = 120) -> tuple[int, str, str]:
    """Run ``dokima`` in the demo's folder."""
    return run_here(cwd, *arguments, width=width)


def rows(text: str) -> list[list[str]]:
    """Words of every line that is not empty."""
    return [line.split() for line in text.splitlines() if line.strip()]


def test_price_prints_the_worked_example():
    """In a process of its own, as a person runs it."""
    status, out, err = run_process(DEMO, "price", "orders/SQ-2041.json", width=140)

    assert (status, err) == (0, "")
    found = rows(out)
    line_10 = "10 PANE-T6 36 C62 44.25 1593.00 63.72 1529.28 153.22 1682.50 353.33 1000.80 681.70 40.5"
    line_20 = "20 VENT-R 4 C62 129.90 519.60 0.00 519.60 10.41 530.01 111.30 296.40 233.61 44.1"
    line_30 = "30 INST-D 2.5 DAY 610.00 1525.00 0.00 1525.00 0.00 1525.00 137.25 987.50 537.50 35.2"
    assert all(line.split() in found for line in (line_10, line_20, line_30))
    assert ["tax", "S", "21", "%", "of", "2212.51", "464.63"] in found
    assert ["payable", "4339.39"] in found


def test_totals_of_many_orders(tmp_path):
    """One sum for each kind and currency; what could not be read or priced is named in every format, with the reason."""
    _, out, _ = dokima("price", "orders", "--totals", width=140)
    found = rows(out)
    sums = ["3737.51", "601.88", "4339.39", "4339.39"]
    assert ["SQ-2041", "sales", "2026-03-02", "FERNHOLT", "3", "EUR", *sums] in found
    assert ["together", "works", "1", "order", "EUR", "3136.03", "658.57", "3794.60", "3794.60"] in found
    _, text, _ = dokima("price", "orders", "--totals", "--format", "csv")
    sales = [Decimal(row["payable"]) for row in csv.DictReader(io.StringIO(text)) if row["kind"] == "sales"]
    assert found[-1][:5] == ["together", "sales", "7", "orders", "EUR"]
    assert Decimal(found[-1][-1]) == sum(sales)

    known = json.loads((DEMO / "orders" / "SQ-2041.json").read_text())
    unknown = {**known, "number": "B", "lines": [{"item": "VENT-R"}]}
    yen, damaged = {**known, "number": "C", "currency": "JPY"}, {**known, "number": "D", "date": "soon"}
    (tmp_path / "four.json").write_text(json.dumps([known, unknown, yen, damaged]))
    status, out, _ = dokima("price", tmp_path / "four.json", "--totals", width=160)
    assert status == 1
    assert [
        "together",
        "sales",
        "1",
        "order,",
        "without",
        "1",
        "EUR",
        "3737.51",
        "601.88",
        "4339.39",
        "4339.39",
    ] in rows(out)
    assert "left out  D  set aside: four.json, order D, date: expected a date such as 2026-03-02 (got 'soon')" in out
    assert "left out  B  line 10: no price: the quantity is blank" in out
    _, text, _ = dokima("price", tmp_path / "four.json", "--totals", "--format", "csv")
    reasons = {row["order"]: row["left_out"] for row in csv.DictReader(io.StringIO(text))}
    assert (reasons["SQ-2041"], reasons["B"][:35]) == ("", "line 10: no price: the quantity is ")
    assert reasons["D"].startswith("set aside: four.json, order D, date")
    _, text, _ = dokima("price", tmp_path / "four.json", "--totals", "--format", "json")
    data = json.loads(text)
    assert [(each["currency"], each["orders"], each["left_out"]) for each in data["sums"]] == [
        ("EUR", 1, 1),
        ("JPY", 1, 0),
    ]
    assert [each["order"] for each in data["left_out"]] == ["D", "B"]


def test_variance_by_a_field_leaves_out_what_cannot_be_priced(tmp_path):
    """Each currency is a block with its own places and its total; an order in error is named, and blanks no group."""
    known = json.loads((DEMO / "orders" / "SQ-2041.json").read_text())
    more = {**known, "lines": [{**line, "quantity": 5} for line in known["lines"]]}
    numbers = {"A": {}, "B": {"currency": "JPY"}, "C": {}}
    before = [{**known, "number": number, **header} for number, header in numbers.items()]
    after = [{**more, "number": number, **header} for number, header in numbers.items()]
    after[2] = {**after[2], "lines": [{"number": "10", "item": "PANE-T6"}]}
    (tmp_path / "before.json").write_text(json.dumps(before))
    (tmp_path / "after.json").write_text(json.dumps(after))

    _, out, _ = dokima(
        "variance", tmp_path / "before.json", tmp_path / "after.json", "--by", "item", "--mix", width=120
    )

    found = rows(out)
    assert ["item", "lines", "before", "after", "variance", "quantity", "price", "mix"] in found
    panes = next(row for row in found if row[0] == "PANE-T6")
    assert panes == [
        "PANE-T6",
        "EUR",
        "1",
        "1682.50",
        "263.78",
        "\u22121418.72",
        "\u22121448.82",
        "+216.72",
        "\u2212186.62",
    ]
    assert [(row[1], row[2]) for row in found if row[0] == "total"] == [("EUR", "3"), ("JPY", "3")]
    assert "before and after: the lines that changed, without tax, not their whole orders" in out
    assert "left out  C  after: line 10: no price: the quantity is blank" in out


def test_no_figure_breaks_in_a_narrow_terminal():
    for width in (40, 60, 80, 100):
        _, out, _ = dokima("price", "orders/SQ-2041.json", width=width)
        assert "1529.28" in out.split()
        _, out, _ = dokima("variance", "orders/SQ-2041.json", "changed/SQ-2041.json", width=width)
        assert "+186.94" in out.split()
        assert "+541.84" in out.split()


def test_variance_prints_what_changed():
    status, out, _ = dokima("variance", "orders/SQ-2041.json", "changed/SQ-2041.json", width=140)

    assert status == 0
    found = rows(out)
    assert [
        "20",
        "changed",
        "VENT-R",
        "4",
        "to",
        "3",
        "(−1)",
        "129.90",
        "−129.90",
        "0.00",
        "−129.90",
        "−2.60",
        "−132.50",
        "−27.82",
    ] in found
    assert ["total", "without", "tax", "3737.51", "4185.31", "+447.80"] in found
    assert ["total", "with", "tax", "4339.39", "4881.23", "+541.84"] in found
    assert not [row for row in found if row[0] == "30"]
    _, every, _ = dokima("variance", "orders/SQ-2041.json", "changed/SQ-2041.json", "--all", "--format", "json")
    assert [line["status"] for line in json.loads(every)["lines"]] == ["changed", "changed", "unchanged", "added"]


def test_explain_names_winner_and_losers():
    status, out, _ = dokima("explain", "SQ-2041", 10, "price", "--orders", "orders", "--format", "json")
    (step,) = json.loads(out)["steps"]
    agreed = next(table for table in step["tables"] if table["table"] == "agreed")

    assert status == 0
    assert [(c["row"], c["result"]) for c in agreed["candidates"]] == [
        (2, "window"), (3, "match"), (4, "break"), (5, "choose"), (6, "won"), (7, "choose"),
    ]  # fmt: skip
    _, text, _ = dokima("explain", "orders/SQ-2041.json", 10)
    assert "not row 7 (price 4460, base 100): lowest price / base: row 6 is better" in text
    assert "formula" not in text
    _, technical, _ = dokima("explain", "orders/SQ-2041.json", 10, "--technical")
    assert "amount = item.weight * line.quantity * formula.pieces * value.freight_rate" in technical


def test_what_a_line_would_cost_that_stands_in_no_order():
    """Every break of the prices and discounts that could apply: 24 (agreed, 4 %), 48 (cheaper), 100 (6 %)."""
    fields = (
        "--header",
        "kind=sales",
        "--header",
        "date=2026-03-02",
        "--header",
        "customer=FERNHOLT",
        "--line",
        "item=PANE-T6",
        "--line",
        "quantity=36",
    )
    status, out, _ = dokima("explain", *fields, "--format", "json")
    data = json.loads(out)
    assert status == 0
    assert [(r["quantity"], r["price"], r["net"]) for r in data["quantities"]] == [
        ("12", "45.60", "598.27"), ("24", "44.25", "1121.66"), ("36", "44.25", "1682.50"), ("48", "43.10", "2190.34"), ("100", "43.10", "4477.00"),
    ]  # fmt: skip
    _, text, _ = dokima("explain", *fields)
    assert ["36", "44.25", "1682.50", "46.7361", "asked", "for"] in rows(text)
    assert dokima("explain")[2].startswith("error: expected ORDER and LINE, or --header and --line")
    assert dokima("explain", "--line", "item")[0] == 2


def test_check_reports_and_exits_with_1():
    status, out, _ = dokima("check", "orders", "--format", "csv")
    found = list(csv.DictReader(io.StringIO(out)))

    assert status == 1
    assert [(row["order"], row["line"], row["rule"]) for row in found] == [
        ("SQ-2043", "", "pane-needs-crate"),
        ("SQ-2043", "30", "half-days"),
        ("SQ-2043", "40", "manual-price-reason"),
    ]
    assert dokima("check", "orders/SQ-2041.json")[0] == 0
    assert dokima("check", "--orders", "orders", "SQ-2041", "SQ-2042", "--at", "enter")[0] == 0
    _, out, _ = dokima("check", "orders", "--rule", "half-days", "--format", "json")
    data = json.loads(out)
    assert [finding["rule"] for finding in data["findings"]] == ["half-days"]
    assert [(r["rule"], r["asked"], r["refused"], r["undecided"]) for r in data["rules"]] == [("half-days", 37, 1, 0)]


def test_formats_for_programs_hold_the_same_figures():
    _, out, _ = dokima("price", "orders/SQ-2041.json", "--format", "json")
    (order,) = json.loads(out)["orders"]
    assert order["totals"]["payable"] == "4339.39"
    assert [line["net"] for line in order["lines"]] == ["1682.50", "530.01", "1525.00"]
    _, out, _ = dokima("price", "orders/SQ-2041.json", "--format", "csv")
    assert [row["net"] for row in csv.DictReader(io.StringIO(out))] == ["1682.50", "530.01", "1525.00"]


def test_other_peoples_files_go_on_after_a_bad_order():
    status, out, _ = dokima("check", "exports/depot_2026.csv", "--layout", "depot")

    assert status == 1
    assert "(got 'zwölf') (depot_2026.csv row 195)" in out
    assert "85 orders: 2 errors in 2 orders" in out


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (("price", "orders/SQ-20410.json"), "there is no file or folder 'orders/SQ-20410.json'; did you mean 'SQ-2041.json'?"),
        (("price", "SQ-2041"), "an order number needs --orders PLACE"),
        (("price", "SQ-20411", "--orders", "orders"), "there is no order SQ-20411; did you mean 'SQ-2041'?"),
        (("price",), "expected a file or folder of orders"),
        (("price", "orders", "--book", "tables"), "expected a folder with rulebook.toml (it holds no .toml file; 'dokima init' begins one)"),
        (("check", "orders", "--at", "saev"), "there is no moment 'saev'; did you mean 'save'?"),
        (("explain", "orders", 10), "expected one order to explain (got 11)"),
        (("explain", "orders/SQ-2041.json", 15), "order SQ-2041 has no line 15"),
        (("explain", "orders/SQ-2041.json", 10, "frieght"), "there is no figure 'frieght' to explain; did you mean 'freight'?"),
        (("price", "exports/depot_2026.csv", "--layout", "depo"), "there is no layout 'depo'; did you mean 'depot'?"),
        (("price", "exports/depot_2026.csv"), "expected text in utf-8"),
        (("price", "orders", "--format", "xml"), "Invalid value for '--format'"),
        (("prise", "orders"), "No such command 'prise'"),
    ],
)  # fmt: skip
def test_bad_input_is_one_clear_message_and_exit_status_2(arguments, message):
    status, out, err = dokima(*arguments)

    assert (status, out) == (2, "")
    assert message in " ".join(err.split())


def test_demo_copies_walks_and_never_overwrites(tmp_path):
    status, out, _ = dokima("demo", "q", cwd=tmp_path)

    assert status == 0
    for command in (
        "check orders",
        "price orders/SQ-2041.json",
        "explain orders/SQ-2041.json 10",
        "variance orders/SQ-2041.json",
    ):
        assert f"    dokima {command}" in out
    assert ["payable", "4339.39"] in rows(out)
    assert (tmp_path / "q" / "rulebook.toml").read_text() == (DEMO / "rulebook.toml").read_text()
    assert dokima("price", "orders/SQ-2041.json", cwd=tmp_path / "q")[0] == 0
    status, out, err = dokima("demo", "q", cwd=tmp_path)
    assert (status, out) == (2, "")
    assert "'q' exists already" in err


def test_what_if_and_why():
    """--set tries other values without touching a file; --why shows what each rule saw."""
    assert dokima("check", "orders/SQ-2041.json", "--set", "header.pick_up=false")[0] == 1
    assert dokima("check", "orders/SQ-2041.json", "--set", "30.override_reason=", "--severity", "error")[0] == 1
    status, out, _ = dokima("check", "orders/SQ-2041.json", "--why", "--format", "json")
    answers = {(a["rule"], a["line"]): a for a in json.loads(out)}
    assert status == 0
    assert answers["half-days", "30"]["result"] == "passed"
    assert answers["half-days", "10"]["result"] == "does not apply"
    assert answers["pane-needs-crate", ""]["values"] == {"header.kind": "sales", "header.pick_up": "true"}


def test_what_if_works_alike_on_price_and_explain(tmp_path):
    """Another quantity, another freight rate, another price list: 36 panes at 40.00 and 1.00 a kg are 1382.40 + 403.20."""
    prices = (DEMO / "tables" / "agreed_prices.csv").read_text().replace("24,44.25,1", "24,40.00,1")
    (tmp_path / "new.csv").write_text(prices)
    changed = ("--value", "freight_rate=1.00", "--table", f"agreed={tmp_path / 'new.csv'}")
    _, out, _ = dokima("price", "orders/SQ-2041.json", *changed, "--format", "csv")
    assert next(csv.DictReader(io.StringIO(out)))["net"] == "1785.60"
    _, out, _ = dokima("explain", "orders/SQ-2041.json", 10, *changed, "--set", "10.quantity=48", "--format", "json")
    data = json.loads(out)
    assert (data["quantity"], data["price"]) == ("48", "40")
    assert data["steps"][0]["tables"][0]["file"] == "new.csv"
    _, out, _ = dokima("price", "orders/SQ-2041.json", "--set", "line.quantity=1", "--format", "csv")
    assert [row["quantity"] for row in csv.DictReader(io.StringIO(out))] == ["1", "1", "1"]
    assert (
        "value.freight_rat: there is no such named value; did you mean 'freight_rate'?"
        in dokima("price", "orders", "--value", "freight_rat=1")[2]
    )
    assert (
        "value.freight_rate: expected a number such as 44.25 (got 'x')"
        in dokima("price", "orders", "--value", "freight_rate=x")[2]
    )
    assert "there is no line 15" in dokima("price", "orders/SQ-2041.json", "--set", "15.quantity=1")[2]


def test_a_summary_of_what_came_of_each_rule():
    _, out, _ = dokima("check", "orders")
    found = {row[0]: row[1:4] for row in rows(out) if len(row) > 4}
    assert found["half-days"] == ["37", "1", "0"]
    assert found["pane-needs-crate"] == ["11", "1", "0"]


def test_a_thousand_findings_show_the_first_and_the_count(tmp_path):
    lines = [{"item": "INST-D", "quantity": "0.25"}] * 1000
    (tmp_path / "a.json").write_text(
        json.dumps({"number": "A", "kind": "sales", "date": "2026-03-02", "customer": "PELLOW", "lines": lines})
    )
    _, out, _ = dokima("check", tmp_path / "a.json")
    assert out.count("is sold by the half day") == 40
    assert "and 960 more" in out
    assert "1 order: 1000 errors in 1 order" in out


def test_edit_is_all_or_nothing(tmp_path):
    out = tmp_path / "changed.json"
    status, said, err = dokima(
        "edit",
        "orders/SQ-2041.json",
        "--set",
        "10.quantity=40",
        "--set",
        "20.quantity=3",
        "--add",
        "item=BENCH-K,quantity=1",
        "--by",
        "M",
        "--out",
        out,
    )
    assert status == 0
    assert "payable 4339.39 to 4881.23 (+541.84)" in said
    assert f"written: {out}" in err
    assert json.loads(out.read_text())["lines"][3]["unit"] == "C62"
    variance = dokima("variance", "orders/SQ-2041.json", out)[1]
    assert "+541.84" in variance
    status, said, err = dokima(
        "edit",
        "orders/SQ-2041.json",
        "--set",
        "10.quantity=50",
        "--set",
        "30.quantity=1.25",
        "--out",
        tmp_path / "no.json",
    )
    assert (status, said, (tmp_path / "no.json").exists()) == (1, "", False)
    assert "SQ-2041: change line is refused: line 30: Installation day is sold by the half day" in " ".join(err.split())


def test_edit_on_a_folder_takes_each_order_by_itself(tmp_path):
    """A paid order, orders without a line 30, and quarter days are refused; the other four are written."""
    status, out, _ = dokima("edit", "orders", "--set", "10.quantity=3", "--by", "M", "--dry-run")
    assert (status, out.splitlines()[-1]) == (1, "10 orders would be changed, 1 refused")
    status, out, err = dokima("edit", "orders", "--set", "30.quantity=0.75", "--by", "M", "--out", tmp_path / "new")
    assert (status, out.splitlines()[-1]) == (1, "4 orders changed, 7 refused")
    assert sorted(p.name for p in (tmp_path / "new").iterdir()) == [
        "PO-719.json",
        "PO-720.json",
        "SQ-2042.json",
        "SQ-2044.json",
    ]
    assert "order PO-718 has no line 30" in err
    assert "SQ-2045 has payments, so only a change order may change it" in " ".join(err.split())


def test_rules_about_the_day_and_the_person_are_decided_on_the_command_line(tmp_path):
    """They get today and the login unless told otherwise; a date that is none is refused."""
    (tmp_path / "rulebook.toml").write_text(
        '[rulebook]\nname = "r"\ncurrency = "EUR"\n[[rule]]\nid = "by-march"\nat = "enter"\n'
        """require = "run.today < date('2026-04-01') and run.user == 'M' and line.quantity > 0"\n"""
    )
    (tmp_path / "a.json").write_text('{"number": "A", "lines": [{"quantity": 1}]}')
    given = ("--by", "M", "--today", "2026-03-31")
    assert dokima("check", "a.json", *given, cwd=tmp_path)[0] == 0
    assert dokima("edit", "a.json", "--set", "10.quantity=2", "--dry-run", *given, cwd=tmp_path)[0] == 0
    status, out, _ = dokima("check", "a.json", "--by", "M", cwd=tmp_path)
    assert (status, "could not be decided" in out) == (1, False)  # today is later, and known
    assert (
        "expected --today as a date such as 2026-03-02 (got '31.3.')"
        in dokima("check", "a.json", "--today", "31.3.", cwd=tmp_path)[2]
    )


def test_edit_usage():
    assert dokima("edit", "orders/SQ-2041.json", "--remove", "20")[2].startswith("error: expected --out PATH")
    assert dokima("edit", "orders/SQ-2041.json", "--set", "quantity=1", "--dry-run")[0] == 2
    assert dokima("edit", "orders/SQ-2041.json", "--override", "20=5", "--dry-run")[0] == 2
    status, out, _ = dokima(
        "edit", "orders/SQ-2041.json", "--override", "20=100:fair", "--insert", "20:item=VENT-L,quantity=1", "--remove", "10",
        "--close", "30", "--renumber", "--to", "confirmed", "--by", "M", "--dry-run",
    )  # fmt: skip
    assert status == 0
    assert [row[:2] for row in rows(out)][:8] == [
        ["SQ-2041", "confirmed"], ["override", "price:"], ["insert", "line:"], ["remove", "line:"], ["close", "lines:"],
        ["renumber", "lines"], ["move", "to:"], ["payable", "4339.39"],
    ]  # fmt: skip


def test_spec_says_what_the_rulebook_says():
    status, out, _ = dokima("spec", width=160)
    flat = " ".join(out.split())
    assert status == 0
    for sentence in (
        "4.7 Agreed prices (agreed)",
        "15 rows in tables/agreed_prices.csv, digest",
        "Of several rows wins that with the lowest price / base, then the first in the file.",
        "5.4 At save pane-needs-crate Where the kind of the order is ‘sales’ and (on some line the family of the item is",
        "Else it stops: “A manual price of {line.price_override} for {line.item} needs a reason.”",
        "Else it is the agreed price in agreed prices for so many units as the base in agreed prices says",
        "Take off so many percent as the volume discount percent in volume discounts says, of goods. volume.percent %",
        "pick-up header.pick_up flag no",
        "draft confirmed, cancelled",
        "No cases were run for this text: nothing in it is verified.",
    ):
        assert sentence in flat


def test_version_and_help():
    assert run_process(DEMO, "--version")[1].startswith("dokima 0.")
    help_text = dokima("--help")[1]
    for command in ("check", "price", "explain", "variance", "edit", "spec", "demo"):
        assert command in help_text


def test_audit_tells_rows_and_examples():
    status, out, err = dokima("audit", "--today", "2026-03-12", width=200)
    assert (status, err) == (0, "")
    assert "tables/agreed_prices.csv rows 7, 6: for segment institution, item PANE-T6" in " ".join(out.split())
    assert "try: dokima explain --header kind=sales --header customer=FERNHOLT" in out
    status, out, _ = dokima("audit", "--today", "2026-03-12", "--check", "expired", "--format", "json")
    (remark,) = json.loads(out)
    assert (status, remark["rows"], remark["example"]["header.date"]) == (0, [2], "2025-12-31")
    status, _, err = dokima("audit", "--check", "expird")
    assert (status, "there is no check 'expird'; did you mean 'expired'?" in err) == (2, True)


def test_price_shows_one_line_chosen_figures_and_a_locale(tmp_path):
    chart = tmp_path / "w.png"
    status, out, err = dokima("price", "orders/SQ-2041.json", "--steps", 10, "--locale", "de_DE", "--chart", chart)
    assert (status, err) == (0, f"written: {chart}\n")
    assert ["−", "quantity", "discount", "−63,72", "1.529,28"] in rows(out)
    assert chart.read_bytes().startswith(b"\x89PNG")
    _, out, _ = dokima("price", "orders/SQ-2041.json", "--figures", "price, margin", "--format", "csv")
    row = next(csv.DictReader(io.StringIO(out)))
    assert [*row][-2:] == ["price", "margin"]
    assert "there is no figure 'margn'; did you mean 'margin'?" in dokima("price", "orders", "--figures", "margn")[2]
    assert "expected a locale such as de_DE" in dokima("price", "orders", "--locale", "zz_QQ")[2]
    svg, pdf = tmp_path / "s.svg", tmp_path / "s.bmp"
    fields = ("--header", "customer=FERNHOLT", "--header", "kind=sales", "--header", "date=2026-03-02")
    trial = ("explain", *fields, "--line", "item=PANE-T6", "--line", "quantity=50")
    assert dokima(*trial, "--chart", svg)[0] == 0
    assert "<svg" in svg.read_text()
    assert "expected a chart file ending in .png, .svg or .pdf" in dokima(*trial, "--chart", pdf)[2]
    table = rows(dokima(*trial, width=140)[1])
    assert ["agreed", "prices", "4", "base", "1,", "price", "43.1", "wins"] in table


def test_spec_says_what_tables_roll_up_convert_and_how_changes_are_settled():
    out = " ".join(dokima("spec", width=160)[1].split())
    for said in (
        "Cost is summed from its components: the unit cost of the item times quantity, scrap on top.",
        "Price is converted: times the exchange rate in exchange rates.",
        "Due in advance is so many percent as the advance percent in advance payments says, of the total with tax.",
        "to pay on order the advance payment due of the order the date of the order",
        "It is worked out once for each line that has sub-lines, and shared over the lines by what each comes to.",
        "sales: increases become an order of their own; purchase: the change goes into the order; works:",
        "Totals are told in GBP too, at the rate in exchange rates.",
    ):
        assert said in out
