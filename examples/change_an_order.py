"""A change order: frozen, changed, approved, settled as a supplement, and the ledger that comes of it.

Prints:

    SQ-2041-C1 changes 3 lines: +447.80 without tax
    SQ-2041 amended to 3605.01
    SQ-2041-S1 supplement of 580.30
    tax rounding -0.01
    current 4185.31 without tax, 814.69 left of the budget
"""

import tempfile
from pathlib import Path

import dokima
from dokima.demo.walk import copy_demo

folder = copy_demo(Path(tempfile.mkdtemp()) / "quillmere")
book = dokima.load(folder)
order = folder / "orders" / "SQ-2041.json"
order.write_text(order.read_text().replace('"pick_up": true', '"pick_up": true, "budget": 5000'))
store = dokima.FolderStore(folder, book)

number = store.open_change("SQ-2041", by="Ada", reason="more panes, a bench").number


def revise(change):
    """Four panes more, one vent less, and a bench."""
    editor = change.edit("Ada")
    editor.change_line(10, quantity=40)
    editor.change_line(20, quantity=3)
    editor.add_line(item="BENCH-K", quantity=1)


store.update_change(number, "Ada", revise)
variance = store.change(number).variance()
moved = variance.totals()["SQ-2041"]["without_tax"].variance
print(f"{number} changes {sum(1 for _ in variance.lines())} lines: {moved:+} without tax")

store.update_change(number, "Ada", lambda change: change.submit("Ada"))
settlement = store.approve(number, "Ben")
for document in settlement.orders:
    what = "supplement of" if document is settlement.supplement else "amended to"
    print(document.number, what, book.price(document)[document.number].totals.without_tax)
print("tax rounding", settlement.tax_rounding)

ledger = store.ledger("SQ-2041")
print(f"current {ledger.current['without_tax']} without tax, {ledger.headroom} left of the budget")
