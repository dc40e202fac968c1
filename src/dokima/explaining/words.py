"""The words in which formulas are said: English templates, which are the ids of their translations."""

from __future__ import annotations

from collections.abc import Mapping

from dokima.model.said import Said

COMPARED: Mapping[str, tuple[Said, Said]] = {
    "==": (Said("{0} is {1}"), Said("{0} is {1}")),
    "!=": (Said("{0} is not {1}"), Said("{0} is not {1}")),
    "<": (Said("{0} is below {1}"), Said("{0} is before {1}")),
    "<=": (Said("{0} is at most {1}"), Said("{0} is on or before {1}")),
    ">": (Said("{0} is above {1}"), Said("{0} is after {1}")),
    ">=": (Said("{0} is at least {1}"), Said("{0} is on or after {1}")),
}
"""Comparisons: of numbers and texts, and of dates."""
CHOSEN: Mapping[str, Said] = {"in": Said("{0} is one of {1}"), "not in": Said("{0} is none of {1}")}
MULTIPLE: Mapping[str, Said] = {"==": Said("{0} is a multiple of {1}"), "!=": Said("{0} is not a multiple of {1}")}
WORKED: Mapping[str, Said] = {
    "+": Said("{0} plus {1}"),
    "-": Said("{0} less {1}"),
    "*": Said("{0} times {1}"),
    "/": Said("{0} divided by {1}"),
    "%": Said("{0} modulo {1}"),
    "//": Said("{0} divided into whole parts by {1}"),
}
MINUS = Said("minus {0}")
JOINED: Mapping[str, Said] = {"and": Said("{0} and {1}"), "or": Said("{0} or {1}")}
IF_ELSE = Said("{0} if {1}, else {2}")
NOT = Said("it is not so that {0}")
OR_WHERE_BLANK = Said("{0}, or where that is blank {1}")
ROUNDED: Mapping[str, Said] = {
    "half-up": Said("rounded"),
    "half-even": Said("rounded half to even"),
    "half-down": Said("rounded half down"),
    "up": Said("rounded up"),
    "down": Said("rounded down"),
    "ceiling": Said("rounded to the next higher"),
    "floor": Said("rounded to the next lower"),
}
"""Rounding modes."""
TO_WHOLE, TO_PLACE = Said("to a whole number"), Said("to {0} decimal place")
TO_PLACES, TO_MULTIPLE = Said("to {0} decimal places"), Said("to a multiple of {0}")
KNOWN: Mapping[str, Said] = {
    "run.today": Said("today"),
    "run.user": Said("who does it"),
    "change.opened_by": Said("who opened the change"),
    "change.submitted_by": Said("who submitted the change"),
    "change.requested_by": Said("who asked for the change"),
    "change.valid_until": Said("the day until which the change is offered"),
    "ledger.headroom": Said("what the budget leaves before the change"),
    "ledger.headroom_after": Said("what the budget leaves after the change"),
    "variance.without_tax": Said("the variance without tax"),
    "variance.with_tax": Said("the variance with tax"),
    "variance.margin": Said("the variance of the margin"),
    "header.is_new": Said("the order has never been saved"),
    "line.is_new": Said("the line is new"),
    "line.is_parent": Said("the line has sub-lines"),
    "line.position": Said("the place of the line"),
    "line.delivered": Said("the quantity of the line that is delivered"),
}
"""Names that say more than their parts."""
KNOWN_NOT: Mapping[str, Said] = {
    "header.is_new": Said("the order has been saved before"),
    "line.is_new": Said("the line is not new"),
    "line.is_parent": Said("the line has no sub-lines"),
}
"""What is said where such a name does not hold."""
FIGURES: Mapping[str, Said] = {
    "without_tax": Said("amount without tax"),
    "with_tax": Said("amount with tax"),
    "net": Said("net amount"),
    "amount": Said("amount so far"),
    "tax": Said("tax"),
    "price": Said("price"),
    "payable": Said("payable amount"),
}
"""Figures that every routine has."""
OWNED: Mapping[str, Said] = {
    "header": Said("the {0} of the order"),
    "line": Said("the {0} of the line"),
    "parent": Said("the {0} of the line above"),
    "was": Said("the {0} of the line before"),
    "was_header": Said("the {0} of the order before"),
    "delivery": Said("the {0} of the delivery"),
    "payment": Said("the {0} of the payment"),
    "leaving": Said("the {0} of the line that leaves"),
    "": Said("the {0}"),
}
"""A field or figure, by whose it is."""
OF_MASTER, IN_TABLE, ROWS_OF = Said("the {0} of the {1}"), Said("the {0} in {1}"), Said("{0} rows")
NAMED = Said("“{0}”")
HOLDS: Mapping[bool, Said] = {True: Said("{0} holds"), False: Said("{0} does not hold")}
IS_SET: Mapping[bool, Said] = {True: Said("{0} is set"), False: Said("{0} is not set")}
IS_GIVEN = Said("{0} is given")
ROW_FOUND: Mapping[bool, Said] = {True: Said("there is a row of {0}"), False: Said("there is no {0}")}
LEAST, MOST = Said("the smallest of {0}"), Said("the largest of {0}")
HAS_FORM = Said("{0} has the form {1}")
IN_PYTHON, IN_PYTHON_OF = Said("{0} (worked out in Python)"), Said("{0} of {1} (worked out in Python)")
CALLS: Mapping[str, Said] = {
    "blank": Said("{0} is blank"),
    "starts_with": Said("{0} begins with {1}"),
    "ends_with": Said("{0} ends with {1}"),
    "contains": Said("{0} contains {1}"),
    "upper": Said("{0} in capitals"),
    "lower": Said("{0} in small letters"),
    "trim": Said("{0} without spaces around it"),
    "length": Said("the length of {0}"),
    "days_between": Said("the days from {0} to {1}"),
    "add_days": Said("{1} days after {0}"),
    "year": Said("the year of {0}"),
    "month": Said("the month of {0}"),
    "weekday": Said("the day of the week of {0}"),
    "floor": Said("the whole number at or below {0}"),
    "ceil": Said("the whole number at or above {0}"),
    "abs": Said("the size of {0}"),
}
"""Functions; the braces take the arguments."""
GATHERED: Mapping[str, Said] = {
    "sum": Said("the sum of {0}"),
    "lowest": Said("the lowest of {0}"),
    "highest": Said("the highest of {0}"),
    "average": Said("the average of {0}"),
    "distinct": Said("how many different there are of {0}"),
}
"""Aggregates of a number."""
ON_ROWS: Mapping[tuple[str, str], Said] = {
    ("any", "line"): Said("on some line {0}"),
    ("all", "line"): Said("on every line {0}"),
    ("none", "line"): Said("on no line {0}"),
    ("any", "delivery"): Said("on some delivery {0}"),
    ("all", "delivery"): Said("on every delivery {0}"),
    ("none", "delivery"): Said("on no delivery {0}"),
    ("any", "payment"): Said("on some payment {0}"),
    ("all", "payment"): Said("on every payment {0}"),
    ("none", "payment"): Said("on no payment {0}"),
    ("any", "leaving"): Said("on some line that leaves {0}"),
    ("all", "leaving"): Said("on every line that leaves {0}"),
    ("none", "leaving"): Said("on no line that leaves {0}"),
}
"""Whether something is so, by how many of which rows."""
COUNTED: Mapping[str, Said] = {
    "line": Said("the number of lines"),
    "delivery": Said("the number of deliveries"),
    "payment": Said("the number of payments"),
    "leaving": Said("the number of lines that leave"),
}
WHERE, SAME = Said("{0} where {1}"), Said("{0} over lines with the same {1}")
"""Which rows an aggregate runs over."""
