"""Dokima: rules, prices, totals and variances for orders made of a header and lines.

Exact, explained, and written once for the single order being edited and the million lines of a nightly run.
"""

from dokima.changes.variance import Change, LineVariance, Variance
from dokima.engine.calculation import Calculation, PricedLine, PricedOrder, TaxRow, Totals
from dokima.engine.explaining import Explanation
from dokima.errors import (
    DocumentError,
    DokimaError,
    ExactError,
    FormulaError,
    NotFound,
    Problem,
    Refused,
    RulebookError,
    RulebookProblem,
)
from dokima.model.findings import Finding, Findings
from dokima.model.order import Line, Order
from dokima.model.orders import Orders
from dokima.rulebook.book import Rulebook, load

__all__ = [
    "Calculation",
    "Change",
    "DocumentError",
    "DokimaError",
    "ExactError",
    "Explanation",
    "Finding",
    "Findings",
    "FormulaError",
    "Line",
    "LineVariance",
    "NotFound",
    "Order",
    "Orders",
    "PricedLine",
    "PricedOrder",
    "Problem",
    "Refused",
    "Rulebook",
    "RulebookError",
    "RulebookProblem",
    "TaxRow",
    "Totals",
    "Variance",
    "load",
]
__version__ = "0.1.0"
