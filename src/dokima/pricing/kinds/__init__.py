"""The kinds of steps, one file each. A new kind is one file, its line below, and its documentation."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from dokima.pricing.kinds.adjustment import Adjustment, Charge, Discount
from dokima.pricing.kinds.advance import Advance
from dokima.pricing.kinds.figure import Figure
from dokima.pricing.kinds.kind import Setting, StepKind, Working
from dokima.pricing.kinds.price import Price
from dokima.pricing.kinds.subtotal import Subtotal
from dokima.pricing.kinds.tax import Tax

BUILT_IN: Sequence[StepKind] = (Price(), Discount(), Charge(), Subtotal(), Figure(), Tax(), Advance())
"""The kinds that every rulebook knows, in the order in which they are told."""

__all__ = ["BUILT_IN", "Adjustment", "Charge", "Discount", "Setting", "StepKind", "Working", "kinds_by_name"]


def kinds_by_name(own: Sequence[StepKind] = ()) -> Mapping[str, StepKind]:
    """All kinds by name; one of a rulebook's own takes the place of a built-in one.

    Args:
        own: Kinds that a rulebook was loaded with.
    """
    return {kind.name: kind for kind in (*BUILT_IN, *own)}
