"""The whole audit of a rulebook."""

from __future__ import annotations

import datetime

from dokima.model.finding import SEVERITIES
from dokima.pricing.program import Program
from dokima.proving.examples import Examples
from dokima.proving.keys import audit_keys
from dokima.proving.outlying import audit_outlying
from dokima.proving.priced_items import audit_discounts, audit_prices
from dokima.proving.remark import CHECKS, AuditRemarks
from dokima.proving.rows import audit_rows
from dokima.proving.usage import audit_comparisons, audit_rules, audit_usage


def audit(program: Program, today: datetime.date) -> AuditRemarks:
    """What is doubtful in a rulebook and its tables, the worst first.

    Args:
        program: The rulebook.
        today: Rows that ended before it have expired; examples are dated as near to it as their rows let them be.
    """
    examples = Examples(program, today)
    remarks = [
        *audit_rows(program, examples, today),
        *audit_prices(program, examples),
        *audit_discounts(program, examples),
        *audit_keys(program),
        *audit_outlying(program),
        *audit_usage(program),
        *audit_rules(program),
        *audit_comparisons(program),
    ]
    order = list(CHECKS)
    # Two tables on one file say the same about its rows: once is enough.
    distinct = {(each.check, each.file, tuple(each.rows), each.path or each.message): each for each in remarks[::-1]}
    found = sorted(distinct.values(), key=lambda each: (each.table, list(each.rows), each.path))
    return AuditRemarks(sorted(found, key=lambda each: (SEVERITIES.index(each.severity), order.index(each.check))))
