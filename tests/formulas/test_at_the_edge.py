"""The last that is accepted and the first that is refused; functions of one's own and what they may be given."""

from __future__ import annotations

from decimal import Decimal as D
from typing import Optional

import pytest

import dokima
from tests.books import FIELDS, ITEMS, RATES, definition, routine, worked_out

DAY = {"due": "2026-03-02"}


@pytest.mark.parametrize(
    ("formula", "value"),
    [
        ("round(1.25, 30)", D("1.25")),
        ("round(15, -30)", D(0)),
        (" + ".join(["1"] * 101), D(101)),
        (" - ".join(["line.boxes"] + ["1"] * 100), D(-97)),
        (" / ".join(["1024", *["2"] * 10, *["1"] * 90]), D(1)),
        ("add_days(header.due, coalesce(line.boxes, 1)) == date('2026-03-05')", True),
        ("add_days(header.due, 2 if line.fitted else line.boxes) == date('2026-03-05')", True),
    ],
)
def test_the_last_that_is_accepted(formula, value):
    line = {"quantity": 1, "boxes": 3, "fitted": False, "colour": "red"}
    assert worked_out(f"1 if {formula} else 0" if value is True else formula, DAY, line) == [
        1 if value is True else value
    ]


@pytest.mark.parametrize(
    ("formula", "said"),
    [
        ("round(1.25, 31)", r"expected a number of places from -30 to 30 \(got 31\)"),
        ("sum(line.weight, line.boxes)", r"sum\(\) takes one argument, then where= and by= \(got 2 arguments\)"),
        ("count(line.weight > 1, line.boxes > 1)", r"count\(\) takes one argument"),
        ("round(15, -31)", r"expected a number of places from -30 to 30 \(got -31\)"),
        ("1 if header.due == date('20260302') else 0", r"expected a date such as date\('2026-03-02'\)"),
        ("1 if header.due == date('2026-W10-1') else 0", r"expected a date such as date\('2026-03-02'\)"),
        ("1 if add_days(header.due, coalesce(line.boxes, 0.5)) == header.due else 0", "whole number"),
        ("1 if add_days(header.due, 0.5 if line.fitted else line.boxes) == header.due else 0", "whole number"),
    ],
)
def test_the_first_that_is_refused(formula, said):
    with pytest.raises(dokima.RulebookError, match=said):
        worked_out(formula, DAY, {"quantity": 1, "boxes": 3})


def test_a_function_is_given_each_line_its_own_and_the_header_on_each():
    """Blanks reach only who says that they may: by `| None` or by Optional; else the result is blank."""

    @dokima.function
    def told(rate: D, boxes: Optional[D]) -> D:  # noqa: UP045 - both ways of writing it are read
        return rate + (D(100) if boxes is None else boxes)

    @dokima.function
    def strict(rate: D, boxes: D) -> D:
        return rate + boxes

    figures = [
        {"name": name, "kind": "figure", "value": f"{name}(header.credit, line.weight)"} for name in ("told", "strict")
    ]
    data = {**FIELDS, "routine": routine(*figures)}
    rules = dokima.Rulebook.from_dict(definition(**data), tables={"item": ITEMS, "rate": RATES}, python=[told, strict])
    lines = [{"quantity": 1, "weight": weight} for weight in ("1", None, "3")]
    order = rules.price([dokima.Order("A", credit="10", lines=lines), dokima.Order("B", lines=[])])["A"]
    assert [line.figure("told") for line in order.lines] == [D(11), D(110), D(13)]
    assert [line.figure("strict") for line in order.lines] == [D(11), None, D(13)]
