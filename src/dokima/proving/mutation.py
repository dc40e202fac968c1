"""Mutation: whether the cases would notice a slip of the pen anywhere in the rulebook."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence, Set
from dataclasses import dataclass, field
from typing import Any

from dokima.model.content import digest_of
from dokima.model.said import SHOWN
from dokima.pricing.program import Program
from dokima.proving.cases import Case
from dokima.proving.equivalence import Equivalence
from dokima.proving.mutants import EVERY, Mutant, mutants_of
from dokima.proving.proof import Outcome
from dokima.proving.running_cases import Batch, run_cases
from dokima.proving.tables_reached import rows_met
from dokima.proving.telling_apart import changed_program
from dokima.proving.versions import VersionChanges

Pinned = Callable[[Case], Mapping[str, str]]
"""Gives the content of the tables that a case pins."""
Pin = Callable[[Program, Case], Program]
"""Gives a rulebook with the tables that a case pins."""
Progress = Callable[[int, int], None]
"""Is told how many mutants are done, and how many there are."""
FIRST = 16
"""Cases that are run first, those that noticed most so far: they notice most of what is noticed at all."""
LOOKED_AT = ("won", "window", "break", "choose", "file order")
"""What happens to a row that a case looks at; one that is about something else is not looked at."""


@dataclass(frozen=True)
class Survivor:
    """A mutant that no case noticed which a person stands behind.

    Attributes:
        mutant: The mutant.
        is_reached: Whether any case comes near the spot.
        excuse: Why that is no matter, and who said so; blank if nobody has.
        is_awaited: Whether a case notices it that nobody has confirmed yet.
    """

    mutant: Mutant
    is_reached: bool
    excuse: str = ""
    is_awaited: bool = False


@dataclass(frozen=True)
class MutationScore:
    """What came of all mutants.

    Attributes:
        made: How many were made.
        not_loadable: How many are no rulebook.
        equivalent: How many say the same as the rulebook, so that nothing could notice them.
        killed: How many a case noticed.
        survivors: The others.
        not_looked_at: Rows of tables that no case looks at, by table; their mutants were not made.
        unused: Ids of excuses that no survivor has; empty where only some mutants were made.
        raised: Ids of killed ones with which a case could not be run at all.
        untried: How many were left when somebody stopped it; nothing is said of them.
        attacked: Orders on which the equivalent ones came out as the rulebook, all together.
        refuted: Ids of those that were proved to be equivalent, and an order came out otherwise: a mistake of Dokima.
    """

    made: int
    not_loadable: int
    equivalent: int
    killed: int
    survivors: Sequence[Survivor] = ()
    not_looked_at: Mapping[str, int] = field(default_factory=dict)
    unused: Sequence[str] = ()
    raised: Sequence[str] = ()
    untried: int = 0
    attacked: int = 0
    refuted: Sequence[str] = ()

    @property
    def counted(self) -> int:
        """How many count: those made, less those that are no rulebook, or the same one."""
        return self.made - self.not_loadable - self.equivalent

    @property
    def excused(self) -> int:
        """Survivors of which somebody said why that is no matter."""
        return sum(bool(each.excuse) for each in self.survivors)

    @property
    def noticed(self) -> int:
        """How many a case noticed, or a person excused."""
        return self.killed + self.excused

    @property
    def percent(self) -> int:
        """The score in percent, rounded down; excused survivors count as noticed."""
        if not self.counted:
            return 100
        return 100 * self.noticed // self.counted

    def __repr__(self) -> str:
        left = f", {self.untried} not tried" if self.untried else ""
        return f"<MutationScore: {self.percent} %, {self.killed} of {self.counted} noticed{left}; {SHOWN}>"

    def to_dict(self) -> dict[str, Any]:
        """The score as plain data."""
        return {
            "score": self.percent,
            "made": self.made,
            "not_loadable": self.not_loadable,
            "equivalent": self.equivalent,
            "killed": self.killed,
            "excused": self.excused,
            "survivors": [
                {
                    "id": each.mutant.id,
                    "path": each.mutant.path,
                    "operator": each.mutant.operator,
                    "words": each.mutant.words,
                    "reached": each.is_reached,
                    "excuse": each.excuse,
                    "noticed_by_unconfirmed": each.is_awaited,
                }
                for each in self.survivors
            ],
            "rows_not_looked_at": dict(self.not_looked_at),
            "unused_excuses": list(self.unused),
            "raised": list(self.raised),
            "untried": self.untried,
            "orders_tried_on_equivalents": self.attacked,
            "refuted_equivalents": list(self.refuted),
        }


def mutate(
    program: Program,
    cases: Sequence[Case],
    pinned: Pinned,
    pin: Pin,
    *,
    excuses: Mapping[str, str] | None = None,
    sample: int | None = None,
    rows: bool = False,
    since: VersionChanges | None = None,
    progress: Progress | None = None,
) -> MutationScore:
    """Change the rulebook one spot at a time, and see whether a case notices.

    Args:
        program: The rulebook.
        cases: Its cases; those that do not pass, or that nobody has confirmed, notice nothing.
        pinned: Gives the content of the tables that a case pins.
        pin: Gives a rulebook with the tables that a case pins.
        excuses: Reasons by the id of a mutant.
        sample: Only so many mutants, chosen by their ids.
        rows: Also rows of tables that no case looks at.
        since: What changed since an older version: only that is changed once more.
        progress: Is told how many mutants are done, and how many there are.
    """
    outcomes, batches = run_cases(cases, lambda case: pin(program, case), pinned)
    passed = [outcome for outcome in outcomes if outcome.passed]
    good = [outcome.case for outcome in passed if outcome.is_confirmed]
    others = [outcome.case for outcome in passed if not outcome.is_confirmed]
    trial = _Trial(program, good, others, _reach(program, outcomes, batches), pinned, pin)
    looked = _looked_at(batches)
    made = list(mutants_of(program))
    left: dict[str, int] = {}
    if not rows:
        left = {
            name: table.size - len(looked.get(name, ()))
            for name, table in program.tables.items()
            if table.size > len(looked.get(name, ()))
        }
        made = [each for each in made if each.row is None or each.row in looked.get(each.table, ())]
    if since is not None:
        spots = {each.path for each in since.changes if not each.row}
        told = {(each.path, each.row) for each in since.changes if each.row}
        made = [each for each in made if _is_among(each, spots, told)]
        left = {}
    if sample is not None:
        chosen = sorted(made, key=lambda each: digest_of(each.id))[:sample]
        made = [each for each in made if each in chosen]
    counts = {"not_loadable": 0, "equivalent": 0, "killed": 0}
    survivors: list[Survivor] = []
    untried = 0
    for at, mutant in enumerate(made, start=1):
        try:
            if progress is not None:
                progress(at - 1, len(made))
            found = trial.of(mutant)
            awaited = not isinstance(found, str) and trial.is_awaited(mutant)
        except KeyboardInterrupt:  # whoever stops it gets what has been found so far
            untried = len(made) - at + 1
            break
        if isinstance(found, str):
            counts[found] += 1
        else:
            survivors.append(Survivor(mutant, found, (excuses or {}).get(mutant.id, ""), awaited))
    # An excuse of what a case notices by now, or of what is not there any more, would hide the next one of that id.
    known = {each.mutant.id for each in survivors}
    some = since is not None or sample is not None or untried > 0
    unused = [] if some else [each for each in excuses or () if each not in known]
    return MutationScore(
        len(made) - untried, **counts, survivors=survivors, not_looked_at=left, unused=unused, raised=trial.raised,
        untried=untried, attacked=trial.proofs.attacked, refuted=trial.proofs.refuted,
    )  # fmt: skip


def _is_among(mutant: Mutant, spots: Set[str], rows: Set[tuple[str, str]]) -> bool:
    """Whether a mutant is at a spot that changed, below one, or in a row that changed."""
    if mutant.terms:
        return (mutant.table, mutant.terms) in rows
    return any(f"{mutant.path}.".startswith(f"{spot}.") for spot in spots)


@dataclass
class _Trial:
    """Runs the cases that come near a mutant.

    Attributes:
        program: The rulebook.
        cases: Cases that pass, and that a person stands behind.
        others: Cases that pass, and that nobody has confirmed.
        reached: What each comes near to, by its id.
        pinned: Gives the content of the tables that a case pins.
        pin: Gives a rulebook with the tables that a case pins.
        noticed: How often each case noticed something: the sharpest are asked first.
        raised: Ids of mutants with which a case could not be run, and what was raised.
    """

    program: Program
    cases: Sequence[Case]
    others: Sequence[Case]
    reached: Mapping[int, set[str]]
    pinned: Pinned
    pin: Pin
    noticed: Counter[int] = field(default_factory=Counter)
    raised: list[str] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.proofs = Equivalence(self.program)

    def of(self, mutant: Mutant) -> str | bool:
        """What became of a mutant: killed, not_loadable, equivalent; or whether any case comes near it."""
        changed = changed_program(self.program, mutant)
        if changed is None:
            return "not_loadable"
        near = self._near(mutant, self.cases)
        try:
            if self._any_notices(changed, near):
                return "killed"
        except Exception as error:
            self.raised.append(f"{mutant.id} ({type(error).__name__}: {error})")
            return "killed"
        # Asked last: most mutants are noticed, and a proof costs more than a case.
        at = None if mutant.at is None else (mutant.table, mutant.at)
        return "equivalent" if self.proofs.equivalent(mutant.id, changed, at) else bool(near)

    def is_awaited(self, mutant: Mutant) -> bool:
        """Whether a case notices a mutant that nobody has confirmed yet."""
        changed = changed_program(self.program, mutant) if self.others else None
        try:
            return changed is not None and self._any_notices(changed, self._near(mutant, self.others))
        except Exception:
            return True

    def _near(self, mutant: Mutant, cases: Sequence[Case]) -> list[Case]:
        """The cases that come near a mutant."""
        near = [each for each in cases if mutant.reach == EVERY or mutant.reach in self.reached[id(each)]]
        # A case that pins a table runs with it whatever the rulebook says: it tells nothing of that table.
        return [each for each in near if not mutant.tables & set(each.tables)]

    def _any_notices(self, changed: Program, near: Sequence[Case]) -> bool:
        alone = [each for each in near if each.edit or each.change or each.set]
        together = [each for each in near if not (each.edit or each.change or each.set)]
        for some in (alone, together):
            some.sort(key=lambda each: -self.noticed[id(each)])
        ways = (together[:FIRST], together[FIRST:], *([each] for each in alone))
        return any(some and self._notices(changed, some) for some in ways)

    def _notices(self, changed: Program, cases: Sequence[Case]) -> bool:
        programs: dict[tuple[tuple[str, str], ...], Program] = {(): changed}

        def program_of(case: Case) -> Program:
            key = tuple(sorted(case.tables.items()))
            if key not in programs:
                programs[key] = self.pin(changed, case)
            return programs[key]

        outcomes, _ = run_cases(cases, program_of, self.pinned)
        noticing = [outcome.case for outcome in outcomes if not outcome.passed]
        self.noticed.update(id(case) for case in noticing)
        return bool(noticing)


def _reach(program: Program, outcomes: Sequence[Outcome], batches: Sequence[Batch]) -> dict[int, set[str]]:
    """What each case that passed comes near to: rules, routines, tables."""
    rules = {f"rule:{rule.key}" for rule in program.rules}
    tables = {f"table:{name}" for name in program.tables}
    routines = {f"routine:{routine.name}" for routine in program.routines}
    found: dict[int, set[str]] = {}
    for outcome in outcomes:
        if outcome.passed:
            # An edit asks rules and prices on its way that nobody has written down: it may reach any.
            edits = bool(outcome.case.edit or outcome.case.change)
            found[id(outcome.case)] = rules | tables | routines if edits else set()
    for batch in batches:
        routine_of = batch.pricing.calculation.routine_of
        for at, number in enumerate(batch.orders.numbers):
            mine = found.get(id(batch.cases.get(number)))
            if mine is None:
                continue
            mine |= tables | (rules if batch.moment else set())
            if at < len(routine_of) and routine_of[at] >= 0:
                mine.add(f"routine:{batch.program.routines[int(routine_of[at])].name}")
    return found


def _looked_at(batches: Sequence[Batch]) -> dict[str, set[int]]:
    """Rows that answered some case, and of tables of terms those that competed, by table."""
    found: dict[str, set[int]] = {}
    for batch in batches:
        for name, what, row in rows_met(batch):
            if what in LOOKED_AT:
                found.setdefault(name, set()).add(row)
    return found
