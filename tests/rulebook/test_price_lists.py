"""Price lists: every price in them is what an order at that quantity costs, and nothing that applies is missing."""

import csv
import datetime
import io
from decimal import Decimal

import openpyxl
import pytest

import dokima
from tests.books import DEMO
from tests.shell import run_here

BOOK = dokima.load(DEMO)
DAY = datetime.date(2026, 3, 2)
D = Decimal


def of(prices: dokima.PriceList, item: str) -> list[tuple[object, ...]]:
    return [
        (row.party, row.unit, row.quantity, row.price, [each.percent for each in row.discounts], row.net_each)
        for row in prices.rows
        if row.item == item
    ]


def test_a_customers_prices_from_each_quantity_on():
    """Worked by hand from the tables: 43.10 less 4 % at 48 panes is 2068.80 - 82.75 = 1986.05, for one 41.3760."""
    prices = BOOK.price_list(customer="FERNHOLT", date=DAY)
    assert of(prices, "PANE-T6") == [
        ("FERNHOLT", "C62", D(1), D("48.50"), [], D("48.5000")),
        ("FERNHOLT", "C62", D(12), D("45.60"), [], D("45.6000")),
        ("FERNHOLT", "C62", D(24), D("44.25"), [D(4)], D("42.4800")),
        ("FERNHOLT", "C62", D(48), D("43.10"), [D(4)], D("41.3760")),
        ("FERNHOLT", "C62", D(100), D("43.10"), [D(6)], D("40.5140")),
        ("FERNHOLT", "MTK", D(1), D("48.50"), [], D("48.5000")),
        ("FERNHOLT", "MTK", D(24), D("41.00"), [D(4)], D("39.3600")),
        ("FERNHOLT", "MTK", D(100), D("41.00"), [D(6)], D("38.5400")),
    ]
    (kit,) = [row for row in prices.rows if row.item == "DRIP-12" and row.is_special]
    assert (kit.where.place, kit.valid_until, kit.ends_soon(DAY)) == (  # type: ignore[union-attr]
        "tables/agreed_prices.csv row 16", datetime.date(2026, 3, 31), True,
    )  # fmt: skip
    assert {row.item for row in prices.rows if row.is_both} == {"PANE-T6"}
    (advance,) = prices.terms
    assert (advance.values, advance.where.place) == ({"percent": D(20)}, "tables/advance_payments.csv row 3")


@pytest.mark.parametrize("who", [{"customer": "FERNHOLT"}, {"customer": "GREENSHAW"}, {"supplier": "BRENNICK"}])
def test_every_price_is_what_an_order_costs(who):
    """Each row is priced again as an order of its own, by the plain way."""
    (kind,) = ["sales" if "customer" in who else "purchase"]
    for row in BOOK.price_list(date=DAY, **who).rows:
        line = {"number": 10, "item": row.item, "quantity": row.quantity, **({"unit": row.unit} if row.unit else {})}
        order = BOOK.price(dokima.Order("T", lines=[line], kind=kind, date=DAY, **who))["T"]
        if row.price is None:
            assert order.findings.errors
            continue
        assert order.line(10).price == row.price
        discount = sum((each.amount for each in row.discounts), D(0))
        charged = order.line(10).figure("quantity_discount") if "customer" in who else D(0)
        assert charged == discount


def test_who_pays_what_for_an_item():
    """The list, then the groups that pay another price; customers inherit theirs and are not told again."""
    prices = BOOK.price_list(item="PANE-T6", date=DAY)
    parties = dict.fromkeys(row.party for row in prices.rows)
    assert list(parties) == ["list", "segment institution", "segment private", "segment trade"]
    named = BOOK.with_tables(
        agreed=[
            {
                "customer": "OAKMERE",
                "segment": None,
                "item": "PANE-T6",
                "unit": None,
                "valid_from": DAY,
                "valid_until": None,
                "min_quantity": None,
                "price": "40.00",
                "base": 1,
            }
        ]
    ).price_list(item="PANE-T6", date=DAY, quantity=1)
    assert [(row.party, row.price) for row in named.rows] == [("list", D("48.50")), ("OAKMERE", D("40.00"))]
    kit = BOOK.price_list(item="KIT-P2", date=DAY)
    assert ([row.price for row in kit.rows], kit.components[0].item) == ([D("2134.313")], "KIT-P2")


def test_groups_quantities_and_what_is_not_there():
    trade = BOOK.price_list(group={"segment": "trade"}, item="PANE-T6", date=DAY, quantity=200)
    assert of(trade, "PANE-T6") == [("segment trade", "C62", D(200), D("48.50"), [D(5)], D("46.0750"))]
    for wanted, message in (
        ({"customer": "FERNHOLTT"}, "there is no customer 'FERNHOLTT'; did you mean 'FERNHOLT'?"),
        ({"item": "PANE-T7"}, "there is no item 'PANE-T7'; did you mean 'PANE-T6'?"),
        ({"group": {"segment": "trad"}}, "there is no segment 'trad'; did you mean 'trade'?"),
        ({"group": {"region": "N"}}, "table customer has no column 'region'"),
        ({}, "expected a customer, a supplier, an item, or a group"),
    ):
        with pytest.raises(dokima.DokimaError, match=message.replace("?", "[?]")):
            BOOK.price_list(date=DAY, **wanted)  # type: ignore[arg-type]


def test_the_command_shows_and_writes_them(tmp_path):
    arguments = ("prices", "--customer", "FERNHOLT", "--item", "PANE-T6", "--date", "2026-03-02")
    status, out, _ = run_here(
        DEMO, *arguments, "--report", tmp_path / "p.xlsx", "--report", tmp_path / "p.html", width=118
    )
    assert (status, "special + discount" in out, "Fernholt Botanic Garden" in out) == (0, True, True)
    cells = [
        [cell.value for cell in row] for row in openpyxl.load_workbook(tmp_path / "p.xlsx").worksheets[0].iter_rows()
    ]
    assert any(row[4:6] == [48.5, 44.25] for row in cells)
    _, text, _ = run_here(DEMO, *arguments, "--format", "csv")
    row = list(csv.DictReader(io.StringIO(text)))[2]
    assert (row["price"], row["row"], row["discounts"], row["special_and_discount"]) == (
        "44.25", "6", "quantity discount 4 % (tables/volume_discounts.csv row 2)", "true",
    )  # fmt: skip
    assert run_here(DEMO, "prices", "--item", "PANE-T6", "--quantity", "-1")[0] == 2


def test_who_pays_what_where_no_table_knows_the_customers():
    """The list's price is that of whoever no row names; one customer has a row of his own, and one pays as all do."""
    data = {"rulebook": {"name": "few", "currency": "EUR"}}
    data["table"] = {
        "terms": {"match": {"item": "line.item", "customer": "header.customer"}, "choose": "most specific"}
    }
    data["routine"] = {"all": {"step": [{"name": "price", "kind": "price", "options": [{"value": "terms.price"}]}]}}
    rows = [("PANE", None, "12.50"), ("PANE", "FERNHOLT", "11.00"), ("PANE", "OAKMERE", "12.50"), ("BAR", None, "3")]
    named = [dict(zip(("item", "customer", "price"), row, strict=True)) for row in rows]
    book = dokima.Rulebook.from_dict(data, tables={"terms": named})
    found = [(row.party, row.price) for row in book.price_list(item="PANE", date=DAY).rows]
    assert found == [("list", D("12.50")), ("FERNHOLT", D("11.00"))]


def test_a_discount_on_something_cheap_is_told_though_one_piece_shows_nothing_of_it():
    """3.33 for 100 are 0.0333 each, less 12.5 %: 0.0042 of one, which an order of one rounds to nothing; 0.0291 left."""
    steps = [
        {"name": "price", "kind": "price", "options": [{"value": "list.price", "base": "list.per"}]},
        {"name": "trade", "kind": "discount", "percent": "12.5"},
    ]
    data = {"rulebook": {"name": "clips", "currency": "EUR"}, "table": {"list": {"key": {"item": "line.item"}}}}
    rows = [{"item": "CLIP", "price": "3.33", "per": 100}]
    book = dokima.Rulebook.from_dict({**data, "routine": {"all": {"step": steps}}}, tables={"list": rows})
    (row,) = book.price_list(item="CLIP", date=DAY).rows
    assert (row.price, row.net_each) == (D("0.0333"), D("0.0291"))
    assert [(each.percent, each.amount) for each in row.discounts] == [(D("12.5"), D("0.00"))]
