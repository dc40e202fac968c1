"""`compile_formula`: from the text of a formula to a checked tree that can be worked out.

The syntax is Python's expression syntax, read with `ast` and reduced to literals, dotted names, operators, a
conditional and the functions listed in `functions` and `aggregates`.
"""

from __future__ import annotations

import ast
import warnings
from collections.abc import Mapping, Sequence
from functools import lru_cache

from dokima.errors import FormulaError
from dokima.formulas.expanding import expanded, in_one_line
from dokima.formulas.formula import Formula
from dokima.formulas.names import FormulaKind, Level, Names
from dokima.formulas.reading import calls, operators
from dokima.formulas.reading.reader import Read, Reader, in_words, shown_kind
from dokima.formulas.slips import slip_in
from dokima.formulas.tree import NAME, Node
from dokima.limits import FORMULA_CHARACTERS
from dokima.model.arguments import is_halved

_READ: Mapping[type[ast.expr], Read] = {
    ast.Constant: operators.literal, ast.Attribute: operators.name, ast.Name: operators.name,
    ast.BinOp: operators.arithmetic, ast.UnaryOp: operators.unary, ast.Compare: operators.comparison,
    ast.BoolOp: operators.logic, ast.IfExp: operators.conditional, ast.Call: calls.call,
    ast.List: operators.no_list, ast.Tuple: operators.no_list,
}  # fmt: skip
"""What reads each construct of Python that formulas have."""


def compile_formula(
    source: object,
    names: Names,
    expect: Sequence[FormulaKind] = (),
    most: Level = Level.LINE,
    what: str = "this formula",
) -> Formula:
    """Read and check a formula.

    Args:
        source: Its text; numbers and flags, as TOML has them, are formulas too.
        names: What it may refer to.
        expect: Kinds it may give; any if empty.
        most: The lowest level it may have; `Level.HEADER` refuses line values outside aggregates.
        what: How the message calls it.

    Raises:
        FormulaError: It cannot be read or does not make sense; names the position.
    """
    written = in_one_line(source)
    if is_halved(written):
        said = written.encode("ascii", "backslashreplace").decode()
        raise FormulaError(
            said, said.find("\\ud"), f"{what} must hold whole characters (this has half of a surrogate pair)"
        )
    text, spans = expanded(written, names)
    reader = Reader(text, names, _READ, spans)
    formula = Formula(text, _root(reader), written, spans, reader.own)
    if expect and formula.kind != "blank" and formula.kind not in expect:
        gives = shown_kind(formula.root, names)
        raise FormulaError(text, 0, f"{what} must give {in_words(expect)} (this gives {gives})")
    if formula.level > most:
        line = next((node for node in formula.root.walk() if node.role == NAME and node.level > most), formula.root)
        once = "once per order" if most is Level.HEADER else "without reading an order"
        raise FormulaError(
            text, line.start, f"{what} is worked out {once}; reach line values through sum, any, all ..."
        )
    return formula


@lru_cache(maxsize=1024)
def _parsed(source: str) -> ast.Expression:
    """The tree of a text, which is only read. A rulebook changed one spot at a time has mostly the same texts."""
    with warnings.catch_warnings():
        warnings.simplefilter("error", SyntaxWarning)  # such as 1or 2, which Python puts up with
        return ast.parse(source, mode="eval")


def _root(reader: Reader) -> Node:
    """The tree of the text that a reader reads."""
    source = reader.source
    if not source.strip():
        reader.fail(0, "expected a formula (got nothing)")
    if len(source) > FORMULA_CHARACTERS:
        reader.fail(
            FORMULA_CHARACTERS, f"a formula may have at most {FORMULA_CHARACTERS} characters (this has {len(source)})"
        )
    try:
        tree = _parsed(source.lstrip())
    except SyntaxError as error:
        place = reader.lead + error.offset - 1 if error.offset else len(source)
        reader.fail(place, f"this is not a formula: {error.msg.split('. ')[0]}{slip_in(source)}")
    except (ValueError, RecursionError, MemoryError):
        reader.fail(0, "this is not a formula: it is nested too deeply or holds a character that cannot be read")
    root = reader.node(tree.body, 0)
    for node in root.outside_aggregates():
        if node.rows and not node.gathers:
            reader.fail(node.start, f"{node.name} is a value of each {node.rows}: read it through sum, count, any, all")
    return root
