"""Combining: an original and its supplements as one order. Two lines are one only where everything of them agrees."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from functools import cached_property
from typing import Any

from dokima.changes.delivered_part import counted_part
from dokima.changes.documents import Plain, has_ended, leaves, total
from dokima.changes.line_map import LineMap
from dokima.changes.restating import restated
from dokima.checking.pending import PENDING
from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.errors import Refused, listed
from dokima.formulas import Level
from dokima.model.addresses import Address, next_number, read_address, write_address
from dokima.model.agreed_terms import AgreedLine, AgreedTerms
from dokima.model.content import plain
from dokima.model.document import Document
from dokima.model.links import given_numbers
from dokima.model.states import CLOSED, OPEN
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.program import Program, Run
from dokima.tables.table import names_behind

HAPPENED = ("delivered", "state", "unit_price", "stated_net")
"""What has happened to a line of a document, or was stated of it: nothing that is ordered."""
OWN = ("number", "quantity", *HAPPENED)
"""Fields of a line that say nothing about whether it is the same as another: they are each document's own."""
LIVE_RECORDS = ("payments", "deliveries")
"""Records of the header that go on while a change is worked on."""
RECORDS = (*LIVE_RECORDS, "acknowledgements", PENDING)
"""Records of the header that the documents of a family have together."""


@dataclass(frozen=True)
class Combined:
    """An original and its supplements as one order.

    Attributes:
        document: That order, with its terms.
        map: The lines of documents that each of its lines stands for.
        parts: What counts of each document.
    """

    document: Document
    map: LineMap
    parts: Sequence[Document]


def combined(program: Program, documents: Sequence[Document]) -> Combined:
    """Documents of a family as one order.

    Two lines are one where number, parent line, item, unit and all other fields and terms agree; quantity, what is
    delivered, open or closed, figures kept or stated, and what is drawn from the quantity do not count. Else the second
    stands by itself, with its sub-lines, under a number that is free. A number once given stays.

    Args:
        program: The rulebook.
        documents: The original first, with the terms they keep.

    Raises:
        Refused: They are in several currencies, or a step of the order reads terms in which they differ.
    """
    if len(documents) == 1 and not given_numbers(documents[0].header):
        return Combined(documents[0], LineMap.of_one(documents[0]), documents)
    parts = [counted_part(program, document) for document in documents]
    lives = [not has_ended(program, document) for document in documents]
    return _Combining(program, documents, parts, lives).combined()


def with_live_records(document: Document, current: Sequence[Document], line_map: LineMap) -> Document:
    """An order as a whole with the deliveries and payments that its documents have by now.

    Args:
        document: The order.
        current: Its documents as they are now.
        line_map: The lines of documents that its lines stand for.
    """
    header = {name: value for name, value in document.header.items() if name not in LIVE_RECORDS}
    return Document({**header, **_records(current, line_map, LIVE_RECORDS)}, document.lines)


def delivered_of(program: Program, document: Document) -> dict[str, Decimal | None]:
    """What is delivered of each line of a document, as it states or its deliveries say; None for nothing known."""
    orders = prepare(program, document.orders(program.fields), Run())
    column = orders.line("delivered")
    return {number: value_at(column, at) for at, number in enumerate(orders.line_numbers)}


def quantity_drawn(program: Program) -> list[str]:
    """The fields of lines whose default reads the quantity, itself or through other fields and tables."""
    found: list[str] = []
    for level, name, formula in program.defaults:
        behind = names_behind(formula.reads, program.tables)
        if level == "line" and behind & {"line.quantity", *(f"line.{each}" for each in found)}:
            found.append(name)
    return found


@dataclass(frozen=True)
class LineValues:
    """The lines of one document as they are, defaults included.

    Args:
        program: The rulebook.
        document: The document.
    """

    program: Program
    document: Document

    @cached_property
    def _typed(self) -> dict[str, list[Any]]:
        return _values(self.program, self.document)

    @cached_property
    def _columns(self) -> dict[str, list[Any]]:
        return {name: [plain(value) for value in column] for name, column in self._typed.items()}

    @cached_property
    def _undrawn(self) -> dict[str, list[Any]]:
        """What the fields that are drawn from the quantity hold where nobody gives them."""
        names = quantity_drawn(self.program)
        bare = {
            number: {name: value for name, value in fields.items() if name not in names}
            for number, fields in self.document.lines.items()
        }
        found = _values(self.program, Document(self.document.header, bare)) if names else {}
        return {name: found[name] for name in names}

    @cached_property
    def _at(self) -> dict[str, int]:
        return {number: at for at, number in enumerate(self.document.lines)}

    def of(self, number: str) -> Plain:
        """All fields of a line, as plain values."""
        at = self._at[number]
        return {name: column[at] for name, column in self._columns.items()}

    def drawn(self, number: str) -> set[str]:
        """The fields of a line that hold just what their default makes of the quantity."""
        at = self._at[number]
        return {name for name, column in self._undrawn.items() if plain(column[at]) == self._columns[name][at]}

    def by_default(self, number: str, name: str) -> Any:
        """What a field that is drawn from the quantity holds by its default."""
        return self._undrawn[name][self._at[number]]

    def value(self, number: str, name: str) -> Any:
        """A field of a line, its default included."""
        return self._typed[name][self._at[number]]


def _values(program: Program, document: Document) -> dict[str, list[Any]]:
    orders = prepare(program, document.orders(program.fields), Run())
    at = {number: place for place, number in enumerate(orders.line_numbers)}
    order = [at[number] for number in document.lines]
    names = dict.fromkeys([*orders.lines, *(name for level, name, _ in program.defaults if level == "line")])
    return {name: [value_at(orders.line(name), place) for place in order] for name in names}


class _Combining:
    """One family being combined."""

    def __init__(
        self, program: Program, documents: Sequence[Document], parts: Sequence[Document], lives: Sequence[bool]
    ) -> None:
        self.program = program
        self.documents = documents
        self.parts = parts
        self.lives = lives
        self.head = next((at for at, alive in enumerate(lives) if alive), 0)
        self.values = [LineValues(program, part) for part in parts]
        self.given = given_numbers(documents[0].header)

    def combined(self) -> Combined:
        self._refuse_currencies()
        self._refuse_terms_of_the_order()
        holders = self._holders()
        line_map = LineMap(
            {name: tuple((self.documents[at].number, line) for at, line in places) for name, places in holders.items()}
        )
        header = dict(self.documents[self.head].header)
        header["number"] = self.documents[0].header.get("number")
        for name in ("revision", "budget"):
            header.pop(name, None)
            if name in self.documents[0].header:
                header[name] = self.documents[0].header[name]
        header = {
            name: value for name, value in header.items() if name not in RECORDS and not name.startswith("stated_")
        }
        header |= _records(self.documents, line_map, RECORDS)
        whole = Document(header, {}).with_terms(None)
        for name, places in holders.items():
            whole = whole.with_line(name, self._line(places))
        return Combined(self._with_terms(whole, holders), line_map, self.parts)

    # -- what stops it ----------------------------------------------------------------------------------------

    def _refuse_currencies(self) -> None:
        currencies = {each.number: self._currency(at) for at, each in enumerate(self.parts)}
        if len(set(currencies.values())) > 1:
            told = listed(f"{number} in {currency or 'none'}" for number, currency in currencies.items())
            raise Refused(f"expected documents of one currency (got {told})")

    def _currency(self, at: int) -> Any:
        orders = prepare(self.program, self.parts[at].orders(self.program.fields), Run())
        return value_at(orders.header("currency"), 0)

    def _refuse_terms_of_the_order(self) -> None:
        """A step that is worked out once for the order has one answer for all documents, or none."""
        held = [(part.number, part.terms) for part in self.parts if part.terms is not None and part.lines]
        for routine in self.program.routines:
            for step in [each for each in routine.steps if each.definition.over == "order"]:
                for name in dict.fromkeys(name for _, formula in step.formulas() for name in formula.reads):
                    known = {number: terms.answers[name] for number, terms in held if name in terms.answers}
                    if len({str(plain(value)) for value in known.values()}) > 1:
                        told = listed(f"{_said(value)} on {number}" for number, value in known.items())
                        raise Refused(
                            f"{step.definition.shown} reads {name}: {told}; it is worked out once for all documents, "
                            "so they must agree before a change of them can be opened"
                        )

    # -- which lines are one ----------------------------------------------------------------------------------

    def _holders(self) -> dict[str, list[tuple[int, str]]]:
        """By number in the whole the lines it stands for, by document and number there; parents first."""
        found: dict[str, list[tuple[int, str]]] = {}
        names: dict[tuple[int, str], str] = {}
        lines = [(at, line) for at, part in enumerate(self.parts) for line in part.lines]
        # Parents before their sub-lines; among the rest those that have been given a number keep it.
        lines.sort(key=lambda each: (each[1].count("/"), self._given(*each) is None, each[0], read_address(each[1])))
        taken = self._taken()
        for at, line in lines:
            parent = line.rpartition("/")[0]
            above = names[at, parent] if parent else ""
            own = (self._given(at, line) or line).rpartition("/")[2]
            name = f"{above}/{own}" if above else own
            there = found.get(name)
            if there is not None and not any(self._is_one(place, (at, line)) for place in there):
                address = next_number(taken, read_address(above) if above else ())
                taken.add(address)
                name = write_address(address)
            found.setdefault(name, []).append((at, line))
            names[at, line] = name
            taken.add(read_address(name))
        ordered = sorted(found, key=read_address)
        return {name: sorted(found[name]) for name in ordered}

    def _given(self, at: int, line: str) -> str | None:
        return self.given.get((self.documents[at].number, line))

    def _taken(self) -> set[Address]:
        """Numbers that no line may be given: those of all documents, and those given before."""
        own = {read_address(line) for document in self.documents for line in document.lines}
        return own | {read_address(name) for name in self.given.values()}

    def _is_one(self, one: tuple[int, str], other: tuple[int, str]) -> bool:
        """Whether two lines that claim one number are one: never two lines of one document."""
        return one[0] != other[0] and self._identity(*one) == self._identity(*other)

    def _identity(self, at: int, line: str) -> tuple[Any, ...]:
        """What two lines must have in common to be one."""
        values, part = self.values[at], self.parts[at]
        aside = {*OWN, *values.drawn(line)}
        fields = {name: value for name, value in values.of(line).items() if name not in aside and value is not None}
        if fields.get("price_base") == "1":
            del fields["price_base"]
        drawn = sorted(values.drawn(line))
        if part.is_parent(line):
            return "parent", fields, drawn
        agreed = None if part.terms is None else part.terms.lines.get(line)
        answers = (
            {} if part.terms is None else {name: plain(value) for name, value in part.terms.answers_of(line).items()}
        )
        return "leaf", fields, drawn, answers, None if agreed is None else _taxes(agreed)

    # -- the whole --------------------------------------------------------------------------------------------

    def _line(self, places: Sequence[tuple[int, str]]) -> Plain:
        """The fields of a line of the whole: those of the first that lives, quantities added up."""
        at, line = next((place for place in places if self.lives[place[0]]), places[0])
        fields = dict(self.parts[at].lines[line])
        drawn = self.values[at].drawn(line)
        if at != self.head:
            # What its own header gives by default must not become what another header gives.
            for level, name, _ in self.program.defaults:
                if level == "line" and name not in fields and name not in drawn:
                    fields[name] = self.values[at].value(line, name)
        if len(places) > 1:
            fields = {name: value for name, value in fields.items() if name not in {*drawn, "stated_net"}}
            stated = {plain(self.parts[one].lines[each].get("unit_price")) for one, each in places}
            if len(stated) > 1:
                fields.pop("unit_price", None)
            for name in ("quantity", "delivered"):
                known = [v for one, each in places if (v := self.parts[one].lines[each].get(name)) is not None]
                if known:
                    fields[name] = total(known)
            states = {self.parts[one].lines[each].get("state") for one, each in places}
            if "state" in fields or CLOSED in states:
                fields["state"] = CLOSED if states == {CLOSED} else OPEN
        return fields

    def _with_terms(self, whole: Document, holders: Mapping[str, Sequence[tuple[int, str]]]) -> Document:
        """The whole with the terms of its lines; a line of another header keeps the answers of that."""
        terms = [part.terms for part in self.parts]
        header = terms[self.head] or next((each for each in terms if each is not None), None)
        if header is None:
            return whole
        # A document edited since keeps more figures than one that was settled; only what all of them keep adds up.
        held = [set(line.figures) for each in terms if each for line in each.lines.values() if line.figures]
        common = set.intersection(*held) if held else set()
        lines: dict[str, AgreedLine] = {}
        for name in leaves(whole):
            mine = [self._agreed(at, line, header) for at, line in holders[name]]
            known = [line for line in mine if line is not None]
            if len(known) == len(mine):
                first = next((at for at, (place, _) in enumerate(holders[name]) if self.lives[place]), 0)
                lines[name] = known[first].with_figures(_added([line.figures for line in known], common))
        kept = replace(header, settled="combined", emptied="", lines=lines)
        return restated(self.program, whole.with_terms(kept))

    def _agreed(self, at: int, line: str, header: AgreedTerms) -> AgreedLine | None:
        """The terms of a line, with those answers of its own header in which that differs from the header of all."""
        terms = self.parts[at].terms
        agreed = None if terms is None else terms.lines.get(line)
        if terms is None or agreed is None:
            return None
        own = {name: value for name, value in terms.answers.items() if plain(header.answers.get(name)) != plain(value)}
        return replace(agreed, answers={**own, **agreed.answers})


def own_answers(program: Program, agreed: AgreedLine) -> dict[str, Any]:
    """The answers of a line's terms that are those of a header, which its own document has otherwise than the rest."""
    return {name: value for name, value in agreed.answers.items() if _is_of_header(program, name)}


def _is_of_header(program: Program, name: str) -> bool:
    table = program.tables.get(name.split(".", maxsplit=1)[0])
    return table is not None and table.level is Level.HEADER


def _taxes(agreed: AgreedLine) -> Plain:
    return {step: plain(tax) for step, tax in agreed.taxes.items()}


def _added(figures: Sequence[Mapping[str, Any]], names: Collection[str]) -> Plain:
    """Figures of several holdings of a line added up; the unit price is that of the first."""
    found: Plain = {}
    for name in [each for each in figures[0] if each in names]:
        values = [each[name] for each in figures]
        if name == "price" or len(values) == 1:
            found[name] = values[0]
        else:
            found[name] = None if None in values else plain(total(Decimal(value) for value in values))
    return found


def _records(documents: Sequence[Document], line_map: LineMap, names: Sequence[str]) -> Plain:
    """Records of several headers together, the lines they name by their numbers in the whole."""
    found: Plain = {}
    for name in names:
        records = [each for document in documents for each in _renamed(document, line_map, name)]
        if records or any(name in document.header for document in documents):
            found[name] = records
    return found


def _renamed(document: Document, line_map: LineMap, name: str) -> Iterator[Plain]:
    for record in document.header.get(name) or ():
        line = record.get("line")
        if not line:
            yield dict(record)
        elif (number := line_map.names.get((document.number, str(line)))) is not None:
            yield {**record, "line": number}


def _said(value: Any) -> str:
    return "blank" if value is None else shown(value)
