"""What formulas read of a line that is no field of it."""

from __future__ import annotations

from dokima.formulas import Level, Name

LINE_FACTS = {
    "line.is_parent": Name("flag", Level.LINE, "is a parent line"),
    "line.is_new": Name("flag", Level.LINE, "is new"),
    "line.position": Name("integer", Level.LINE, "position"),
}
"""Names about a line that are not fields of it."""
