"""Tests of a rulebook in Python: one order against its figures, orders for Hypothesis, and cases as tests of pytest.

The plugin collects ``cases/`` beside a ``rulebook.toml`` where ``dokima_cases = true`` stands in the configuration of
pytest; the fixture ``dokima_book`` is the rulebook of the folder of a test, or of the nearest one above it.
"""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from hypothesis.strategies import SearchStrategy

    from dokima import Order, Rulebook

__all__ = ["assert_prices", "orders_of"]


def assert_prices(book: Rulebook, order: Order | Mapping[str, Any], expect: Mapping[str, Any], **said: Any) -> None:
    """Price an order and compare it with what is expected, as a case does.

    Args:
        book: The rulebook.
        order: The order.
        expect: What is expected, by path: ``{"line.10.price": "44.25", "payable": "4339.39"}``.
        said: What else a case may say: ``at``, ``today``, ``edit``, ``set`` ...

    Raises:
        AssertionError: Something is not as expected; says what, what came, and how it came about.
        CaseError: The expectations cannot be read.
    """
    from dokima import prove_order

    outcome = prove_order(book, order, expect, **said)
    if not outcome.passed:
        from dokima import told_outcome

        raise AssertionError(told_outcome(outcome))


def orders_of(
    book: Rulebook, *, day: datetime.date = datetime.date(2026, 3, 2), most_lines: int = 5
) -> SearchStrategy[dict[str, Any]]:
    """A Hypothesis strategy of orders that a rulebook knows: its parties, its items, its kinds of orders.

    Args:
        book: The rulebook.
        day: About which day the orders are; each is within a year of it.
        most_lines: How many lines an order has at most.
    """
    from hypothesis import strategies as st

    from dokima import order_choices

    header, line, kinds = order_choices(book)
    days = st.dates(day - datetime.timedelta(days=365), day + datetime.timedelta(days=365))
    quantities = st.decimals(min_value=0, max_value=500, places=1, allow_nan=False, allow_infinity=False)
    lines = st.fixed_dictionaries({"quantity": quantities, **{name: st.sampled_from(v) for name, v in line.items()}})
    fields: dict[str, Any] = {
        "number": st.just("H-1"),
        "date": days.map(datetime.date.isoformat),
        "lines": st.lists(lines, min_size=1, max_size=most_lines),
        **{name: st.sampled_from(values) for name, values in header.items()},
    }
    if kinds:
        fields["kind"] = st.sampled_from(kinds)
    return st.fixed_dictionaries(fields)
