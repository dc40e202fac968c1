"""A kind of step of one's own: a deposit for each returnable crate. One class says what it takes and what it comes to.

Prints:

    price        32.20
    off           3.22
    crates        5.00
    vat           6.80
    4 crates at 1.25, and 40.78 to pay
"""

import dokima


class Deposit(dokima.Charge):
    """So much for each returnable unit; it comes on top of the price, and no discount works on it."""

    name = "deposit"
    settings = {"each": dokima.Setting("the deposit of one returnable unit", ("decimal", "integer"))}
    needs = "each"

    def exact(self, working):
        """The deposit of each line, before it is rounded."""
        return working["each"] * working.quantity


book = dokima.Rulebook.from_dict(
    {
        "rulebook": {"name": "crates", "currency": "EUR"},
        "table": {"item": {"key": {"item": "line.item"}}},
        "routine": {
            "sales": {
                "step": [
                    {"name": "goods", "kind": "price", "options": [{"value": "item.price"}]},
                    {"name": "off", "kind": "discount", "percent": "10"},
                    {"name": "crates", "kind": "deposit", "each": "item.deposit"},
                    {"name": "vat", "kind": "tax", "percent": "20"},
                ]
            }
        },
    },
    tables={"item": [{"item": "PANE", "price": "8.05", "deposit": "1.25"}]},
    kinds=[Deposit],
)
order = book.price(dokima.Order("A", lines=[{"item": "PANE", "quantity": 4}]))["A"]
line = order.line(10)
for label, figure in (("price", "goods"), ("off", "off"), ("crates", "crates"), ("vat", "vat")):
    print(f"{label:<8} {line.figure(figure):>9}")
print(f"{line.field('quantity')} crates at 1.25, and {order.totals.payable} to pay")
