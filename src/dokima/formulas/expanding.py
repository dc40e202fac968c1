"""Named formulas: what a text means with the texts of those it names in brackets in their places."""

from __future__ import annotations

import ast
import re
from functools import lru_cache

from dokima.errors import FormulaError
from dokima.formulas.names import Names, UnknownName
from dokima.limits import FORMULA_CHARACTERS

NAMED = "formula"
"""What the names of named formulas begin with."""
_DOTTED = re.compile(r"\b[A-Za-z_]\w*\.[A-Za-z_]\w*")


Span = tuple[int, int, str]
"""Where the text of a named formula stands, brackets included, and the name that it stands for."""


def expanded(text: str, names: Names, path: tuple[str, ...] = ()) -> tuple[str, tuple[Span, ...]]:
    """A formula with the texts of the formulas it names in brackets in the place of their names, and where they stand.

    Args:
        text: The formula, on one line.
        names: What it may refer to.
        path: The named formulas it is part of.

    Raises:
        FormulaError: There is none of such a name, they read each other in a circle, or it becomes too long.
    """
    if not names.has_texts and f"{NAMED}." not in text:
        return text, ()
    whole, last, spans = "", 0, list[Span]()
    for start, stop, dotted in _places(text):
        try:
            inner = names.text_of(dotted)
        except UnknownName as error:
            raise FormulaError(text, start, str(error.args[0])) from None
        if inner is None:
            continue
        if dotted in path:
            circle = " -> ".join([*path[path.index(dotted) :], dotted])
            raise FormulaError(text, start, f"formulas read each other in a circle: {circle}")
        written, _ = expanded(inner, names, (*path, dotted))
        whole += text[last:start]
        spans.append((len(whole), len(whole) + len(written) + 2, dotted))
        whole, last = f"{whole}({written})", stop
        if len(whole) > FORMULA_CHARACTERS:
            raise FormulaError(
                text[:60], 0, f"with its named formulas written out it has more than {FORMULA_CHARACTERS} characters"
            )
    return whole + text[last:], tuple(spans)


def in_one_line(source: object) -> str:
    """A formula as TOML has it, as one line of text."""
    if isinstance(source, bool):
        return str(source)
    if isinstance(source, str):
        return source.replace("\n", " ").replace("\t", " ")
    return format(source, "f") if hasattr(source, "as_tuple") else str(source)


def dotted_names(text: str) -> list[str]:
    """The dotted names in a text."""
    return [dotted for _, _, dotted in _places(text)]


@lru_cache(maxsize=4096)
def _places(text: str) -> tuple[tuple[int, int, str], ...]:
    """The dotted names in a text and where they stand; none in one that cannot be read, which is told later."""
    if not _DOTTED.search(text):
        return ()
    lead = len(text) - len(text.lstrip())
    try:
        tree = ast.parse(text.lstrip(), mode="eval")
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        return ()
    encoded = text.lstrip().encode()  # offsets of Python count bytes
    found = []
    for node in ast.walk(tree):
        if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name) and node.end_col_offset is not None:
            start, stop = (lead + len(encoded[:at].decode()) for at in (node.col_offset, node.end_col_offset))
            found.append((start, stop, f"{node.value.id}.{node.attr}"))
    return tuple(sorted(found))
