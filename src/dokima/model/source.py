"""What a piece of Python is told apart by: the version it says, else its source and what that reads beside it."""

from __future__ import annotations

import ast
import linecache
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from inspect import getsource
from textwrap import dedent
from types import FunctionType
from typing import Any

from dokima.errors import DokimaError

_TOLD_APART = "__dokima_source__"
_VERSIONED = "__dokima_versioned__"
_BESIDE = "__dokima_beside__"


def note_source(body: Callable[..., Any], version: str = "") -> None:
    """Note what a function is told apart by, while its source is what it was made from.

    Args:
        body: The function.
        version: What it is told apart by in the place of its source; changes whenever it gives another answer.
    """
    found = f"{body.__qualname__} version {version}" if version else _source(body)
    setattr(body, _TOLD_APART, found)
    setattr(body, _VERSIONED, bool(version))


def note_class(body: type, file: str) -> None:
    """Note the source of a class of a file that is no module, so that nothing finds it by the module's name later.

    Args:
        body: The class.
        file: The file that says it.
    """
    linecache.checkcache(file)
    bound = _bound_in("".join(linecache.getlines(file)))
    if body.__qualname__ in bound:
        setattr(body, _TOLD_APART, bound[body.__qualname__][0])
        setattr(body, _BESIDE, _beside(body, file))


def note_beside(body: Any) -> None:
    """Note the constants, functions and classes of its file that a function without a version reads."""
    if isinstance(body, FunctionType) and not getattr(body, _VERSIONED, False):
        setattr(body, _BESIDE, _beside(body, body.__code__.co_filename))


def source_of(body: Any) -> str:
    """The version of a function or class, else its source without indentation, and what that reads beside it.

    The same in every version of Python.

    Raises:
        DokimaError: It has neither, so that nobody could tell whether it has changed.
    """
    noted = vars(body) if isinstance(body, type) else getattr(body, "__dict__", {})  # not what a base class noted
    found: str = noted.get(_TOLD_APART, "") or _source(body)
    if not found:
        name = getattr(body, "__qualname__", repr(body))
        message = (
            f"the source of {name} cannot be found; say version='1' where it is declared, and another when it changes"
        )
        raise DokimaError(message)
    beside: str = noted.get(_BESIDE, "")
    return f"{found}\n{beside}" if beside else found


def _source(body: Any) -> str:
    """The source without indentation, blank if it cannot be found."""
    try:
        return dedent(getsource(body))
    except (OSError, TypeError):
        return ""


def _beside(body: FunctionType | type, file: str) -> str:
    """The statements of its file that bind what a function or class reads, and what those read in turn, by name."""
    linecache.checkcache(file)
    bound = _bound_in("".join(linecache.getlines(file)))
    said: dict[str, str] = {}
    todo = _names(_statements(vars(body).get(_TOLD_APART, "") or _source(body)))
    while todo:
        name = todo.pop()
        if name in bound and name not in said:
            said[name], reads = bound[name]
            todo |= reads
    return "\n".join(said[name] for name in sorted(said) if name != body.__name__)


@lru_cache(maxsize=8)
def _bound_in(text: str) -> Mapping[str, tuple[str, frozenset[str]]]:
    """For each name that a file binds the statements that do so, and the names that these read.

    Kept, since every function of a file asks it. What another file says is not part of this one: imports are left out.
    """
    lines = text.encode().split(b"\n")  # the places of a tree are bytes
    found: dict[str, tuple[str, frozenset[str]]] = {}
    for statement in _statements(text):
        if isinstance(statement, ast.Import | ast.ImportFrom):
            continue
        said, reads = _segment(lines, statement), _names([statement])
        for name in _bound(statement):
            before, known = found.get(name, ("", frozenset()))
            found[name] = (f"{before}\n{said}" if before else said, known | reads)
    return found


def _segment(lines: Sequence[bytes], statement: ast.stmt) -> str:
    """The text of a statement, as `ast.get_source_segment` gives it, which splits the whole file for each."""
    first, last = statement.lineno - 1, (statement.end_lineno or statement.lineno) - 1
    found = list(lines[first : last + 1])
    found[-1] = found[-1][: statement.end_col_offset]
    found[0] = found[0][statement.col_offset :]
    return b"\n".join(found).decode()


def _statements(text: str) -> list[ast.stmt]:
    """The statements of a piece of source; none if it is none by itself."""
    try:
        return ast.parse(text).body
    except (SyntaxError, ValueError):
        return []


def _names(statements: list[ast.stmt]) -> set[str]:
    return {node.id for each in statements for node in ast.walk(each) if isinstance(node, ast.Name)}


def _bound(statement: ast.stmt) -> set[str]:
    if isinstance(statement, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
        return {statement.name}
    return {node.id for node in ast.walk(statement) if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store)}
