"""An export of another system: read it by a layout, check and price all of it, and work on with DataFrames.

Prints:

    83 orders, 386 lines; set aside: D-5017, D-5042
    D-5017: depot_2026.csv row 80, order D-5017, date: expected '27.04.2026' as in row 74 (got '29.06.2026')
    D-5042: depot_2026.csv row 195, order D-5042, line 10, quantity: expected a number such as 1.234,50 (got 'zwölf')
    the largest order is D-5055 with 49794.13 EUR without tax
    glazing in all: 85773.41 EUR net
"""

from importlib import resources
from pathlib import Path

import dokima

quillmere = Path(str(resources.files("dokima.demo"))) / "quillmere"
book = dokima.load(quillmere)
orders = book.orders(quillmere / "exports" / "depot_2026.csv", layout="depot")
set_aside = sorted({problem.order for problem in orders.problems})
print(f"{len(orders)} orders, {orders.line_count} lines; set aside: {', '.join(set_aside)}")
for problem in orders.problems:
    print(f"{problem.order}: {problem}")

calculation = book.price(orders, workers=2)
headers, lines = calculation.headers, calculation.lines
largest = headers.loc[headers["without_tax"].idxmax()]
print(f"the largest order is {largest['number']} with {largest['without_tax']} EUR without tax")
glazing = lines["item"].isin(["PANE-T6", "PANE-H4", "SHEET-P"])
print(f"glazing in all: {lines.loc[glazing, 'net'].sum()} EUR net")
