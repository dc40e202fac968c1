"""What formulas read of an order and of a line that is no field of them."""

from __future__ import annotations

from dokima.formulas import Level, Name

FACTS = {
    "header.is_new": Name("flag", Level.HEADER, "is new"),
    "line.is_parent": Name("flag", Level.LINE, "is a parent line"),
    "line.is_new": Name("flag", Level.LINE, "is new"),
    "line.position": Name("integer", Level.LINE, "position"),
}
"""Names about an order or a line that are not fields of it."""
