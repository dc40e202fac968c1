"""Rebasing: the same change made again to an order that has moved in the meantime."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from dokima.changes.documents import Plain
from dokima.changes.line_map import LineMap
from dokima.editing.drawing import draw, now_given, with_marks
from dokima.editing.keeping_terms import keep_terms
from dokima.errors import Conflict, listed
from dokima.model.addresses import next_number, read_address, write_address
from dokima.model.content import HEADER_ASIDE, plain
from dokima.model.document import TERMS, Document
from dokima.model.fields import DRAWN
from dokima.model.links import Place
from dokima.pricing.program import Program, Run


@dataclass(frozen=True)
class Mapped:
    """An order as a whole, and the lines of documents that its lines stand for.

    Attributes:
        document: The order.
        map: Its map; None where an earlier version took all lines of one number for one.
    """

    document: Document
    map: LineMap | None


def rebased(
    program: Program, number: str, opened: Mapped, after: Document, current: Mapped
) -> tuple[Document, dict[str, str]]:
    """The order as it is now with a change made to it field by field. Its lines are found by the maps.

    Args:
        program: The rulebook.
        number: Number of the change order, for messages.
        opened: The order when the change was opened.
        after: The same with the change.
        current: The order as it has become meanwhile.

    Returns:
        The order, and the new number of each line that the change had added under a number that is taken now.

    Raises:
        Conflict: Both have moved the same field, or one has removed what the other changed; names each.
    """
    run = Run(terms="keep")
    opened, current = (replace(each, document=with_marks(program, each.document, run)) for each in (opened, current))
    now = current.document
    before, after, conflicts = _by_the_map(opened, with_marks(program, after, run), current)
    after, numbers = _with_free_numbers(before, after, now)
    work = _Rebasing(before, after, now, conflicts)
    header = work.header()
    lines = work.lines()
    if work.conflicts:
        raise Conflict(f"{number} and its order have moved the same things", work.conflicts)
    document = Document(header, {})
    for line, fields in lines.items():
        document = document.with_line(line, fields)
    document, _ = draw(program, now, document, run)
    return keep_terms(program, document, run), numbers


def _by_the_map(opened: Mapped, after: Document, current: Mapped) -> tuple[Document, Document, list[str]]:
    """The order before and after the change with the line numbers of today; what cannot be told is a conflict.

    A line that nobody touched and that has become several, or several that have become one, are left out of both.
    """
    before, now = opened.document, current.document
    assert current.map is not None
    names: dict[str, str | None] = {}
    conflicts = []
    places = {name: _places(opened, name, current.map) for name in before.lines}
    today = {
        name: list(dict.fromkeys(number for each in mine if (number := current.map.names.get(each)) is not None))
        for name, mine in places.items()
    }
    claimed = Counter(number for numbers in today.values() for number in numbers)
    taken = {read_address(line) for side in (before, after, now) for line in side.lines}
    for name, numbers in today.items():
        clear = len(numbers) == 1 and claimed[numbers[0]] == 1
        if clear:
            names[name] = numbers[0]
        elif not numbers:
            names[name] = name
            if name in now.lines:  # its number has been given to another line
                address = next_number(taken, read_address(name)[:-1])
                taken.add(address)
                names[name] = write_address(address)
        else:
            names[name] = None
            if _differ(before.lines[name], after.lines.get(name, {})):
                told = listed(f"line {number}" for number in numbers)
                conflicts.append(f"line {name} is changed here, and stands in {told} with others now")
    return _named(before, names), _named(after, names), conflicts


def _places(opened: Mapped, name: str, today: LineMap) -> Sequence[Place]:
    """The lines of documents that a line stood for."""
    if opened.map is not None:
        return opened.map.places.get(name, ())
    return [place for place in today.names if place[1] == name]


def _named(document: Document, names: Mapping[str, str | None]) -> Document:
    """A document with other numbers for some lines, and without those that have none; sub-lines follow."""
    found: dict[str, str] = {}
    lines: dict[str, Plain] = {}
    for line, fields in document.lines.items():
        parent, _, own = line.rpartition("/")
        wanted = names.get(line, f"{found.get(parent, parent)}/{own}" if parent else own)
        if wanted is not None:
            found[line] = wanted
            lines[wanted] = {**fields, "number": wanted}
    return Document(document.header, lines)


def _with_free_numbers(before: Document, after: Document, now: Document) -> tuple[Document, dict[str, str]]:
    """The change with free numbers for the lines it added where the order has got lines of its own meanwhile."""
    taken = {read_address(line) for side in (before, after, now) for line in side.lines}
    numbers: dict[str, str] = {}
    for line in after.lines:
        *above, own = read_address(line)
        parent = write_address(tuple(above))
        if parent in numbers:
            address = (*read_address(numbers[parent]), own)
        elif line in before.lines or line not in now.lines or _became_parent(parent, before):
            continue
        else:
            address = next_number(taken, tuple(above))
        taken.add(address)
        numbers[line] = write_address(address)
    lines = {numbers.get(line, line): fields for line, fields in after.lines.items()}
    return Document(after.header, {line: {**fields, "number": line} for line, fields in lines.items()}), numbers


def _became_parent(line: str, before: Document) -> bool:
    """Whether a line has been given its first sub-lines since: by both, they would be there twice."""
    return line in before.lines and not before.is_parent(line)


class _Rebasing:
    def __init__(self, before: Document, after: Document, now: Document, conflicts: list[str]) -> None:
        self.before = before
        self.after = after
        self.now = now
        self.conflicts = conflicts

    def header(self) -> Plain:
        aside = (*HEADER_ASIDE, TERMS)
        mine = {name: value for name, value in self.after.header.items() if name not in aside}
        moved = self._merged("", self.before.header, mine, self.now.header, aside, self.after.header.get(DRAWN))
        return {**now_given(self.now.header, moved), **moved}

    def lines(self) -> dict[str, Plain]:
        result: dict[str, Plain] = {}
        for number in dict.fromkeys([*self.now.lines, *self.after.lines]):
            old, new, now = (side.lines.get(number) for side in (self.before, self.after, self.now))
            if old is None and new is not None and now is not None:
                self.conflicts.append(f"line {number} was added by both")
            elif old is None:
                result[number] = dict(new if new is not None else now or {})
            elif new is None:
                if now is not None and _differ(old, now):
                    self.conflicts.append(f"line {number} is removed here and was changed there")
            elif now is None:
                if _differ(old, new):
                    self.conflicts.append(f"line {number} is changed here and was removed there")
            else:
                moved = self._merged(f"line {number} ", old, new, now, ("number", DRAWN), new.get(DRAWN))
                result[number] = {**now_given(now, moved), **moved}
        for number in result:
            parent = number.rpartition("/")[0]
            if parent and parent not in result:
                removed, added = ("here", "there") if parent in self.now.lines else ("there", "here")
                self.conflicts.append(f"line {parent} is removed {removed} and has got line {number} {added}")
        return result

    def _merged(
        self, what: str, old: Any, new: Any, now: Any, aside: tuple[str, ...], drawn: Sequence[str] | None
    ) -> Plain:
        """The fields that the change moved, unless they have been moved elsewhere too; what is drawn follows later."""
        found: Plain = {}
        for name in dict.fromkeys([*new, *old]):
            if name in aside or name in (drawn or ()) or plain(old.get(name)) == plain(new.get(name)):
                continue
            # Both moved it to the same value: that is agreement, not a conflict.
            left = name in (now.get(DRAWN) or ())
            if not left and plain(now.get(name)) not in (plain(old.get(name)), plain(new.get(name))):
                here, there = plain(new.get(name)), plain(now.get(name))
                self.conflicts.append(f"{what}{name.replace('_', ' ')} is {here} here and {there} there")
            found[name] = new.get(name)
        return found


def _differ(a: Any, b: Any) -> bool:
    """Whether two states of a line differ in what was given."""
    aside = {DRAWN, *(a.get(DRAWN) or ()), *(b.get(DRAWN) or ())}
    return any(plain(a.get(name)) != plain(b.get(name)) for name in {*a, *b} - aside)
