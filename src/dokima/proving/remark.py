"""`AuditRemark`: one doubtful thing in a rulebook, with the rows and an example that show it."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from dokima.columns.shown import shown
from dokima.errors import NotFound, listed, nearest
from dokima.model.finding import Severity, worse_or_equal

CHECKS: Mapping[str, str] = {
    "tie": "two rows fit alike, and only their place in the file decides",
    "overlap": "windows of rows with the same terms overlap",
    "never-wins": "another row is preferred wherever this one fits",
    "backwards": "a window that ends before it begins",
    "gap": "nothing is valid between two windows of the same terms, or two versions of a rule",
    "dearer-break": "a higher break gives a worse price or discount",
    "expired": "the row is valid no longer",
    "no-price": "an item has no price at all",
    "zero-price": "a price of 0 beside others",
    "price-and-discount": "an agreed price, and a discount on top of it",
    "near-twin": "keys, or what is looked up among them, differ only in case, spaces or accents",
    "never-found": "a value that a table is asked with has no row in it",
    "outlying": "a number stands far from the others of its column",
    "unknown-key": "a row is for something that its own table does not have",
    "unknown-currency": "not a currency code of ISO 4217",
    "unknown-unit": "neither a unit of the items or of a table of units, nor a common code of UN/ECE Rec 20",
    "unused": "declared, and never read",
    "never-equal": "a comparison with a value that cannot occur",
    "cannot-fail": "a rule that can never speak",
}
"""The checks of an audit, and what each looks for."""


@dataclass(frozen=True)
class AuditRemark:
    """One doubtful thing.

    Attributes:
        check: Which check found it, see `CHECKS`.
        severity: error, warning or notice.
        message: What is doubtful.
        table: The table it is about, blank if it is about none.
        file: Where the rows came from.
        rows: Their numbers there, counted from 1 with the heading as row 1.
        path: Key of the rulebook it is about, blank for rows.
        example: Header and line fields (``header.customer``, ``line.item``) that show it when priced; empty for none.
    """

    check: str
    severity: Severity
    message: str
    table: str = ""
    file: str = ""
    rows: Sequence[int] = ()
    path: str = ""
    example: Mapping[str, Any] = field(default_factory=dict)

    def to_dict(self) -> dict[str, Any]:
        """The remark as plain data, values as text."""
        return {
            "check": self.check,
            "severity": self.severity,
            "table": self.table,
            "file": self.file,
            "rows": list(self.rows),
            "path": self.path,
            "message": self.message,
            "example": {name: shown(value) for name, value in self.example.items()},
        }


class AuditRemarks(list[AuditRemark]):
    """The remarks of an audit."""

    def of(self, severity: str = "notice", checks: Collection[str] = ()) -> AuditRemarks:
        """Those of a severity and worse ones, of some checks or of all.

        Raises:
            NotFound: There is no such severity or check; names the nearest.
        """
        worst = worse_or_equal(severity)
        for name in checks:
            if name not in CHECKS:
                raise NotFound(f"there is no check '{name}'{nearest(name, CHECKS)}; there are {listed(CHECKS, 20)}")
        return AuditRemarks(each for each in self if each.severity in worst and (not checks or each.check in checks))
