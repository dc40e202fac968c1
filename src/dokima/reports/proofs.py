"""What came of cases as people read it: only what fails, and what no case has reached."""

from __future__ import annotations

from collections.abc import Iterator

from rich.console import Group, RenderableType
from rich.text import Text

from dokima.proving.coverage import COUNTED, Coverage, TableReached
from dokima.proving.mutation import MutationScore
from dokima.proving.proof import Outcome, Proof
from dokima.reports.language import N_, _, counted, told
from dokima.reports.paper import Column, Paper, Row, Section, paper_in
from dokima.reports.translations import Wording

HEADLINE = {
    "rules": N_("rules"), "conditions": N_("conditions"), "options": N_("price options"), "steps": N_("steps"),
    "limits": N_("caps and floors"), "winners": N_("winners"), "misses": N_("tables without a row"),
    "edges": N_("first and last days of windows"), "functions": N_("functions in Python"),
    "moves": N_("moves of state"),
}  # fmt: skip
"""What the headline counts, in words."""


COUNTS = {
    "killed": N_("killed"), "excused": N_("excused"), "counted": N_("counted"), "made": N_("made"),
    "not_loadable": N_("not loadable"), "equivalent": N_("equivalent"),
}  # fmt: skip
"""Counts of mutants, in words."""


def proof_report(proof: Proof) -> RenderableType:
    """Each case that failed: expected, got, and why; then the counts, and the coverage if it was asked for."""
    parts: list[RenderableType] = []
    for outcome in proof.failed:
        parts += [*_failure(outcome), Text("")]
    for outcome in proof.unconfirmed:
        parts.append(
            Text.assemble((_("unconfirmed"), "yellow"), f"  {outcome.case.name}  ", (outcome.case.place, "dim"))
        )
    parts.append(Text(_summary(proof), style="bold red" if proof.failed else "bold green"))
    if proof.coverage is not None:
        parts += [Text(""), coverage_paper(proof.coverage, Wording()).to_rich()]
    if proof.mutation is not None:
        parts += [Text(""), _paper(_("Mutation"), "", _mutation_sections(proof.mutation), Wording()).to_rich()]
    return Group(*parts)


def _failure(outcome: Outcome) -> Iterator[Text]:
    yield Text.assemble((_("failed"), "bold red"), f"  {outcome.case.name}  ", (outcome.case.place, "dim"))
    if outcome.error:
        yield Text(f"    {outcome.error}")
    for each in outcome.differences:
        line = Text(f"    {each.path}: ")
        line.append(_("expected {expected}, got {got}").format(expected=each.expected, got=each.got), style="bold")
        yield line
        if each.why:
            yield Text(f"      {told(each.why)}", style="dim")


def _summary(proof: Proof) -> str:
    if not len(proof):
        return _("no cases: put one into cases/first.toml, or a sheet beside it; the guide says how")
    said = [
        counted(len(proof.passed), "{count} case passed", "{count} cases passed"),
        counted(len(proof.failed), "{count} failed", "{count} failed"),
    ]
    if proof.unconfirmed:
        said.append(counted(len(proof.unconfirmed), "{count} unconfirmed", "{count} unconfirmed"))
    return ", ".join(said)


def proof_paper(proof: Proof, words: Wording) -> Paper:
    """What the cases reach and would notice, if that was asked for; then every case, those that failed first."""
    columns = [Column(_("case")), Column(_("result")), Column(_("where")), Column("", wide=True)]
    rows = []
    for outcome in sorted(proof.outcomes, key=lambda each: (each.passed, each.is_confirmed)):
        result = _("failed") if not outcome.passed else _("passed") if outcome.is_confirmed else _("unconfirmed")
        said = outcome.error or "\n".join(
            f"{d.path}: " + _("expected {expected}, got {got}").format(expected=d.expected, got=d.got)
            for d in outcome.differences
        )
        mark = "" if outcome.passed and outcome.is_confirmed else "removed" if not outcome.passed else "changed"
        rows.append(Row([outcome.case.name, result, outcome.case.place, said], mark))
    sections: list[Section] = []
    if proof.coverage is not None:
        sections += _coverage_sections(proof.coverage)
    if proof.mutation is not None:
        sections += _mutation_sections(proof.mutation)
    sections.append(Section(_("cases"), columns, rows, _summary(proof)))
    return _paper(_("Proof of the rulebook"), _summary(proof), sections, words)


def coverage_paper(coverage: Coverage, words: Wording) -> Paper:
    """What passing cases have reached, and each thing that none has."""
    return _paper(_("Coverage"), "", _coverage_sections(coverage), words)


def _paper(title: str, headline: str, sections: list[Section], words: Wording) -> Paper:
    return paper_in(
        words,
        title=title,
        sections=sections,
        headline=headline,
    )


def _coverage_sections(coverage: Coverage) -> list[Section]:
    counts = coverage.headline()
    waiting = coverage.waiting() if coverage.unconfirmed is not None else {}
    head = [Column(_("of")), Column(_("covered"), "number")]
    head += [Column(_("unconfirmed"), "number")] if waiting else []
    head += [Column(_("there are"), "number"), Column("%", "number")]
    rows = []
    for name, said in HEADLINE.items():
        done, every = counts[name]
        beside = [str(waiting[name])] if waiting else []
        if every:
            rows.append(Row([_(said), str(done), *beside, str(every), str(coverage.percent(name))]))
    missing = [Row([kind, what, lacks]) for kind, what, lacks in uncovered(coverage)]
    lacking = [Column(_("of")), Column(_("not reached"), wide=True), Column(_("lacks"), wide=True)]
    tables = []
    for name, each in coverage.tables.items():
        counts_of = (each.rows, len(each.won), len(set(each.lost) - each.won), _never(each))
        tables.append(Row([name, *map(str, counts_of), _met(each)]))
    columns = [
        Column(_("table")), Column(_("rows"), "number"), Column(_("won"), "number"), Column(_("only lost"), "number"),
        Column(_("never looked at"), "number"), Column(_("breaks met"), wide=True),
    ]  # fmt: skip
    beyond = [Row([name, why]) for name, why in coverage.unreachable.items()]
    own = [Row([f"{name}()", str(count)]) for name, count in coverage.raised.items()]
    sections = [
        Section("", head, rows),
        Section(_("not reached"), lacking, missing, _("every one is reached")),
        Section(_("tables, outside the headline"), columns, tables),
    ]
    if own:
        failed = [Column(_("function")), Column(_("raised an error for"), "number")]
        sections.append(Section(_("functions in Python, outside the headline"), failed, own))
    if beyond:
        named = [Column(_("out of the count")), Column(_("why no order reaches it"), wide=True)]
        sections.append(Section(_("out of the count"), named, beyond))
    return sections


def _mutation_sections(score: MutationScore) -> list[Section]:
    """The score, then every change that no case notices, in words."""
    head = [Column(_("score"), "number"), *(Column(_(name), "number") for name in COUNTS.values())]
    numbers = [Row([f"{score.percent} %", *(str(getattr(score, name)) for name in COUNTS)])]
    columns = [Column(_("no case notices if"), wide=True), Column(_("where"), wide=True), Column("", wide=True)]
    rows = []
    for each in sorted(score.survivors, key=lambda each: bool(each.excuse)):
        near = "" if each.is_reached else _("no case comes near")
        said = each.excuse or (_("an unconfirmed case notices it") if each.is_awaited else near)
        rows.append(Row([told(each.mutant.words), each.mutant.id, said], "" if each.excuse else "changed"))
    left = [Row([name, str(count)]) for name, count in score.not_looked_at.items()]
    sections = [
        Section("", head, numbers),
        Section(_("not noticed"), columns, rows, _("every one is noticed")),
    ]
    for heading, items in (
        (_("proved to be equivalent, and an order says otherwise: a defect in Dokima"), score.refuted),
        (_("noticed because a case could not be run at all"), score.raised),
    ):
        if items:
            sections.append(Section(heading, [Column("", wide=True)], [Row([each]) for each in items]))
    if score.attacked:
        tried = counted(score.attacked, "{count} order", "{count} orders")
        said = _("{orders} tried on those that are equivalent: none came out otherwise").format(orders=tried)
        sections[0] = Section("" if score.refuted else said, head, numbers)
    if score.unused:
        idle = [Row([each]) for each in score.unused]
        sections.append(Section(_("excuses that excuse nothing"), [Column(_("where"), wide=True)], idle))
    if left:
        sections.append(
            Section(_("rows that no case looks at"), [Column(_("table")), Column(_("rows"), "number")], left)
        )
    return sections


def uncovered(coverage: Coverage) -> Iterator[tuple[str, str, str]]:
    """Everything of the headline that no passing case has reached: its kind, what it is, what it lacks."""
    for name, rule in coverage.rules.items():
        if not rule.is_covered:
            lacks = [_("never fired")] * (not rule.fired) + [_("never passed")] * (not rule.passed)
            yield _("rules"), name, ", ".join(lacks)
    for path, leaves in coverage.conditions.items():
        for leaf in leaves:
            if not leaf.is_covered:
                lacks = [_("never true")] * (not leaf.true) + [_("never false")] * (not leaf.false)
                yield _("conditions"), f"{path}: {leaf.text}", ", ".join(lacks)
    for kind in COUNTED:
        for name, count in getattr(coverage, kind).items():
            if not count:
                yield _(HEADLINE[kind]), name, _("no line")
    for name, met in coverage.moves.items():
        if not met:
            yield _(HEADLINE["moves"]), name, _("no case")


def _never(each: TableReached) -> int:
    return each.rows - len(each.won | set(each.lost))


def _met(each: TableReached) -> str:
    whole = sum(1 for met in each.breaks.values() if met >= {"below", "at", "above"})
    return _("{count} of {all} below, at and above").format(count=whole, all=len(each.breaks)) if each.breaks else ""
