"""`specification_of`: the specification of a rulebook, with its cases as they come out now."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence

from dokima.pricing.fingerprint import part_digests
from dokima.pricing.program import Program
from dokima.proving.proof import Outcome
from dokima.proving.running_cases import Batch, run_cases
from dokima.proving.versions import VersionChanges
from dokima.proving.wanted import OUTSIDE, target_words, wanted_of
from dokima.reports import language
from dokima.reports.language import N_, _, speaking, told
from dokima.reports.specification.content import Chapter, Examples, Grid, Specification
from dokima.reports.specification.evidence import Evidence
from dokima.reports.specification.once import told_once
from dokima.reports.specification.parts import Parts
from dokima.reports.specification.verifying import parts_of
from dokima.reports.versions import WORDS
from dokima.rulebook.case_files import CaseFolder


def specify(
    cases: CaseFolder,
    *,
    facts: Mapping[str, str] | None = None,
    since: VersionChanges | None = None,
    run: bool = True,
    locale: str = "",
) -> Specification:
    """The specification of a rulebook in a folder: its cases run now, and stand beside the parts that they verify.

    Args:
        cases: The rulebook and its cases.
        facts: What is to be known first, by label, such as version and date; the date of today unless it is given.
        since: What changed since an older version: a chapter of its own.
        run: Whether its cases are run; without them it says that nothing is verified.
        locale: Locale of its words and numbers, such as ``de_DE``; that of the rulebook's reports if blank.

    Raises:
        DokimaError: There is no such locale.
        NotFound: An author's text takes a figure from a case that is not there.
    """
    outcomes, batches = run_cases(cases.cases, cases.program_of, cases.pinned) if run else ((), ())
    dated = {N_("date"): datetime.date.today().isoformat(), **(facts or {})}
    parts = parts_of(cases, with_cases=run)
    program = cases.rulebook.program
    with speaking(locale or program.definition.report.locale):
        return specification_of(program, outcomes, batches, facts=dated, since=since, parts=parts)


def specification_of(
    program: Program,
    outcomes: Sequence[Outcome] = (),
    batches: Sequence[Batch] = (),
    *,
    facts: Mapping[str, str] | None = None,
    since: VersionChanges | None = None,
    parts: Mapping[str, str] | None = None,
) -> Specification:
    """What a rulebook says, in plain words of the language of reports, in the order in which an order is worked on.

    Args:
        program: The rulebook.
        outcomes: What came of its cases; empty to say nothing of cases.
        batches: The cases as they ran together.
        facts: What is to be known first, by label: version, date.
        since: What changed since an older version: a chapter of its own.
        parts: A digest of each part and of each case; of the parts of the rulebook alone if None.

    Raises:
        NotFound: An author's text takes a figure from a case that is not there.
    """
    evidence = Evidence(program, outcomes, batches)
    chapters = Parts(program, evidence).chapters()
    if since is not None:
        chapters.append(_changed(since))
    failures = [evidence.example(at) for at, each in enumerate(outcomes) if not each.passed]
    if failures:
        chapters.insert(0, Chapter(_("Cases that failed"), [Examples(failures)]))
    chapters = told_once(chapters)
    known = {N_("fingerprint"): program.fingerprint[:14], **(facts or {})}
    parts = part_digests(program.definition) if parts is None else parts
    if not outcomes:
        return Specification(program.definition.name, known, chapters, parts=parts, locale=language.locale())
    failed = [each for each in outcomes if not each.passed]
    unconfirmed = [each for each in outcomes if each.passed and not each.is_confirmed]
    passed = len(outcomes) - len(failed) - len(unconfirmed)
    verdict = {N_("passed"): passed, N_("failed"): len(failed), N_("unconfirmed"): len(unconfirmed)}
    missing = [told(target_words(program, each)) for each in wanted_of(evidence.coverage) if each.kind not in OUTSIDE]
    missing += [_("from {move}").format(move=name) for name, done in evidence.coverage.moves.items() if not done]
    return Specification(program.definition.name, known, chapters, verdict, missing, parts, language.locale())


def _changed(since: VersionChanges) -> Chapter:
    """What changed since an older version: settings by their paths, rows by their terms."""
    rows = [
        [f"{each.path} {each.row}".strip(), _(WORDS[each.change]), each.before, each.after] for each in since.changes
    ]
    title = _("What changed since {version}").format(version=since.old)
    nothing = "" if rows else _("Nothing changed.")
    return Chapter(title, [Grid([_("what"), "", _("before"), _("now")], rows, nothing)])
