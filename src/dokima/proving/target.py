"""`Target`: one thing of a rulebook that an order may reach."""

from __future__ import annotations

from dataclasses import dataclass

from dokima.exact.integers import Integers


@dataclass(frozen=True)
class Target:
    """One thing that an order may reach.

    Attributes:
        kind: What it is, as `Coverage` names it: rules, conditions, thresholds, options, steps, limits, winners, tables
            ...
        name: Which one: an id, the path of a formula, routine and step, a table.
        what: What was met there: ``fired``, ``true``, ``won``, ``below`` ...; blank where there is one thing only.
        place: Of a condition its place in the formula, of a table the number of the row.
    """

    kind: str
    name: str
    what: str = ""
    place: int = 0


Reached = tuple[Target, Integers]
"""A target, and the place in the batch of the order of each line, or of each order, that reaches it."""
