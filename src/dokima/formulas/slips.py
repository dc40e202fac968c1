"""What other languages write, and how it is said in a formula."""

from __future__ import annotations

import re
from collections.abc import Mapping
from keyword import iskeyword

SLIPS: Mapping[str, str] = {
    r"\b\d{4}-\d\d?-\d\d?\b": "a day is written date('2026-03-02')",
    r"<>": "'!=' says that two differ",
    r"=[<>]": "'>=' and '<=' have the '=' last",
    r"(?<![=!<>])=(?!=)": "'==' compares",
    r"&&|\|\|": "'and' and 'or' join conditions",
    r"!(?!=)": "'not' turns a condition round",
    r"\b(?:AND|OR|NOT|IN|IF|ELSE)\b": "and, or, not, in, if, else are written small",
    r"%\s*(?:$|[)<>=]|and\b|or\b)": "a percentage is its number: 5 % is 5",
    r"[\u2018\u2019\u201c\u201d]": "texts stand in straight quotes",
    r"[\u2260\u2264\u2265]": "comparisons are written !=, <=, >=",
    r"(?i)\bbetween\b": "1 <= x <= 5 is a range",
    r"(?i)\blike\b": "starts_with, ends_with, contains and matches look into a text",
}
"""By what cannot be read, how it is said here."""
WORDS: Mapping[str, str] = {
    **dict.fromkeys(("true", "TRUE", "yes"), "'True' is written with a capital letter"),
    **dict.fromkeys(("false", "FALSE", "no"), "'False' is written with a capital letter"),
    **dict.fromkeys(("null", "NULL", "None", "none", "nil", "empty"), "'' is a blank, and blank(x) asks for one"),
    **dict.fromkeys(("today", "TODAY", "now"), "run.today is the day of a run, in rules and defaults"),
    **dict.fromkeys(("if", "IF", "iif", "IIF", "when"), "'a if condition else b' chooses"),
}
"""By a word that is no name of a formula, how it is said here."""
_NO_SLIP = re.compile(r"'[^']*'|\"[^\"]*\"|\b(?:where|by)\s*=(?!=)")
"""Texts, and the names of arguments."""


def slip_in(source: str) -> str:
    """How what cannot be read is said here, after a semicolon; blank where it looks like nothing known."""
    rest = _NO_SLIP.sub("", source)
    if reserved := next((word for word in re.findall(r"\.(\w+)", rest) if iskeyword(word)), ""):
        return f"; '{reserved}' is a reserved word, which names nothing in a formula: the column needs another heading"
    return next((f"; {said}" for slip, said in SLIPS.items() if re.search(slip, rest)), "")


def said_here(word: str) -> str:
    """How a word is said here, after a semicolon; blank for one that is not known."""
    return f"; {WORDS[word]}" if word in WORDS else ""


def comma_in_number(source: str) -> str:
    """What helps where a comma stands within a number; blank where none does."""
    return "; decimals are written with a point: 1.5" if re.search(r"\d,\d", _NO_SLIP.sub("", source)) else ""
