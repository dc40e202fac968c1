"""Dokima: rules, prices, totals and variances for orders made of a header and lines.

Exact, explained, and written once for the single order being edited and the million lines of a nightly run.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:  # for editors and type checkers; at run time a name is imported when it is first used
    from dokima.changes.change import ChangeOrder as ChangeOrder
    from dokima.changes.deltas import Delta as Delta
    from dokima.changes.ledger import Ledger as Ledger
    from dokima.changes.listing import ChangeEntries as ChangeEntries
    from dokima.changes.listing import ChangeEntry as ChangeEntry
    from dokima.changes.policy import settling as settling
    from dokima.changes.settlement import Settlement as Settlement
    from dokima.changes.variance import LineVariance as LineVariance
    from dokima.changes.variance import Variance as Variance
    from dokima.cluster.executors import dask_workers as dask_workers
    from dokima.cluster.executors import worker_processes as worker_processes
    from dokima.cluster.running import FileRun as FileRun
    from dokima.cluster.running import price_files as price_files
    from dokima.editing.comparing import PriceComparison as PriceComparison
    from dokima.editing.editor import Editor as Editor
    from dokima.editing.form_inputs import LEAVE as LEAVE
    from dokima.editing.journal import JournalEntry as JournalEntry
    from dokima.editing.many import ManyEdited as ManyEdited
    from dokima.errors import Conflict as Conflict
    from dokima.errors import DocumentError as DocumentError
    from dokima.errors import DokimaError as DokimaError
    from dokima.errors import ExactError as ExactError
    from dokima.errors import FormulaError as FormulaError
    from dokima.errors import Locked as Locked
    from dokima.errors import NotFound as NotFound
    from dokima.errors import Problem as Problem
    from dokima.errors import Refused as Refused
    from dokima.errors import RulebookError as RulebookError
    from dokima.errors import RulebookProblem as RulebookProblem
    from dokima.errors import StaleBaseline as StaleBaseline
    from dokima.errors import StoreError as StoreError
    from dokima.explaining.evaluation import Evaluation as Evaluation
    from dokima.explaining.explanation import Explanation as Explanation
    from dokima.explaining.explanation import QuantityPrice as QuantityPrice
    from dokima.explaining.price_list import PriceList as PriceList
    from dokima.explaining.price_list import PriceRow as PriceRow
    from dokima.formats.order_files import write_order as write_order
    from dokima.formats.reading import Source as Source
    from dokima.formats.results.detail import Detail as Detail
    from dokima.formats.results.proofs import junit as junit
    from dokima.formats.results.proofs import told_outcome as told_outcome
    from dokima.formats.results.registry import to_csv as to_csv
    from dokima.formats.results.registry import to_json as to_json
    from dokima.formats.tables_out import write_parquet as write_parquet
    from dokima.formulas.custom import function as function
    from dokima.inference.beginning import Beginning as Beginning
    from dokima.model.databases import Query as Query
    from dokima.model.finding import Finding as Finding
    from dokima.model.finding import RuleSummary as RuleSummary
    from dokima.model.findings import Findings as Findings
    from dokima.model.listing import Listing as Listing
    from dokima.model.order import Line as Line
    from dokima.model.order import Order as Order
    from dokima.model.orders import Orders as Orders
    from dokima.pricing.calculation.calculation import Calculation as Calculation
    from dokima.pricing.calculation.calculation import PricedLine as PricedLine
    from dokima.pricing.calculation.calculation import PricedOrder as PricedOrder
    from dokima.pricing.calculation.order_amounts import EarlyPaymentRow as EarlyPaymentRow
    from dokima.pricing.calculation.order_amounts import InstalmentRow as InstalmentRow
    from dokima.pricing.calculation.order_amounts import ReportingTotals as ReportingTotals
    from dokima.pricing.calculation.order_amounts import TaxRow as TaxRow
    from dokima.pricing.calculation.order_amounts import Totals as Totals
    from dokima.pricing.kinds.adjustment import Charge as Charge
    from dokima.pricing.kinds.adjustment import Discount as Discount
    from dokima.pricing.kinds.kind import Setting as Setting
    from dokima.pricing.kinds.kind import StepKind as StepKind
    from dokima.pricing.kinds.kind import Working as Working
    from dokima.proving.cases import Case as Case
    from dokima.proving.cases import CaseError as CaseError
    from dokima.proving.coverage import Coverage as Coverage
    from dokima.proving.mutation import MutationScore as MutationScore
    from dokima.proving.proof import Outcome as Outcome
    from dokima.proving.proof import Proof as Proof
    from dokima.proving.remark import AuditRemark as AuditRemark
    from dokima.proving.remark import AuditRemarks as AuditRemarks
    from dokima.proving.replay import Replay as Replay
    from dokima.proving.suggested_cases import Suggestion as Suggestion
    from dokima.proving.suggested_cases import Suggestions as Suggestions
    from dokima.proving.versions import CaseChange as CaseChange
    from dokima.proving.versions import VersionChange as VersionChange
    from dokima.proving.versions import VersionChanges as VersionChanges
    from dokima.proving.versions import case_changes as case_changes
    from dokima.reports.charts import draw as draw
    from dokima.reports.coverage_page import coverage_page as coverage_page
    from dokima.reports.front import Report as Report
    from dokima.reports.front import paper as paper
    from dokima.reports.front import report as report
    from dokima.reports.inert import visible as visible
    from dokima.reports.specification.content import Specification as Specification
    from dokima.reports.specification.making import specify as specify
    from dokima.reports.specification.verifying import SpecificationChanges as SpecificationChanges
    from dokima.reports.specification.verifying import verify_specification as verify_specification
    from dokima.rulebook.beginning import answer as answer
    from dokima.rulebook.beginning import begin as begin
    from dokima.rulebook.book import Rulebook as Rulebook
    from dokima.rulebook.book import load as load
    from dokima.rulebook.case_files import CaseFolder as CaseFolder
    from dokima.rulebook.case_files import order_choices as order_choices
    from dokima.rulebook.case_files import prove as prove
    from dokima.rulebook.case_files import prove_order as prove_order
    from dokima.rulebook.case_writing import add_cases as add_cases
    from dokima.rulebook.revisions import version_folder as version_folder
    from dokima.rulebook.schema import rulebook_schema as rulebook_schema
    from dokima.rulebook.schema import settings_page as settings_page
    from dokima.rulebook.writing import write_orders as write_orders
    from dokima.rules.declaring import rule as rule
    from dokima.rules.python import accept as accept
    from dokima.rules.python import refuse as refuse
    from dokima.rules.verdicts import RuleAnswer as RuleAnswer
    from dokima.rules.verdicts import RuleAnswers as RuleAnswers
    from dokima.store.documents import Event as Event
    from dokima.store.folder import FolderStore as FolderStore
    from dokima.store.opening import check_store as check_store
    from dokima.store.opening import create_store as create_store
    from dokima.store.opening import is_store_url as is_store_url
    from dokima.store.opening import open_store as open_store
    from dokima.store.opening import refresh_drafts as refresh_drafts
    from dokima.store.opening import store_sql as store_sql
    from dokima.store.opening import upgrade_store as upgrade_store
    from dokima.store.service import Store as Store

_HOMES = {
    "AuditRemark": "dokima.proving.remark",
    "AuditRemarks": "dokima.proving.remark",
    "Beginning": "dokima.inference.beginning",
    "answer": "dokima.rulebook.beginning",
    "begin": "dokima.rulebook.beginning",
    "Calculation": "dokima.pricing.calculation.calculation",
    "Case": "dokima.proving.cases",
    "CaseError": "dokima.proving.cases",
    "CaseFolder": "dokima.rulebook.case_files",
    "Coverage": "dokima.proving.coverage",
    "Outcome": "dokima.proving.proof",
    "CaseChange": "dokima.proving.versions",
    "MutationScore": "dokima.proving.mutation",
    "VersionChange": "dokima.proving.versions",
    "VersionChanges": "dokima.proving.versions",
    "Suggestion": "dokima.proving.suggested_cases",
    "Suggestions": "dokima.proving.suggested_cases",
    "add_cases": "dokima.rulebook.case_writing",
    "case_changes": "dokima.proving.versions",
    "version_folder": "dokima.rulebook.revisions",
    "Proof": "dokima.proving.proof",
    "order_choices": "dokima.rulebook.case_files",
    "prove_order": "dokima.rulebook.case_files",
    "told_outcome": "dokima.formats.results.proofs",
    "prove": "dokima.rulebook.case_files",
    "ChangeEntries": "dokima.changes.listing",
    "ChangeEntry": "dokima.changes.listing",
    "ChangeOrder": "dokima.changes.change",
    "Charge": "dokima.pricing.kinds.adjustment",
    "Conflict": "dokima.errors",
    "Delta": "dokima.changes.deltas",
    "Detail": "dokima.formats.results.detail",
    "Discount": "dokima.pricing.kinds.adjustment",
    "DocumentError": "dokima.errors",
    "DokimaError": "dokima.errors",
    "Editor": "dokima.editing.editor",
    "Evaluation": "dokima.explaining.evaluation",
    "Event": "dokima.store.documents",
    "ExactError": "dokima.errors",
    "Explanation": "dokima.explaining.explanation",
    "FileRun": "dokima.cluster.running",
    "Finding": "dokima.model.finding",
    "Findings": "dokima.model.findings",
    "FolderStore": "dokima.store.folder",
    "FormulaError": "dokima.errors",
    "EarlyPaymentRow": "dokima.pricing.calculation.order_amounts",
    "InstalmentRow": "dokima.pricing.calculation.order_amounts",
    "JournalEntry": "dokima.editing.journal",
    "LEAVE": "dokima.editing.form_inputs",
    "Ledger": "dokima.changes.ledger",
    "Line": "dokima.model.order",
    "LineVariance": "dokima.changes.variance",
    "ManyEdited": "dokima.editing.many",
    "Listing": "dokima.model.listing",
    "Locked": "dokima.errors",
    "NotFound": "dokima.errors",
    "Order": "dokima.model.order",
    "Orders": "dokima.model.orders",
    "PriceComparison": "dokima.editing.comparing",
    "PriceList": "dokima.explaining.price_list",
    "PriceRow": "dokima.explaining.price_list",
    "PricedLine": "dokima.pricing.calculation.calculation",
    "PricedOrder": "dokima.pricing.calculation.calculation",
    "Problem": "dokima.errors",
    "QuantityPrice": "dokima.explaining.explanation",
    "Query": "dokima.model.databases",
    "Refused": "dokima.errors",
    "Replay": "dokima.proving.replay",
    "Report": "dokima.reports.front",
    "ReportingTotals": "dokima.pricing.calculation.order_amounts",
    "RuleAnswer": "dokima.rules.verdicts",
    "RuleAnswers": "dokima.rules.verdicts",
    "RuleSummary": "dokima.model.finding",
    "Rulebook": "dokima.rulebook.book",
    "RulebookError": "dokima.errors",
    "RulebookProblem": "dokima.errors",
    "Setting": "dokima.pricing.kinds.kind",
    "Settlement": "dokima.changes.settlement",
    "Source": "dokima.formats.reading",
    "StaleBaseline": "dokima.errors",
    "StoreError": "dokima.errors",
    "StepKind": "dokima.pricing.kinds.kind",
    "Store": "dokima.store.service",
    "TaxRow": "dokima.pricing.calculation.order_amounts",
    "Totals": "dokima.pricing.calculation.order_amounts",
    "Variance": "dokima.changes.variance",
    "Working": "dokima.pricing.kinds.kind",
    "accept": "dokima.rules.python",
    "check_store": "dokima.store.opening",
    "create_store": "dokima.store.opening",
    "dask_workers": "dokima.cluster.executors",
    "draw": "dokima.reports.charts",
    "function": "dokima.formulas.custom",
    "junit": "dokima.formats.results.proofs",
    "load": "dokima.rulebook.book",
    "is_store_url": "dokima.store.opening",
    "open_store": "dokima.store.opening",
    "price_files": "dokima.cluster.running",
    "refresh_drafts": "dokima.store.opening",
    "refuse": "dokima.rules.python",
    "coverage_page": "dokima.reports.coverage_page",
    "paper": "dokima.reports.front",
    "report": "dokima.reports.front",
    "Specification": "dokima.reports.specification.content",
    "specify": "dokima.reports.specification.making",
    "SpecificationChanges": "dokima.reports.specification.verifying",
    "verify_specification": "dokima.reports.specification.verifying",
    "rule": "dokima.rules.declaring",
    "rulebook_schema": "dokima.rulebook.schema",
    "settings_page": "dokima.rulebook.schema",
    "settling": "dokima.changes.policy",
    "store_sql": "dokima.store.opening",
    "to_csv": "dokima.formats.results.registry",
    "to_json": "dokima.formats.results.registry",
    "upgrade_store": "dokima.store.opening",
    "visible": "dokima.reports.inert",
    "worker_processes": "dokima.cluster.executors",
    "write_order": "dokima.formats.order_files",
    "write_orders": "dokima.rulebook.writing",
    "write_parquet": "dokima.formats.tables_out",
}
"""Where each public name lives."""

__all__ = [
    "LEAVE",
    "AuditRemark",
    "AuditRemarks",
    "Beginning",
    "Calculation",
    "Case",
    "CaseChange",
    "CaseError",
    "CaseFolder",
    "ChangeEntries",
    "ChangeEntry",
    "ChangeOrder",
    "Charge",
    "Conflict",
    "Coverage",
    "Delta",
    "Detail",
    "Discount",
    "DocumentError",
    "DokimaError",
    "EarlyPaymentRow",
    "Editor",
    "Evaluation",
    "Event",
    "ExactError",
    "Explanation",
    "FileRun",
    "Finding",
    "Findings",
    "FolderStore",
    "FormulaError",
    "InstalmentRow",
    "JournalEntry",
    "Ledger",
    "Line",
    "LineVariance",
    "Listing",
    "Locked",
    "ManyEdited",
    "MutationScore",
    "NotFound",
    "Order",
    "Orders",
    "Outcome",
    "PriceComparison",
    "PriceList",
    "PriceRow",
    "PricedLine",
    "PricedOrder",
    "Problem",
    "Proof",
    "QuantityPrice",
    "Query",
    "Refused",
    "Replay",
    "Report",
    "ReportingTotals",
    "RuleAnswer",
    "RuleAnswers",
    "RuleSummary",
    "Rulebook",
    "RulebookError",
    "RulebookProblem",
    "Setting",
    "Settlement",
    "Source",
    "Specification",
    "SpecificationChanges",
    "StaleBaseline",
    "StepKind",
    "Store",
    "StoreError",
    "Suggestion",
    "Suggestions",
    "TaxRow",
    "Totals",
    "Variance",
    "VersionChange",
    "VersionChanges",
    "Working",
    "accept",
    "add_cases",
    "answer",
    "begin",
    "case_changes",
    "check_store",
    "coverage_page",
    "create_store",
    "dask_workers",
    "draw",
    "function",
    "is_store_url",
    "junit",
    "load",
    "open_store",
    "order_choices",
    "paper",
    "price_files",
    "prove",
    "prove_order",
    "refresh_drafts",
    "refuse",
    "report",
    "rule",
    "rulebook_schema",
    "settings_page",
    "settling",
    "specify",
    "store_sql",
    "to_csv",
    "to_json",
    "told_outcome",
    "upgrade_store",
    "verify_specification",
    "version_folder",
    "visible",
    "worker_processes",
    "write_order",
    "write_orders",
    "write_parquet",
]
__version__ = "0.1.0"


def __getattr__(name: str) -> Any:
    if name not in _HOMES:
        raise AttributeError(f"module 'dokima' has no attribute '{name}'")
    value = getattr(import_module(_HOMES[name]), name)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return sorted({*globals(), *_HOMES})
