"""Dokima: rules, prices, totals and variances for orders made of a header and lines.

Exact, explained, and written once for the single order being edited and the million lines of a nightly run.
"""

from dokima.auditing.remark import Remark
from dokima.changes.change import ChangeOrder
from dokima.changes.ledger import Ledger
from dokima.changes.policy import settling
from dokima.changes.settlement import Settlement
from dokima.changes.variance import Change, LineVariance, Variance
from dokima.editing.comparing import PriceComparison
from dokima.editing.editor import Editor
from dokima.editing.journal import Entry
from dokima.engine.calculation import (
    Calculation,
    InstalmentRow,
    PricedLine,
    PricedOrder,
    ReportingTotals,
    TaxRow,
    Totals,
)
from dokima.engine.explaining import Explanation, Rung
from dokima.errors import (
    Conflict,
    DocumentError,
    DokimaError,
    ExactError,
    FormulaError,
    Locked,
    NotFound,
    Problem,
    Refused,
    RulebookError,
    RulebookProblem,
    StaleBaseline,
)
from dokima.formats.results import to_csv, to_json
from dokima.formulas.custom import function
from dokima.model.findings import Finding, Findings, RuleSummary
from dokima.model.order import Line, Order
from dokima.model.orders import Orders
from dokima.rulebook.book import Rulebook, load
from dokima.rulebook.replay import Replay
from dokima.rules.declaring import rule
from dokima.rules.python import accept, refuse
from dokima.rules.verdicts import RuleAnswer
from dokima.store.folder import FolderStore

__all__ = [
    "Calculation",
    "Change",
    "ChangeOrder",
    "Conflict",
    "DocumentError",
    "DokimaError",
    "Editor",
    "Entry",
    "ExactError",
    "Explanation",
    "Finding",
    "Findings",
    "FolderStore",
    "FormulaError",
    "InstalmentRow",
    "Ledger",
    "Line",
    "LineVariance",
    "Locked",
    "NotFound",
    "Order",
    "Orders",
    "PriceComparison",
    "PricedLine",
    "PricedOrder",
    "Problem",
    "Refused",
    "Remark",
    "Replay",
    "ReportingTotals",
    "RuleAnswer",
    "RuleSummary",
    "Rulebook",
    "RulebookError",
    "RulebookProblem",
    "Rung",
    "Settlement",
    "StaleBaseline",
    "TaxRow",
    "Totals",
    "Variance",
    "accept",
    "function",
    "load",
    "refuse",
    "rule",
    "settling",
    "to_csv",
    "to_json",
]
__version__ = "0.1.0"
