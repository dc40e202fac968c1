"""The kinds of steps, one file each. A new kind is one file, its line below, and its documentation."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from dokima.routines.kinds.adjustment import Adjustment, Charge, Discount
from dokima.routines.kinds.advance import Advance
from dokima.routines.kinds.figure import Figure
from dokima.routines.kinds.kind import Setting, StepKind, Working
from dokima.routines.kinds.price import Price
from dokima.routines.kinds.subtotal import Subtotal
from dokima.routines.kinds.tax import Tax

BUILT_IN: Sequence[StepKind] = (Price(), Discount(), Charge(), Subtotal(), Figure(), Tax(), Advance())
"""The kinds that every rulebook knows, in the order in which they are told."""

__all__ = ["BUILT_IN", "Adjustment", "Charge", "Discount", "Setting", "StepKind", "Working", "kinds_by_name"]


def kinds_by_name(own: Sequence[StepKind] = ()) -> Mapping[str, StepKind]:
    """All kinds by name; one of a rulebook's own takes the place of a built-in one.

    Args:
        own: Kinds that a rulebook was loaded with.
    """
    return {kind.name: kind for kind in (*BUILT_IN, *own)}
