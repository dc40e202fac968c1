"""What came of cases as plain data and rows, and as JUnit XML for what runs tests."""

from __future__ import annotations

from typing import Any
from xml.etree.ElementTree import Element, SubElement, indent, tostring

from dokima.formats.results.detail import PLAIN, Detail
from dokima.proving.proof import Outcome, Proof


def data(proof: Proof, detail: Detail = PLAIN) -> dict[str, Any]:  # noqa: ARG001 (all results are asked alike)
    """The cases and what came of each."""
    return proof.to_dict()


def rows(proof: Proof, detail: Detail = PLAIN) -> list[dict[str, Any]]:  # noqa: ARG001
    """One row for each difference; one for each case without any."""
    found: list[dict[str, Any]] = []
    for case in proof.to_dict()["cases"]:
        head = {name: case[name] for name in ("name", "file", "row", "result")}
        told = case["differences"] or [{"path": None, "expected": None, "got": case["error"] or None, "why": None}]
        found += [{**head, **difference} for difference in told]
    return found


def columns(detail: Detail) -> tuple[str, ...]:  # noqa: ARG001
    """Columns that stand first."""
    return ("name", "file", "row", "result", "path", "expected", "got", "why")


def junit(proof: Proof) -> str:
    """The proof as JUnit XML: unconfirmed cases are skipped, because they verify nothing."""
    counts = {"tests": len(proof), "failures": len(proof.failed), "skipped": len(proof.unconfirmed)}
    suite = Element("testsuite", {"name": "dokima cases", **{name: str(count) for name, count in counts.items()}})
    for outcome in proof.outcomes:
        case = SubElement(suite, "testcase", {"name": outcome.case.name, "classname": outcome.case.file})
        if not outcome.passed:
            told = told_outcome(outcome)
            SubElement(case, "failure", {"message": told.partition("\n")[0]}).text = told
        elif not outcome.is_confirmed:
            SubElement(case, "skipped", {"message": "recorded, and confirmed by nobody"})
    indent(suite)
    return tostring(suite, encoding="unicode") + "\n"


def told_outcome(outcome: Outcome) -> str:
    """What was not as expected, line by line."""
    if outcome.error:
        return outcome.error
    return "\n".join(
        f"{each.path}: expected {each.expected}, got {each.got}" + (f" ({each.why})" if each.why else "")
        for each in outcome.differences
    )
