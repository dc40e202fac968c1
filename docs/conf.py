"""The documentation as pages: ``sphinx-build -W docs site``. Commands and public names are read from Dokima itself."""

import subprocess
import sys
from pathlib import Path

import dokima

project = "Dokima"
author = copyright = "The Dokima developers"
version = release = dokima.__version__
extensions = ["myst_parser", "sphinx.ext.autodoc", "sphinx.ext.napoleon"]
exclude_patterns = ["screenshots"]
default_role = "code"  # docstrings put names in single backticks
html_theme = "furo"
html_title = f"Dokima {version}"
myst_heading_anchors = 3
autodoc_default_options = {
    "members": True,
    "undoc-members": False,
    "inherited-members": "Exception, tuple, Sequence, Mapping, str, dict, StrEnum",
}
autodoc_typehints = "description"
autodoc_typehints_description_target = "documented"
napoleon_use_ivar = True
# Examples show a terminal, and pieces of a rulebook that need what stands around them.
suppress_warnings = ["misc.highlighting_failure"]

GROUPS = {
    "Rulebooks": ["load", "Rulebook", "begin", "Beginning", "answer", "rulebook_schema", "settings_page"],
    "Orders": ["Order", "Line", "Orders", "write_order", "write_orders", "Source"],
    "Prices": [
        "Calculation",
        "PricedOrder",
        "PricedLine",
        "Totals",
        "TaxRow",
        "EarlyPaymentRow",
        "InstalmentRow",
        "ReportingTotals",
        "write_parquet",
    ],
    "Many orders": ["price_files", "FileRun", "worker_processes", "dask_workers"],
    "Explanations": ["Explanation", "QuantityPrice", "Evaluation", "PriceList", "PriceRow"],
    "Rules": ["Finding", "Findings", "RuleAnswer", "RuleAnswers", "RuleSummary"],
    "Rules and functions in Python": ["rule", "accept", "refuse", "function", "settling"],
    "Kinds of steps": ["StepKind", "Working", "Charge", "Discount", "Setting"],
    "Editing": ["Editor", "ManyEdited", "LEAVE", "JournalEntry", "PriceComparison"],
    "Changes": [
        "Variance",
        "LineVariance",
        "Delta",
        "ChangeOrder",
        "ChangeEntry",
        "ChangeEntries",
        "Settlement",
        "Ledger",
    ],
    "Stores": [
        "open_store",
        "Store",
        "FolderStore",
        "create_store",
        "is_store_url",
        "upgrade_store",
        "check_store",
        "refresh_drafts",
        "store_sql",
        "Listing",
        "Event",
    ],
    "Other databases": ["Query"],
    "Proving": [
        "prove",
        "prove_order",
        "order_choices",
        "told_outcome",
        "junit",
        "CaseFolder",
        "Case",
        "Outcome",
        "Proof",
        "Coverage",
        "MutationScore",
        "Suggestions",
        "Suggestion",
        "add_cases",
        "coverage_page",
        "specify",
        "verify_specification",
        "Specification",
        "SpecificationChanges",
        "case_changes",
        "version_folder",
        "VersionChanges",
        "VersionChange",
        "CaseChange",
        "AuditRemark",
        "AuditRemarks",
        "Replay",
    ],
    "What people and programs read": ["report", "paper", "Report", "draw", "to_csv", "to_json", "Detail", "visible"],
    "Errors": [],
}


def _python_page() -> str:
    """A page of all public names. One that no group has would be missing, and that stops the build."""
    errors = [
        name
        for name in dokima.__all__
        if isinstance(found := getattr(dokima, name), type) and issubclass(found, Exception)
    ]
    errors += ["Problem", "RulebookProblem"]
    groups = {**GROUPS, "Errors": errors}
    named = {name for names in groups.values() for name in names}
    if named != set(dokima.__all__):
        raise ValueError(f"docs/conf.py: names in no group, or that are gone: {sorted(named ^ set(dokima.__all__))}")
    page = "# Python\n\nEverything below is imported from `dokima`.\n"
    for group, names in groups.items():
        page += f"\n## {group}\n"
        for name in names:
            found = getattr(dokima, name)
            how = "autofunction" if callable(found) and not isinstance(found, type) else "autoclass"
            if how == "autoclass" and not isinstance(found, type):
                how = "autodata"
            page += f"\n```{{eval-rst}}\n.. {how}:: dokima.{name}\n```\n"
    return page


def _commands_page() -> str:
    """A page of all commands, from the commands."""
    module = Path(dokima.__file__).parent / "cli" / "main.py"
    arguments = [sys.executable, "-m", "typer", str(module), "utils", "docs", "--name", "dokima", "--title", "Commands"]
    page = subprocess.run(arguments, capture_output=True, text=True, check=True).stdout
    return page.replace("# `dokima`", "# Commands", 1)


def setup(_app: object) -> None:
    """Write the pages that are made, before Sphinx looks for pages."""
    made = Path(__file__).parent / "made"
    made.mkdir(exist_ok=True)
    (made / "python.md").write_text(_python_page(), encoding="utf-8")
    (made / "commands.md").write_text(_commands_page(), encoding="utf-8")
