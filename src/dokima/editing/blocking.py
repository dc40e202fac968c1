"""What findings do to an operation: each is reported once, and those that stop it refuse it."""

from __future__ import annotations

from collections.abc import Iterable

from dokima.errors import Refused
from dokima.model.finding import Finding

MOST = 5
"""Findings quoted in the message of a refusal; all of them are its attribute."""


def once(findings: Iterable[Finding]) -> list[Finding]:
    """Each finding of a rule about a line once, whatever moments found it."""
    kept: dict[tuple[str, str], Finding] = {}
    for finding in findings:
        kept.setdefault((finding.rule, finding.line), finding)
    return list(kept.values())


def refuse_if_any(findings: Iterable[Finding], what: str) -> None:
    """Refuse an operation if there are findings.

    Raises:
        Refused: With all of them.
    """
    found = list(findings)
    if found:
        reasons = "; ".join(
            f"{f'line {finding.line}: ' if finding.line else ''}{finding.message}" for finding in found[:MOST]
        )
        more = f"; and {len(found) - MOST} more" if len(found) > MOST else ""
        raise Refused(f"{what} is refused: {reasons}{more}", found)
