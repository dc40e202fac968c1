"""Suggestions: cases for what no case has reached, found among orders near those that are known."""

from __future__ import annotations

import datetime
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

import numpy as np

from dokima.pricing.program import Program
from dokima.proving.boundaries import Boundaries
from dokima.proving.cases import Case
from dokima.proving.coverage import Coverage
from dokima.proving.mutants import Mutant
from dokima.proving.mutation import Survivor
from dokima.proving.pool import (
    MOST_SEEDS,
    Document,
    Pool,
    changed,
    checked,
    flaws,
    further,
    near_rows,
    neighbours,
    seeds,
)
from dokima.proving.reaching import differences_met, reached
from dokima.proving.running_cases import run_cases
from dokima.proving.suggested_cases import STOPPED, Suggestion, Suggestions, is_reached, named, recorded
from dokima.proving.suggested_edits import Edits
from dokima.proving.target import Target
from dokima.proving.telling_apart import changed_program, differing
from dokima.proving.wanted import KILL, KILLS, OUTSIDE, Readings, rule_of, target_words, wanted_of

MOST_STARTS = 3
"""Orders around which others are tried that tell a survivor of mutation apart."""
MOST_STEPS = 4
"""How often a straight line is drawn anew towards a limit."""
MOST_WAYS = 6
"""Numbers of orders that are moved towards a limit at once."""
ROW_KINDS = (*OUTSIDE, "edges")
"""Kinds of targets that count less: they are outside the headline, or one of many rows."""
BESIDE = tuple(Decimal(each) for each in ("-1", "-0.01", "0.01", "1"))
"""Steps from a limit that is met: what lies just below and above it."""
FIRST_TRIES = (Decimal(4), Decimal(12))
"""What a number is tried at first, to see which way the limit lies."""
MOST_EDITED = 6
"""Orders that are edited for what is asked only then."""
MOST_SAID = 6
"""What a case reaches that is said in its note, at most."""
Progress = Callable[[str], None]
"""Is told what is being looked for."""


def suggest(
    program: Program,
    cases: Sequence[Case],
    coverage: Coverage,
    today: datetime.date,
    *,
    survivors: Sequence[Survivor] = (),
    waiting: int = 0,
    most: int = 50,
    progress: Progress | None = None,
) -> Suggestions:
    """Cases for what no case has reached: orders near known ones, at the boundaries of what decides.

    Args:
        program: The rulebook.
        cases: Its cases, to begin with.
        coverage: What they reach.
        today: For ``run.today``, and the date of orders that are made without a case.
        survivors: Mutants that no case notices: orders are looked for that tell them apart.
        waiting: How many of the cases nobody has confirmed.
        most: How many cases are suggested at most.
        progress: Is told what is being looked for.
    """
    search = _Search(program, cases, coverage.with_unconfirmed, today, survivors, waiting, progress or (lambda _: None))
    return search.found(most)


@dataclass
class _Search:
    program: Program
    cases: Sequence[Case]
    coverage: Coverage
    today: datetime.date
    survivors: Sequence[Survivor]
    waiting: int
    progress: Progress

    def __post_init__(self) -> None:
        self.pool = Pool(self.program, self.today)
        self.boundaries = Boundaries(self.program, self.today)
        self.readings = Readings(self.program)
        self.wanted = wanted_of(self.coverage)
        self.mutants = {each.mutant.id: each.mutant for each in self.survivors}

    def found(self, most: int) -> Suggestions:
        """Fill the pool, choose from it, make cases of what was chosen. What ends early leaves what is there."""
        made: list[tuple[Suggestion, set[Target]]] = []
        ended = ""
        try:
            self._look(most, made)
        except KeyboardInterrupt:
            ended = STOPPED
        except Exception as error:
            ended = f"a defect of Dokima ended it: {type(error).__name__}: {error}"
        seen = set().union(*(targets for _, targets in made))
        open_ = [target for target in (*self.wanted, *self._moves()) if target not in seen]
        left = [target for target in open_ if target.kind not in (KILL, "thresholds")]
        alike = [name for name, mutant in self.mutants.items() if not self.pool.hits.get(self._kill(mutant))]
        items = named([suggestion for suggestion, _ in made], {case.name for case in self.cases})
        words = [target_words(self.program, each) for each in left]
        return Suggestions(items, words, [] if ended else alike, len(self.pool), self.waiting, ended)

    def _moves(self) -> list[Target]:
        return [Target("moves", name) for name, done in self.coverage.moves.items() if not done]

    def _look(self, most: int, made: list[tuple[Suggestion, set[Target]]]) -> None:
        """Look for cases, and put each into a list as it is found."""
        self._fill()
        self._tell_apart()
        chosen = self._chosen()
        for each in self._cases([one for one in chosen if not _is_of_rows(one[2])][:most]):
            made.append(each)
        seen = set().union(*(targets for _, targets in made))
        kinds = [*(target for target in self.wanted if target.kind not in (KILL, "tables")), *self._moves()]
        for each in self._edited([target for target in kinds if target not in seen]):
            if len(made) < most:
                made.append(each)
        for each in self._cases([one for one in chosen if _is_of_rows(one[2])][: most - len(made)]):
            made.append(each)

    # -- the pool ---------------------------------------------------------------------------------------------------

    def _fill(self) -> None:
        """Known orders, those one field away, and for what is still missing those two or three fields away."""
        self.progress("known orders")
        begin = seeds(self.program, self.cases, self.today)
        at_breaks = list(near_rows(self.program, self.wanted, self.boundaries, self.today))
        self.pool.add(((each, 0) for each in begin), rows=len(begin))
        self.pool.add(((each, 1) for each in at_breaks), rows=sum(len(each["lines"]) for each in at_breaks))
        near = self._different(MOST_SEEDS)
        for at, place in enumerate(near):
            self.progress(f"neighbours {at + 1} of {len(near)}")
            self.pool.add((each, 1) for each in neighbours(self.pool.documents[place], self.boundaries))
        missing = [each for each in self.wanted if not self._reaching(each) and each.kind not in ROW_KINDS]
        for at, target in enumerate(missing):
            self.progress(f"further orders {at + 1} of {len(missing)}")
            names = self.boundaries.behind(self.readings.of(target))
            for place in self._nearest(target, near)[:3]:
                if not self._reaching(target):
                    start, several = self.pool.documents[place], self.readings.gathers(target)
                    self.pool.add(further(start, names, self.boundaries, several=several))

        self._without_findings(near)
        for target in [each for each in self.wanted if each.kind == "thresholds" and not self._reaching(each)]:
            self._meet(target)

    def _without_findings(self, near: Sequence[int]) -> None:
        """Look for an order to which no rule objects: of the nearest one, what its rules read is tried otherwise."""
        for _ in range(len(self.program.rules)):
            fired = self._fired()
            worth = {
                at: (fired[at] + self.pool.flawed.get(at, 0), len(self.pool.documents[at]["lines"]), at) for at in near
            }
            best = min(near, key=worth.__getitem__, default=None)
            if best is None or not worth[best][0]:
                return
            objecting = [target for target, orders in self.pool.hits.items() if _objects(target) and best in orders]
            names = self.boundaries.behind(set().union(*map(self.readings.of, objecting)))
            first = len(self.pool)
            start = self.pool.documents[best]
            self.pool.add(
                (changed(start, [(name, value)]), 1) for name in names for value in self.boundaries.values.get(name, [])
            )
            self.pool.add(further(start, names, self.boundaries, several=False))
            near = [best, *range(first, len(self.pool))]

    def _fired(self) -> Counter[int]:
        """How many rules object to each order of the pool."""
        return Counter(at for target, orders in self.pool.hits.items() if _objects(target) for at in orders)

    def _meet(self, target: Target) -> None:
        """Orders in which the two numbers that a condition compares are equal.

        One number of an order at a time is moved to where a straight line through two tries meets the limit.
        """
        self.progress(f"limits: {target_words(self.program, target)}")
        free = self.boundaries.numbers_behind(self.readings.of(target))
        fired = self._fired()
        kin = (("conditions", target.name, what, target.place) for what in ("true", "false"))
        asked = set().union(*(self.pool.hits.get(Target(*each), set()) for each in kin))
        places = sorted(asked, key=lambda at: (fired[at], self.pool.changes[at], at))[:MOST_WAYS]
        starts = [self.pool.documents[at] for at in places]
        ways = [(start, name, FIRST_TRIES) for start in starts for name in free]
        for _ in range(MOST_STEPS):
            tried = [changed(start, [(name, each)]) for start, name, tries in ways for each in tries]
            batch, kept = checked(self.program, tried, self.today)
            if batch is None:
                return
            met = differences_met(batch, target)
            apart = {at: met.get(place) for place, at in enumerate(kept)}
            ways = [
                (start, name, after)
                for at, (start, name, tries) in enumerate(ways)
                if (after := self.boundaries.nearer(name, tries, apart.get(2 * at), apart.get(2 * at + 1)))
            ][:MOST_WAYS]
            self.pool.add((changed(start, [(name, each)]), 1) for start, name, tries in ways for each in tries)
            if self._reaching(target):
                beside = [(start, name, tries[0] + step) for start, name, tries in ways for step in BESIDE]
                self.pool.add((changed(start, [(name, each)]), 1) for start, name, each in beside)
            if self._reaching(target) or not ways:
                return

    def _different(self, most: int) -> list[int]:
        """Orders of the pool that reach as much as possible together."""
        reach: dict[int, set[Target]] = {at: set() for at in range(len(self.pool))}
        for target, orders in self.pool.hits.items():
            for at in orders:
                reach[at].add(target)
        found: list[int] = []
        seen: set[Target] = set()
        for _ in range(min(most, len(reach))):
            best = max(reach, key=lambda at: (len(reach[at] - seen), -self.pool.flawed.get(at, 0), -at))
            if found and not reach[best] - seen:
                break
            seen |= reach.pop(best)
            found.append(best)
        return found

    def _nearest(self, target: Target, near: Sequence[int]) -> list[int]:
        """Orders to begin with for a target: those that come to the same rule, routine or formula first."""
        kin = [
            orders for each, orders in self.pool.hits.items() if (each.kind, each.name) == (target.kind, target.name)
        ]
        routine = target.name.removeprefix("routine.").partition(".")[0]
        kin += [
            orders
            for each, orders in self.pool.hits.items()
            if each.kind != "rules" and each.name.removeprefix("routine.").startswith(f"{routine}.")
        ]
        close = sorted(set().union(*kin), key=lambda at: (self.pool.flawed.get(at, 0), self.pool.changes[at], at))
        return list(dict.fromkeys([*close[:2], *near]))

    def _reaching(self, target: Target) -> set[int]:
        """Orders that reach a target; those without findings alone, if there are any."""
        every = self.pool.hits.get(target, set())
        return {at for at in every if not self.pool.flawed.get(at)} or every

    def _tell_apart(self) -> None:
        """Which orders come out otherwise with each survivor of mutation; where none does, others near are tried."""
        near = self._different(MOST_SEEDS) if self.survivors else []
        for at, each in enumerate(self.survivors):
            self.progress(f"survivors {at + 1} of {len(self.survivors)}")
            self.wanted[self._kill(each.mutant)] = KILLS
            self._note_apart(each.mutant, 0)
            if not self.pool.hits[self._kill(each.mutant)]:
                self._look_around(each.mutant, near)

    def _note_apart(self, mutant: Mutant, first: int) -> None:
        """Note the orders of the pool, from one batch on, that come out otherwise with a mutant."""
        start = sum(batch.orders.count for batch in self.pool.batches[:first])
        hits = self.pool.hits.setdefault(self._kill(mutant), set())
        for batch in self.pool.batches[first:]:
            hits.update(start + place for place in differing(self.program, mutant, batch))
            start += batch.orders.count

    def _look_around(self, mutant: Mutant, near: Sequence[int]) -> None:
        """Try orders with two or three fields otherwise, or a line more, of those behind the spot of a mutant."""
        spot = Target("conditions", mutant.path)
        names = self.boundaries.behind(self.readings.of(spot))
        for place in self._nearest(spot, near)[:MOST_STARTS]:
            first = len(self.pool.batches)
            self.pool.add(further(self.pool.documents[place], names, self.boundaries, several=True))
            self._note_apart(mutant, first)
            if self.pool.hits[self._kill(mutant)]:
                return

    # -- choosing ---------------------------------------------------------------------------------------------------

    def _chosen(self) -> list[tuple[int, str, list[Target]]]:
        """Orders and moments, the one that reaches most of what is left first: place, moment, what it is for."""
        at_moment = {moment: self._asked(moment) for moment in ("", *self.program.definition.moments)}
        reaching = {target: self._reaching(target) for target in self.wanted}
        left = {target for target, orders in reaching.items() if orders}
        found: list[tuple[int, str, list[Target]]] = []
        while left:
            best: tuple[Any, int, str] | None = None
            for moment, rules in at_moment.items():
                gains: dict[int, int] = {}
                for target in left:
                    if rule_of(target) in rules:
                        for at in reaching[target]:
                            gains[at] = gains.get(at, 0) + self.wanted[target]
                for at, gain in gains.items():
                    rank = (gain, -self.pool.changes[at], -self.pool.flawed.get(at, 0), -at)
                    if best is None or rank > best[0]:
                        best = (rank, at, moment)
            if best is None:
                break
            _, place, moment = best
            mine = [t for t in self.wanted if t in left and place in reaching[t] and rule_of(t) in at_moment[moment]]
            left -= set(mine)
            found.append((place, moment, mine))
        return found

    def _asked(self, moment: str) -> set[str]:
        """The rules that a moment asks; blank stands for what needs no rule to be asked."""
        return {"", *(rule.key for rule, _ in self.program.rules_at[moment])} if moment else {""}

    def _cases(self, chosen: Sequence[tuple[int, str, list[Target]]]) -> Iterator[tuple[Suggestion, set[Target]]]:
        for at, (place, moment, targets) in enumerate(chosen):
            self.progress(f"cases {at + 1} of {len(chosen)}")
            order = self._shrunk(self.pool.documents[place], targets, self.pool.flawed.get(place, 0))
            made = recorded(self.program, Case("order", order=order, at=moment, today=self.today))
            if made is not None:
                mine = [each for each in targets if self._is_met(made, each)]
                if mine:
                    yield self._suggestion(made[0], mine), set(mine)

    def _is_met(self, made: tuple[Case, Coverage], target: Target) -> bool:
        """Whether a case reaches a target, or fails with a survivor."""
        if target.kind != KILL:
            return is_reached(made[1], target)
        changed = changed_program(self.program, self.mutants[target.name])
        (outcome,), _ = run_cases([made[0]], lambda _: changed or self.program, lambda _: {})
        return not outcome.passed

    def _kill(self, mutant: Mutant) -> Target:
        kind, _, name = mutant.reach.partition(":")
        return Target(KILL, mutant.id, name if kind == "rule" else "")

    def _suggestion(self, case: Case, targets: Sequence[Target]) -> Suggestion:
        words = [target_words(self.program, each) for each in targets if each.kind != KILL]
        kills = [each.name for each in targets if each.kind == KILL]
        said = [*words, *(f"notices if {self.mutants[name].words}" for name in kills)]
        more = [f"and {len(said) - MOST_SAID} more"] if len(said) > MOST_SAID else []
        return Suggestion(replace(case, note="; ".join([*said[:MOST_SAID], *more])), words, kills)

    def _shrunk(self, order: Document, targets: Sequence[Target], flawed: int) -> Document:
        """An order without what it does not need to reach what it is for."""
        while True:
            smaller = list(_smaller(order))
            batch, kept = checked(self.program, smaller, self.today)
            if batch is None:
                return order
            every = np.ones(batch.orders.count, bool)
            hits = {target: set(orders.tolist()) for target, orders in reached(batch, every, wanted=targets)}
            still = set(range(len(kept)))
            for target in targets:
                if target.kind == KILL:
                    still &= differing(self.program, self.mutants[target.name], batch)
                else:
                    still &= hits.get(target, set())
            worse = flaws(batch)
            fitting = [kept[at] for at in sorted(still) if worse[at] <= flawed]
            if not fitting:
                return order
            order = smaller[fitting[0]]

    # -- edits ------------------------------------------------------------------------------------------------------

    def _edited(self, left: Sequence[Target]) -> Iterator[tuple[Suggestion, set[Target]]]:
        """Cases that edit: for rules that are asked only then, and for moves of states."""
        edits = Edits(self.program, self.boundaries, self._to_edit(), self.today)
        seen: set[Target] = set()
        known: dict[str, tuple[Case, Coverage] | None] = {}
        for target in left:
            self.progress(f"edits for {target_words(self.program, target)}")
            if target in seen:
                continue
            for case in edits.towards(target, self.boundaries.behind(self.readings.of(target))):
                said = repr((case.order, case.edit, case.change))
                if said not in known:  # many targets are looked for with the same edits
                    told = ("refused", "variance.without_tax") if case.change else ("refused", "payable")
                    known[said] = recorded(self.program, case, told) or recorded(self.program, case, ("refused",))
                made = known[said]
                if made is not None and is_reached(made[1], target):
                    mine = [each for each in left if each not in seen and is_reached(made[1], each)]
                    seen |= set(mine)
                    yield self._suggestion(made[0], mine), set(mine)
                    break

    def _to_edit(self) -> list[Document]:
        """Orders to edit: without findings, with as little that is made up as there is; of each routine one first."""
        fired = self._fired()
        if not self.pool.batches:
            return []
        chosen = np.concatenate([batch.pricing.calculation.routine_of for batch in self.pool.batches])
        sound = [at for at in self._different(MOST_SEEDS) if not self.pool.flawed.get(at)]
        sound.sort(key=lambda at: (fired[at], self.pool.changes[at]))
        first: dict[int, int] = {}
        for at in sorted([at for at in range(len(self.pool)) if not self.pool.flawed.get(at)], key=fired.__getitem__):
            first.setdefault(int(chosen[at]), at)
        return [self.pool.documents[at] for at in dict.fromkeys([*first.values(), *sound])][:MOST_EDITED]


def _objects(target: Target) -> bool:
    """Whether it is that a rule objects."""
    return target.kind == "rules" and target.what in ("fired", "undecided")


def _is_of_rows(targets: Sequence[Target]) -> bool:
    """Whether a case would be for rows of tables only."""
    return all(target.kind in ROW_KINDS for target in targets)


def _smaller(order: Document) -> Iterator[Document]:
    """An order with one line fewer, then with one field fewer."""
    lines = order["lines"]
    for at in range(len(lines) if len(lines) > 1 else 0):
        yield {**order, "lines": [line for place, line in enumerate(lines) if place != at]}
    for name in [name for name in order if name not in ("number", "lines", "date", "kind")]:
        yield {key: value for key, value in order.items() if key != name}
    for at, line in enumerate(lines):
        for name in [name for name in line if name != "number"]:
            less = {key: value for key, value in line.items() if key != name}
            yield {**order, "lines": [less if place == at else each for place, each in enumerate(lines)]}
