"""The body of a web request handler: an order comes in as a dict, findings go out as JSON. No web framework is needed.

Prints:

    422 half-days on line 10: Installation day is sold by the half day: 1.25 is not a multiple of 0.5.
    422 document on line 10: quantity: expected a number such as 44.25 (got 'two')
    200 payable 697.60
"""

import json
from importlib import resources
from typing import Any

import dokima

BOOK = dokima.load(str(resources.files("dokima.demo") / "quillmere"))  # loaded once; safe to share between threads


def handle(body: dict[str, Any]) -> tuple[int, str]:
    """Status and JSON of the answer to a posted order."""
    orders = BOOK.orders(body)
    findings = BOOK.check(orders, at="save")
    if findings.stopping:
        return 422, findings.stopping.to_json()
    calculation = BOOK.price(orders)
    if calculation.findings.errors:
        return 422, calculation.findings.to_json()
    (order,) = calculation
    return 200, json.dumps({"number": order.number, "payable": str(order.totals.payable)})


def posted(quantity: Any) -> dict[str, Any]:
    """What a client might send."""
    line = {"number": "10", "item": "INST-D", "quantity": quantity}
    return {"number": "WEB-1", "kind": "sales", "date": "2026-03-02", "customer": "PELLOW", "lines": [line]}


for quantity in ("1.25", "two", 1):
    status, text = handle(posted(quantity))
    answer = json.loads(text)
    if status == 200:
        print(status, "payable", answer["payable"])
    else:
        for finding in answer:
            print(status, finding["rule"], "on line", f"{finding['line']}:", finding["message"])
