"""`LineNumber`: the number of a line that has come into an order."""

from __future__ import annotations

from dokima.model.findings import Findings


class LineNumber(str):
    """The number of a line that has come in, and what the rules said about it without refusing it."""

    findings: Findings

    def __new__(cls, number: str, findings: Findings | None = None) -> LineNumber:
        """The number as text, with the findings beside it."""
        made = super().__new__(cls, number)
        made.findings = findings or Findings()
        return made
