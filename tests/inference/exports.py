"""Exports of other people, made here: a tea merchant, a bicycle shop, a brewery's supplier, a seed merchant, a builder."""

import csv
import datetime
import random
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path

import openpyxl

D = Decimal
TEAS = [
    ("T-0107", "Assam Frühstück", D("8.40")), ("T-0112", "Grüner Sencha", D("11.25")),
    ("T-0200", "Früchtetee Größe L", D("5.95")), ("K-0042", "Teekanne Glas", D("24.90")),
]  # fmt: skip
PARTS = [("1001", "Spoke 262 mm", D("18.50"), 100), ("1002", "Chain", D("14.20"), 1), ("1003", "Bell", D("3.05"), 1)]
SEEDS = [("S-10", D("1240.00")), ("S-20", D("3.95")), ("S-30", D("0.60"))]
MALTS = [("M1", "Pale malt", D("1.28")), ("M2", "Smoked malt", D("2.04")), ("H9", "Hops, leaf", D("31.60"))]


def cent(value: Decimal) -> Decimal:
    return value.quantize(D("0.01"), ROUND_HALF_UP)


def tea(folder: Path, orders: int = 60) -> int:
    """Semicolons, decimal commas, thousands points, cp1252; prices from 24 on are 5 % lower. Gives the lines."""
    draw = random.Random(7)
    rows = ["Beleg-Nr;Belegdatum;Kunde;Währung;Pos;Artikel;Bezeichnung;Menge;ME;Einzelpreis;Rabatt %;Betrag"]
    for number in range(orders):
        day = datetime.date(2026, 1, 1) + datetime.timedelta(days=draw.randint(0, 70))
        customer = f"K{draw.randint(1, 9):04}"
        for line in range(draw.randint(1, 5)):
            item, words, price = draw.choice(TEAS)
            quantity, percent = D(draw.choice([1, 2, 5, 12, 24, 60])), draw.choice([D(0), D(0), D(3), D("2.5")])
            price = cent(price * D("0.95")) if quantity >= 24 else price
            amount = f"{cent(quantity * price * (1 - percent / 100)):,.2f}".translate(str.maketrans(",.", ".,"))
            cells = (
                f"VB26{number:04}",
                f"{day:%d.%m.%Y}",
                customer,
                "EUR",
                line * 10 + 10,
                item,
                words,
                quantity,
                "STK",
            )
            rows.append(
                ";".join(map(str, (*cells, str(price).replace(".", ","), str(percent).replace(".", ","), amount)))
            )
    (folder / "belege.csv").write_text("\n".join(rows) + "\n", encoding="cp1252")
    prices = ["Artikel;ab Menge;Preis"]
    for item, _, price in TEAS:
        prices += [f"{item};;{price}".replace(".", ","), f"{item};24;{cent(price * D('0.95'))}".replace(".", ",")]
    (folder / "preise.csv").write_text("\n".join(prices) + "\n", encoding="cp1252")
    return len(rows) - 1


def bicycles(folder: Path, orders: int = 40) -> int:
    """Two linked files; no line numbers, prices per hundred, days that nothing tells from months; gives the lines."""
    draw = random.Random(11)
    heads, rows = [("doc", "ordered", "client", "goods total")], [("doc", "sku", "text", "qty", "rate", "per", "value")]
    for number in range(orders):
        total = D(0)
        for _ in range(draw.randint(2, 4)):
            sku, words, rate, per = draw.choice(PARTS)
            quantity = draw.randint(1, 400)
            value = cent(D(quantity) * rate / per)
            total += value
            rows.append((f"B{number:03}", sku, words, str(quantity), str(rate), str(per), str(value)))
        day = f"{draw.randint(1, 12):02}/{draw.randint(1, 12):02}/2026"
        heads.append((f"B{number:03}", day, f"SHOP{draw.randint(1, 6)}", str(total)))
    for name, table in (("heads.csv", heads), ("rows.csv", rows)):
        with (folder / name).open("w", encoding="utf-8", newline="") as file:
            csv.writer(file).writerows(table)
    return len(rows) - 1


def malt(folder: Path, orders: int = 35) -> int:
    """A workbook with a title, order numbers merged over their lines, percent cells, and a sum below; gives the lines."""
    draw = random.Random(3)
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.append(["Malt orders, spring"])
    sheet.merge_cells("A1:H1")
    sheet.append([])
    sheet.append(
        ["Order no", "Order date", "Customer", "Line", "Product", "Qty kg", "Unit price", "Rebate", "Net amount"]
    )
    lines, whole = 0, D(0)
    for number in range(orders):
        first = sheet.max_row + 1
        count = draw.randint(1, 4)
        for line in range(count):
            item, _, price = draw.choice(MALTS)
            quantity, percent = D(draw.randint(1, 80) * 25), draw.choice([D(0), D(5), D("7.5")])
            net = cent(quantity * price * (1 - percent / 100))
            whole += net
            head = (
                [f"MO-{number:03}", datetime.date(2026, 3, 1 + number % 28), f"BREW{number % 5}"]
                if not line
                else [None] * 3
            )
            sheet.append([*head, line + 1, item, float(quantity), float(price), float(percent / 100), float(net)])
            sheet.cell(sheet.max_row, 8).number_format = "0.0 %"
            lines += 1
        if count > 1:
            for column in "ABC":
                sheet.merge_cells(f"{column}{first}:{column}{first + count - 1}")
    sheet.append(["Total", None, None, None, None, None, None, None, float(whole)])
    book.save(folder / "malt.xlsx")
    return lines


def seeds(folder: Path, orders: int = 30) -> int:
    """Tabs, dollars and percent beside numbers, brackets for what comes back, headers on the first row of an order only,
    a heading of two lines; few enough that much follows by chance."""
    draw = random.Random(5)
    rows = ['"Order\n#"\tOrder Date\tCust ID\tLine\tSKU\tQty\tUnit Price\tDiscount\tExt Price']
    for number in range(orders):
        for line in range(draw.randint(1, 3)):
            (item, price), percent = draw.choice(SEEDS), draw.choice([0, 0, 10])
            quantity = D(draw.choice([1, 2, 10, -1]))
            net = cent(quantity * price * (100 - percent) / 100)
            shown = [f"${each:,.2f}" if each >= 0 else f"$({-each:,.2f})" for each in (price, net)]
            head = ("", "", "") if line else (f"W{number:03}", f"03/{number + 1:02}/2026", f"C{number % 4}")
            cells = (*head, line + 1, item)
            bracketed = str(quantity) if quantity > 0 else f"({-quantity})"
            rows.append("\t".join(map(str, (*cells, bracketed, shown[0], f"{percent} %", shown[1]))))
    (folder / "seeds.txt").write_text("\n".join(rows) + "\n", encoding="utf-8")
    return len(rows) - 1


def bills(folder: Path, contracts: int = 12, levels: int = 3) -> int:
    """Bills of quantities without items: 01.02.0030 below 01.02 below 01, rates and amounts on the lowest lines alone."""
    draw = random.Random(3)
    rows, priced = ["contract;position;what;size;each;comes to"], 0

    def below(number: str, level: int, contract: str) -> None:
        nonlocal priced
        for at in range(1, draw.randint(3, 4)):
            mine = f"{number}{'.' if number else ''}{at:02}" if level else f"{number}.{at * 10:04}"
            if level:
                rows.append(f"{contract};{mine};part {at};;;")
                below(mine, level - 1, contract)
                continue
            size, rate = draw.choice([D(1), D("12.5"), D(30)]), D(draw.randint(100, 9999)) / 100
            rows.append(f"{contract};{mine};work {at};{size};{rate};{cent(size * rate)}")
            priced += 1

    for contract in range(contracts):
        below("", levels - 1, f"W-{contract + 100}")
    (folder / "bills.csv").write_text("\n".join(rows) + "\n")
    return priced
