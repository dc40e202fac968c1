"""The formula language: parse, check kinds and levels, evaluate on columns."""

from dokima.formulas.blanks import BlankSearch, Cause, blank_as_given
from dokima.formulas.formula import Formula
from dokima.formulas.names import NUMBERS, FormulaKind, Frame, Level, Name, Names, UnknownName
from dokima.formulas.reading.compiling import compile_formula

__all__ = [
    "NUMBERS",
    "BlankSearch",
    "Cause",
    "Formula",
    "FormulaKind",
    "Frame",
    "Level",
    "Name",
    "Names",
    "UnknownName",
    "blank_as_given",
    "compile_formula",
]
