"""Rebasing: the same change made again to an order that has moved in the meantime."""

from __future__ import annotations

from typing import Any

from dokima.changes.documents import Plain
from dokima.editing.keeping_terms import keep_terms
from dokima.engine.program import Program, Run
from dokima.errors import Conflict
from dokima.model.addresses import next_number, read_address, write_address
from dokima.model.content import HEADER_ASIDE, plain
from dokima.model.document import TERMS, Document


def rebased(
    program: Program, number: str, before: Document, after: Document, now: Document
) -> tuple[Document, dict[str, str]]:
    """The order as it is now with a change made to it field by field.

    Args:
        program: The rulebook.
        number: Number of the change order, for messages.
        before: The order when the change was opened.
        after: The same with the change.
        now: The order as it has become meanwhile.

    Returns:
        The order, and the new number of each line that the change had added under a number that is taken now.

    Raises:
        Conflict: Both have moved the same field, or one has removed what the other changed; names each.
    """
    after, numbers = _with_free_numbers(before, after, now)
    work = _Rebasing(before, after, now)
    header = work.header()
    lines = work.lines()
    if work.conflicts:
        raise Conflict(f"{number} and its order have moved the same things", work.conflicts)
    document = Document(header, {})
    for line, fields in lines.items():
        document = document.with_line(line, fields)
    return keep_terms(program, document, Run(terms="keep")), numbers


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
    def __init__(self, before: Document, after: Document, now: Document) -> None:
        self.before = before
        self.after = after
        self.now = now
        self.conflicts: list[str] = []

    def header(self) -> Plain:
        aside = (*HEADER_ASIDE, TERMS)
        mine = {name: value for name, value in self.after.header.items() if name not in aside}
        moved = self._merged("", self.before.header, mine, self.now.header, aside)
        return {**self.now.header, **moved}

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
                result[number] = {**now, **self._merged(f"line {number} ", old, new, now, ("number",))}
        return result

    def _merged(self, what: str, old: Any, new: Any, now: Any, aside: tuple[str, ...]) -> Plain:
        """The fields that the change moved, unless they have been moved elsewhere too."""
        found: Plain = {}
        for name in dict.fromkeys([*new, *old]):
            if name in aside or plain(old.get(name)) == plain(new.get(name)):
                continue
            # Both moved it to the same value: that is agreement, not a conflict.
            if plain(now.get(name)) not in (plain(old.get(name)), plain(new.get(name))):
                here, there = plain(new.get(name)), plain(now.get(name))
                self.conflicts.append(f"{what}{name.replace('_', ' ')} is {here} here and {there} there")
            found[name] = new.get(name)
        return found


def _differ(a: Any, b: Any) -> bool:
    return any(plain(a.get(name)) != plain(b.get(name)) for name in {*a, *b})
