"""The body of a web request handler: an order comes in as a dict, findings go out as JSON. No web framework is needed.

Prints:

    422 half-days on line 10: Installation day is sold by the half day: 1.25 is not a multiple of 0.5.
    422 document on line 10: quantity: expected a number such as 44.25 (got 'two')
    422 document: expected an order (got a text): a file is named by its path, pathlib.Path('orders/SQ-2041.json'), and JSON text is read by Order.from_json
    200 payable 348.80
"""

import json
from importlib import resources
from typing import Any

import dokima

BOOK = dokima.load(str(resources.files("dokima.demo") / "quillmere"))  # loaded once; safe to share between threads


def handle(body: Any) -> tuple[int, str]:
    """Status and JSON of the answer to a posted order. Whatever was posted, it never opens a file."""
    findings = BOOK.check(body, at="save")
    if findings.stopping:
        return 422, dokima.to_json(findings.stopping)
    calculation = BOOK.price(body)
    if calculation.findings.errors:
        return 422, dokima.to_json(calculation.findings)
    (order,) = calculation
    return 200, json.dumps({"number": order.number, "payable": str(order.totals.payable)})


def posted(quantity: Any) -> dict[str, Any]:
    """What a client might send."""
    line = {"number": "10", "item": "INST-D", "quantity": quantity}
    return {"number": "WEB-1", "kind": "sales", "date": "2026-03-02", "customer": "PELLOW", "lines": [line]}


# A web framework hands over what json.loads makes of a body; 0.5 is a binary float then, and is read as the decimal it shows.
for body in (posted("1.25"), posted("two"), "/etc/orders", posted(0.5)):
    status, text = handle(json.loads(json.dumps(body)))
    answer = json.loads(text)
    if status == 200:
        print(status, "payable", answer["payable"])
    else:
        for finding in answer["findings"]:
            line = f" on line {finding['line']}" if finding["line"] else ""
            print(status, f"{finding['rule']}{line}:", finding["message"])
