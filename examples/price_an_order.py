"""Price the order of the README and ask why its first line costs 44.25 a piece.

Prints:

    10 PANE-T6   36 x  44.25 = 1682.50 net
    20 VENT-R     4 x 129.90 =  530.01 net
    30 INST-D   2.5 x 610.00 = 1525.00 net
    without tax 3737.51, tax 601.88, payable 4339.39
    44.25: agreed prices for segment institution, item PANE-T6, unit C62, from 2026-01-01, until 2026-12-31, from quantity 24
    not row 2: valid from 2025-01-01 until 2025-12-31, not on 2026-03-02
    not row 3: for unit MTK, not C62
    not row 4: from quantity 48 on, not 36
    not row 5: lowest price / base: row 6 is better
    not row 7: lowest price / base: row 6 is better
"""

from importlib import resources

import dokima

quillmere = resources.files("dokima.demo") / "quillmere"
book = dokima.load(str(quillmere))
order = dokima.Order(
    "SQ-2041",
    kind="sales",
    date="2026-03-02",
    customer="FERNHOLT",
    pick_up=True,
    lines=[
        {"number": 10, "item": "PANE-T6", "quantity": 36},
        {"number": 20, "item": "VENT-R", "quantity": 4},
        {
            "number": 30,
            "item": "INST-D",
            "quantity": "2.5",
            "price_override": "610",
            "override_reason": "framework terms",
        },
    ],
)
priced = book.price(order)["SQ-2041"]
for line in priced.lines:
    print(f"{line.number} {line.item:8} {line.quantity:>3} x {line.price:>6} = {line.net:>7} net")
totals = priced.totals
print(f"without tax {totals.without_tax}, tax {totals.tax}, payable {totals.payable}")

for answer in book.explain(order, 10, "price").step("price").answers:
    if answer.table == "agreed":
        print(f"{answer.cells['price']}: {answer.label} {answer.terms}")
        for candidate in answer.candidates:
            if candidate.reason != "won":
                print(f"not row {candidate.number}: {candidate.detail}")
