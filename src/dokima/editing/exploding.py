"""Exploding: a line of an assembly becomes a parent line with a sub-line for each component."""

from __future__ import annotations

from decimal import Decimal

from dokima.errors import NotFound, Refused, listed, nearest
from dokima.model.addresses import STEP, read_address, write_address
from dokima.model.document import Document
from dokima.pricing.program import Program
from dokima.tables.assembly import Assemblies


def exploded(program: Program, document: Document, number: str, table: str, levels: int | None) -> Document:
    """The document with sub-lines for the components of a line's item; their quantities are those of the line.

    Args:
        program: The rulebook.
        document: The document.
        number: The line.
        table: Name of the assembly table; may be blank if there is one only.
        levels: How many levels down; None for all.

    Raises:
        NotFound: There is no such line or table, or its item is no assembly.
        Refused: The line is a parent line already, or has no quantity.
    """
    line = document.line(number)
    item, quantity = line.get("item"), line.get("quantity")
    assemblies = _assemblies(program, table)
    if document.is_parent(number):
        raise Refused(f"line {number} has sub-lines already")
    if not isinstance(quantity, Decimal):
        raise Refused(f"line {number} has no quantity to explode")
    if item not in assemblies.parts:
        raise NotFound(f"'{item}' is not an assembly{nearest(str(item), assemblies.parts)}")
    return _below(document, assemblies, number, quantity, levels)


def _below(document: Document, assemblies: Assemblies, number: str, quantity: Decimal, levels: int | None) -> Document:
    for place, part in enumerate(assemblies.parts[document.lines[number]["item"]], start=1):
        below = write_address((*read_address(number), place * STEP))
        needed = quantity * part.quantity
        document = document.with_line(below, {"item": part.item, "quantity": needed})
        deeper = None if levels is None else levels - 1
        if part.item in assemblies.parts and deeper != 0:
            document = _below(document, assemblies, below, needed, deeper)
    return document


def _assemblies(program: Program, name: str) -> Assemblies:
    known = {table.name: table.assemblies for table in program.tables.values() if table.assemblies is not None}
    if not name and len(known) == 1:
        return next(iter(known.values()))
    if name not in known:
        there = listed(known) or "none"
        raise NotFound(f"expected the name of an assembly table (there are: {there}; got '{name}')")
    return known[name]
