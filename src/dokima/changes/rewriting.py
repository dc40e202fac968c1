"""Rewriting: the documents as a settlement leaves them. It writes only what the approved change moved."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from dokima.changes.combining import HAPPENED, OWN, RECORDS, LineValues, own_answers, quantity_drawn
from dokima.changes.delivered_part import signs_of
from dokima.changes.documents import Plain, agreed_state, has_ended, state_of, total
from dokima.changes.line_map import LineMap
from dokima.changes.plan import Plan, Share
from dokima.changes.restating import restated
from dokima.model.addresses import next_number, read_address, write_address
from dokima.model.agreed_terms import AgreedLine, AgreedTerms
from dokima.model.content import plain
from dokima.model.document import TERMS, Document
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.program import Program

OWN_HEADER = (*RECORDS, "links", "number", "revision", "state")
"""Header fields that are the document's own, whatever the change says."""
NOT_ORDERED = (*OWN_HEADER, TERMS, "budget")
"""Header fields that a supplement does not take from the order."""


@dataclass(frozen=True)
class Rewriting:
    """Writes the documents of a settlement.

    Attributes:
        program: The rulebook.
        change: Number of the change order.
        plan: Which document takes what of each line.
        shares: The shares of each line, with their figures.
        priced: The order as it was approved.
        supplement: Number for a new supplement.
    """

    program: Program
    change: str
    plan: Plan
    shares: Mapping[str, Sequence[Share]]
    priced: PricedOrder
    supplement: str

    def documents(self) -> tuple[list[Document], Document | None]:
        """The documents there were, and the new supplement; None if nothing is ordered separately."""
        made = [self._document(at) for at in range(len(self.plan.documents))]
        increase = self._increase()
        return [self._linked(at, each, increase is not None) for at, each in enumerate(made)], increase

    # -- what the change moved --------------------------------------------------------------------------------

    @property
    def _before(self) -> Document:
        return self.plan.before

    @property
    def _after(self) -> Document:
        return self.plan.after

    @cached_property
    def _values(self) -> tuple[LineValues, LineValues]:
        return LineValues(self.program, self._before), LineValues(self.program, self._after)

    def _moved_fields(self, number: str) -> Plain:
        """The fields of a line that the change moved, as they are to be; those it took away as `GONE`."""
        old, new = self._before.lines.get(number), self._after.lines.get(number)
        if old is None or new is None:
            return {name: value for name, value in (new or {}).items() if name not in OWN}
        before, after = (side.of(number) for side in self._values)
        found: Plain = {}
        for name in dict.fromkeys([*old, *new]):
            if name not in OWN and before.get(name) != after.get(name):
                found[name] = new.get(name, GONE)
        return found

    @cached_property
    def _moved_header(self) -> Plain:
        old, new = self._before.header, self._after.header
        names = [name for name in dict.fromkeys([*old, *new]) if name not in (*OWN_HEADER, TERMS)]
        return {name: new.get(name, GONE) for name in names if plain(old.get(name)) != plain(new.get(name))}

    @cached_property
    def _head(self) -> int:
        """The document whose header is that of the order as a whole: the first that lives."""
        ended = self.plan.ended
        return next((at for at, over in enumerate(ended) if not over), 0)

    def _header_moves(self, at: int) -> Plain:
        """What the change moves of the header of a document; the budget is always that of the original."""
        return {
            name: value for name, value in self._moved_header.items() if at == (0 if name == "budget" else self._head)
        }

    # -- one document -----------------------------------------------------------------------------------------

    def _document(self, at: int) -> Document:
        """A document with what the change moved of it; the same if that is nothing."""
        old = self.plan.documents[at]
        if self.plan.ended[at]:
            return _with(old.header, old.lines, self._header_moves(at)) if self._header_moves(at) else old
        mine = {name: each for name, shares in self.shares.items() for each in shares if each.at == at}
        names = {each.line: name for name, each in mine.items() if each.line}
        lines: dict[str, Plain] = {number: dict(fields) for number, fields in old.lines.items()}
        for line, name in names.items():
            if not mine[name].holds:
                del lines[line]
        places = {name: line for line, name in names.items() if mine[name].holds}
        self._move_parents(old, lines)
        for name, line in places.items():
            lines[line] = _with_fields(lines[line], self._fields(name, mine[name], old))
        for name in [name for name, each in mine.items() if each.is_new]:
            was = self.plan.map.line_in(name, old.number)
            if was in lines and not any(each.startswith(f"{was}/") for each in lines):
                del lines[was]  # a parent line that is to carry money itself
            line = self._free_number(old, lines, name)
            lines[line] = {**self._fields(name, mine[name], None), "number": line}
            mine[name].line, places[name] = line, line
        _drop_childless(old, lines, set(places.values()))
        document = _with(old.header, dict(sorted(lines.items(), key=_by_address)), self._header_moves(at))
        document = self._drawn(document, old, {places[name]: name for name in places}, mine)
        if not document.lines and old.lines:
            document = document.with_header(state=self._ended(old))
        if self._is_untouched(old, document, mine):
            return old
        return self._with_terms(document, old, {places[name]: name for name in places}, mine)

    def _fields(self, name: str, share: Share, old: Document | None) -> Plain:
        """The fields of a line that the change moves on one document; all of them on one that had no such line."""
        if old is None:
            return {**self._ordered(name), "quantity": share.after}
        found = self._moved_fields(name)
        if plain(old.lines[share.line].get("quantity")) != plain(share.after):
            found["quantity"] = share.after
        return found

    def _ordered(self, name: str) -> Plain:
        """The fields of a line as it is ordered with the change."""
        return {field: value for field, value in self._after.lines[name].items() if field not in HAPPENED}

    def _move_parents(self, old: Document, lines: dict[str, Plain]) -> None:
        """What the change moves of parent lines, which have no money of their own to divide."""
        for name, places in self.plan.map.places.items():
            if name in self._after.lines and name in self._before.lines and name not in self.shares:
                for document, line in places:
                    if document == old.number and line in lines:
                        lines[line] = _with_fields(lines[line], self._moved_fields(name))

    def _free_number(self, old: Document, lines: dict[str, Plain], name: str) -> str:
        """The number that a new line gets in a document: its own, or if that is taken one that is free."""
        parent, _, own = name.rpartition("/")
        above = ""
        if parent:
            known = self.plan.map.line_in(parent, old.number)
            above = known if known is not None and known in lines else ""
            above = above or next((line for line, at in self._given.items() if at == parent and line in lines), "")
            if not above:
                above = self._free_number(old, lines, parent)
                lines[above] = {**self._ordered(parent), "number": above}
                self._given[above] = parent
        wanted = f"{above}/{own}" if above else own
        if wanted in lines:
            taken = [read_address(each) for each in (*lines, *old.lines)]
            wanted = write_address(next_number(taken, read_address(above) if above else ()))
        return wanted

    @cached_property
    def _given(self) -> dict[str, str]:
        """Parent lines made on the way: their number in the document, and in the order as a whole."""
        return {}

    def _drawn(
        self, document: Document, old: Document, places: Mapping[str, str], mine: Mapping[str, Share]
    ) -> Document:
        """The document with what is drawn from the quantity drawn from its own."""
        names = quantity_drawn(self.program)
        if not names:
            return document
        after = self._values[1]
        here: LineValues | None = None
        for line, name in places.items():
            typed = document.lines[line]
            was = old.lines.get(line)
            for field in after.drawn(name) & set(typed):
                if was is not None and plain(was.get("quantity")) == plain(mine[name].after):
                    value = was.get(field, GONE)
                elif was is not None and field not in was:
                    value = GONE
                else:
                    here = here or LineValues(self.program, document)
                    value = here.by_default(line, field)
                document = document.with_line(line, _with_fields(document.lines[line], {field: value}))
        return document

    def _ended(self, old: Document) -> str:
        """The state of a document that a settlement takes every line from: finished if anything of it was delivered."""
        lifecycle = self.program.definition.lifecycle
        delivered = any(fields.get("delivered") for fields in old.lines.values())
        records = old.header.get("deliveries") or ()
        delivered |= any(lifecycle.deliveries.get(str(each.get("state"))) == "delivered" for each in records)
        if delivered:
            return lifecycle.finished
        gone = [name for name in lifecycle.states if lifecycle.ends_undelivered(name)]
        return gone[0] if gone else self._state(old)

    def _state(self, document: Document) -> str:
        return agreed_state(self.program, state_of(self.program, document))

    # -- terms ------------------------------------------------------------------------------------------------

    def _terms_moved(self, name: str) -> bool:
        """Whether the change gives a line other answers or taxes than it had agreed."""
        old, new = (None if side.terms is None else side.terms for side in (self._before, self._after))
        if old is None or new is None or name not in old.lines or name not in new.lines:
            return True
        taxes = [plain(dict(each.lines[name].taxes)) for each in (old, new)]
        answers = [plain(dict(each.answers_of(name))) for each in (old, new)]
        return bool(taxes[0] != taxes[1] or answers[0] != answers[1])

    def _is_untouched(self, old: Document, document: Document, mine: Mapping[str, Share]) -> bool:
        """Whether nothing of a document moves: no field, no figure, no term."""
        if document.header != old.header or dict(document.lines) != dict(old.lines):
            return False
        if old.terms is None:
            return self._after.terms is None
        return not any(self._figures_moved(old, each) for each in mine.values())

    def _figures_moved(self, old: Document, share: Share) -> bool:
        """Whether a figure of a line of a document is not what it keeps, or its terms are others."""
        kept = None if old.terms is None else old.terms.lines.get(share.line)
        name = self.plan.map.names.get((old.number, share.line))
        if kept is None or name is None or not share.holds:
            return True
        if any(plain(value) != kept.figures.get(figure, "0") for figure, value in share.figures.items()):
            return True
        return self._terms_moved(name)

    def _with_terms(
        self, document: Document, old: Document | None, places: Mapping[str, str], mine: Mapping[str, Share]
    ) -> Document:
        """The document with agreed terms: the answers approved, and its parts of the figures."""
        approved = self._after.terms
        kept = None if old is None else old.terms
        if approved is None:
            return document
        is_head = old is None or kept is None or self.plan.documents[self._head].number == old.number
        moved = self._before.terms is None or plain(dict(self._before.terms.answers)) != plain(dict(approved.answers))
        base = approved if kept is None or (is_head and moved) else kept
        lines: dict[str, AgreedLine] = {}
        for line in document.lines:
            before = None if kept is None else kept.lines.get(line)
            name = places.get(line)
            agreed = before if name is None else self._line_terms(name, mine[name], before, base, approved)
            if agreed is not None and not document.is_parent(line):
                lines[line] = agreed
        emptied = "" if document.lines else self.change
        terms = replace(base, frozen=False, emptied=emptied, lines=lines, fields=approved.fields or base.fields)
        return restated(self.program, document.with_terms(terms), self.change)

    def _line_terms(
        self, name: str, share: Share, before: AgreedLine | None, base: AgreedTerms, approved: AgreedTerms
    ) -> AgreedLine | None:
        new = approved.lines.get(name)
        if new is None:
            return None
        terms = before
        if before is None or self._terms_moved(name):
            of_line = {key: value for key, value in new.answers.items() if key not in own_answers(self.program, new)}
            header = {**approved.answers, **own_answers(self.program, new)}
            own = {key: value for key, value in header.items() if plain(base.answers.get(key)) != plain(value)}
            terms = replace(new, answers={**own, **of_line})
        assert terms is not None
        price = new.figures.get("price")
        old = None if self._before.terms is None else self._before.terms.lines.get(name)
        if before is not None and old is not None and old.figures.get("price") == price:
            price = before.figures.get("price")
        figures = {"price": price, **{key: plain(value) for key, value in share.figures.items()}}
        if not self.priced.prices_include_tax and None not in share.figures.values():
            signs = signs_of(self.priced.routine)
            left = [amount * signs[key] for key, amount in share.figures.items() if amount is not None]
            figures["without_tax"] = plain(total(left))
        return terms.with_figures(figures)

    # -- links, states, the new supplement --------------------------------------------------------------------

    def _increase(self) -> Document | None:
        """The order with just the increase."""
        at = self.plan.new
        mine = {name: each for name, shares in self.shares.items() for each in shares if each.at == at and each.holds}
        if not mine:
            return None
        original = self.plan.documents[0]
        header = {name: value for name, value in self._after.header.items() if name not in NOT_ORDERED}
        header = {name: value for name, value in header.items() if not name.startswith("stated_")}
        links = [{"kind": "original", "number": original.number}, {"kind": "change", "number": self.change}]
        state = self._state(self.plan.documents[self._head])
        if has_ended(self.program, Document({"state": state}, {})):
            state = self._state(Document({}, {}))  # what is ordered anew has not come to its end
        lines: dict[str, Plain] = {}
        for name, share in mine.items():
            for above in _above(name):
                lines.setdefault(above, {**self._ordered(above), "number": above})
            lines[name] = {**self._fields(name, share, None), "number": name}
        header |= {"number": self.supplement, "state": state, "links": links}
        document = Document(header, dict(sorted(lines.items(), key=_by_address)))
        places = {name: name for name in mine}
        document = self._drawn(document, Document({}, {}), places, mine)
        return self._with_terms(document, None, places, mine)

    def _linked(self, at: int, document: Document, has_supplement: bool) -> Document:
        """A document that the change touched, with its revision and the link to the change; the original always."""
        old = self.plan.documents[at]
        if document is old and at:
            return document
        links = list(old.header.get("links") or [])
        link: Plain = {"kind": "change", "number": self.change}
        if at == 0:
            links += [{"kind": "supplement", "number": self.supplement}] if has_supplement else []
            if numbers := self._numbers():
                link["numbers"] = numbers
        if old.lines and not document.lines:
            link["emptied"] = True
        revision = int(old.header.get("revision") or 0) + 1
        state = document.header.get("state") if not document.lines and old.lines else self._state(old)
        return document.with_header(state=state, revision=revision, links=[*links, link])

    def _numbers(self) -> dict[str, dict[str, str]]:
        """By document the lines that have another number in the order as a whole, and that number."""
        places: dict[str, list[tuple[str, str]]] = {name: list(found) for name, found in self.plan.map.places.items()}
        for name, shares in self.shares.items():
            for each in shares:
                if each.holds and each.line and each.at < self.plan.new:
                    number = self.plan.documents[each.at].number
                    if (number, each.line) not in places.get(name, ()):
                        places.setdefault(name, []).append((number, each.line))
        return LineMap(places).given


class _Gone:
    def __repr__(self) -> str:
        return "GONE"


GONE: Any = _Gone()
"""Stands for a field that is not there any more."""


def _with_fields(fields: Mapping[str, Any], moved: Mapping[str, Any]) -> Plain:
    found = {**fields, **moved}
    return {name: value for name, value in found.items() if value is not GONE}


def _with(header: Mapping[str, Any], lines: Mapping[str, Mapping[str, Any]], moved: Mapping[str, Any]) -> Document:
    return Document(_with_fields(header, moved), lines)


def _drop_childless(old: Document, lines: dict[str, Plain], kept: Collection[str]) -> None:
    """Without parent lines of which every sub-line has gone, but for those that carry money themselves now."""
    for number in sorted(old.lines, key=read_address, reverse=True):
        is_there = number in lines and number not in kept
        if old.is_parent(number) and is_there and not any(each.startswith(f"{number}/") for each in lines):
            del lines[number]


def _above(number: str) -> list[str]:
    parts = number.split("/")
    return ["/".join(parts[:depth]) for depth in range(1, len(parts))]


def _by_address(each: tuple[str, Any]) -> tuple[int, ...]:
    return read_address(each[0])
