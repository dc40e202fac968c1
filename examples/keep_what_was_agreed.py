"""What was agreed stays agreed: a price list is corrected after an order was opened, and the order does not move.

Prints:

    opened at 44.25: 1593.00
    corrected to 47.00: a new order pays 1692.00, this one still 1593.00
    row 2 said 44.25 then and says 47.00 today
    repriced: 1692.00
"""

import dokima

RULEBOOK = {
    "rulebook": {"name": "panes", "currency": "EUR"},
    "table": {"price_list": {"key": {"item": "line.item"}, "columns": {"price": {"kind": "decimal"}}}},
    "routine": {"sales": {"step": [{"name": "price", "kind": "price", "options": [{"value": "price_list.price"}]}]}},
}


def book(price):
    """The rulebook with one price for panes."""
    return dokima.Rulebook.from_dict(RULEBOOK, tables={"price_list": [{"item": "PANE", "price": price}]})


draft = dokima.Order("SQ-1", lines=[{"item": "PANE", "quantity": 36}])
editor = book("44.25").edit(draft, by="Ada")
editor.move_to("confirmed")
order = editor.order
print("opened at 44.25:", book("44.25").price(order)["SQ-1"].totals.payable)

today = book("47.00")
new, old = (today.price(each)["SQ-1"].totals.payable for each in (draft, order))
print(f"corrected to 47.00: a new order pays {new}, this one still {old}")

(answer,) = today.explain(order, 10, "price").steps[0].answers
print(f"{answer.agreed_place} said {answer.agreed['price']} then and says {answer.cells['price']:.2f} today")

editor = today.edit(order, by="Ada")
editor.reprice_line(10)
print("repriced:", editor.line(10).net)
