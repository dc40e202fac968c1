"""What changed between two versions, as people say it: "freight: from 0.38 to 0.41"."""

from __future__ import annotations

import difflib
from collections.abc import Mapping
from decimal import Decimal
from typing import Any

from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.compiling.places import FormulaPlace, formula_places
from dokima.explaining.phrases import Phrases
from dokima.formulas.comparing import Shape, shape
from dokima.formulas.names import NUMBERS
from dokima.formulas.tree import LITERAL, Node
from dokima.model.source import source_of
from dokima.pricing.program import Program

MOMENTS: Mapping[str, str] = {
    "edit": "while a field is edited", "enter": "when a line is entered", "remove": "when a line is removed",
    "save": "when an order is saved", "approve": "when an order is approved", "close": "when a line is closed",
    "cancel": "when an order is cancelled",
}  # fmt: skip
"""When a rule is asked, in words."""
_SIDES = {True: "a row counts only above", False: "a row counts from"}
_BEFORE = {True: ", no longer from it on", False: " on, no longer only above it"}
KEYS: Mapping[str, str] = {
    "percent": "the percentage", "amount": "the amount", "per_unit": "the amount for each unit", "cap": "the most",
    "keep_above": "the least that is left", "value": "the value", "when": "where it applies",
    "where": "which lines take part",
    "share": "the weights it is shared by", "category": "the tax category", "reason": "the reason why no tax is due",
    "default": "the default", "require": "what it requires", "base": "for how many units it is",
    "factor": "priced units in a unit", "due": "the day it is due", "required": "where a row must be there",
}  # fmt: skip
"""Settings that hold formulas, in words."""


class ChangeWords:
    """Says what changed between two rulebooks.

    Args:
        old: The old one.
        new: The new one.
    """

    def __init__(self, old: Program, new: Program) -> None:
        self.old = old
        self.new = new
        self._places = [{place.path: place for place in formula_places(each)} for each in (old, new)]
        self._phrases = [Phrases(old), Phrases(new)]

    def setting(self, path: str, change: str, before: str, after: str) -> str:
        """A setting that differs, in a sentence; blank where its path says as much."""
        head, _, rest = path.partition(".")
        if side := self._side(path):
            return side
        places = [each.get(path) for each in self._places]
        if places[0] is not None and places[1] is not None:
            return self._formula(places[0], places[1])
        within = self._apart_within(path)
        if len(within) == 1:
            return self._formula(*within[0])
        if head == "value" and change == "changed":
            return f"{rest.replace('_', ' ')}: from {before} to {after}"
        if head == "rule":
            return self._rule(*rest.partition(".")[::2], change, before, after)
        if head == "function":
            return self._function(rest, change)
        what, parts = self._thing(path), path.split(".")
        if what and change in ("added", "removed") and len(parts) == (4 if parts[2:3] == ["step"] else 2):
            return f"{what} is {'new' if change == 'added' else 'gone'}"
        return ""

    def _side(self, path: str) -> str:
        """Of a break that counts from another side than before: from which; blank elsewhere."""
        match path.split("."):
            case ["table", table, "breaks", column]:
                known = [each.tables[table] for each in (self.old, self.new) if table in each.tables]
                above = [column in each.definition.above for each in known]
                if len(above) == 2 and above[0] != above[1]:
                    return f"the table {table}: {_SIDES[above[1]]} its {column.replace('_', ' ')}{_BEFORE[above[1]]}"
        return ""

    def _apart_within(self, path: str) -> list[tuple[FormulaPlace, FormulaPlace]]:
        """The formulas below a path that both have, and that differ."""
        mine, theirs = self._places
        both = [name for name in mine if name.startswith(f"{path}.") and name in theirs]
        return [
            (mine[each], theirs[each]) for each in both if mine[each].formula.written != theirs[each].formula.written
        ]

    def _formula(self, old: FormulaPlace, new: FormulaPlace) -> str:
        """A formula that differs: by the one number that does, if that is all, else in words."""
        thing, key = self._thing(old.path), old.path.rpartition(".")[2]
        numbers = _numbers_apart(old.formula.root, new.formula.root)
        where = "" if old.path.startswith("formula.") else f"{KEYS.get(key, key)} "
        if len(numbers) == 1:
            told = f"{thing}: from {shown(numbers[0][0])} to {shown(numbers[0][1])}"
            return told + (f", in {where.rstrip()}" if where else "")
        before, after = (
            words.condition(place.formula) if place.formula.kind == "flag" else words.of(place.formula)
            for words, place in zip(self._phrases, (old, new), strict=True)
        )
        return f"{thing}: {where}is now: {after}; before: {before}"

    def _rule(self, name: str, key: str, change: str, before: str, after: str) -> str:
        if not key:
            return f"the rule {name} is {'new' if change == 'added' else 'gone'}"
        if key == "at":
            was, now = ([MOMENTS.get(each, f"at {each}") for each in text.split("; ")] for text in (before, after))
            gone = [each for each in was if each not in now]
            told = f", no longer {' and '.join(gone)}" if gone else ""
            come = [each for each in now if each not in was]
            if not come:
                return f"the rule {name} is{told[1:]} asked"
            return f"the rule {name} is asked {' and '.join(come)}{told}"
        if key == "severity":
            words = {"": "an error", "error": "an error", "warning": "a warning", "notice": "a notice"}
            return f"the rule {name} gives {words[after]}, no longer {words[before]}"
        if key == "message":
            return f"the rule {name} says now: “{after}”"
        if key == "acknowledge":
            return f"the rule {name} must {'' if change == 'added' else 'no longer '}be accepted by somebody"
        if key in ("when", "require"):
            place = self._places[1 if change == "added" else 0].get(f"rule.{name}.{key}")
            if place is None:
                return ""
            where = self._phrases[1 if change == "added" else 0].condition(place.formula)
            return f"the rule {name} applies only where {where}{'' if change == 'added' else ': that is gone'}"
        return ""

    def _function(self, name: str, change: str) -> str:
        if change != "changed":
            return f"the Python function {name} is {'new' if change == 'added' else 'gone'}"
        before, after = (each.definition.functions[name].own for each in (self.old, self.new))
        if before is None or after is None:
            return ""
        texts = [source_of(each.body).splitlines() for each in (before, after)]
        steps = difflib.SequenceMatcher(None, texts[0], texts[1], autojunk=False).get_opcodes()
        places = [(first, last) for tag, _, _, first, last in steps if tag != "equal"]
        start = getattr(after.body, "__code__", None)
        if not places or start is None:
            return f"the Python function {name} changed"
        first, last = (start.co_firstlineno + at for at in (places[0][0], max(places[-1][1] - 1, places[0][0])))
        return f"the Python function {name} changed: line{f's {first}-{last}' if last > first else f' {first}'}"

    def _thing(self, path: str) -> str:
        """What a path is about: a step by its label, a field, a table, a rule."""
        parts = path.split(".")
        match parts:
            case ["routine", routine, "step", step, *_]:
                for program in (self.new, self.old):
                    for each in program.routines:
                        found = each.step(step) if each.name == routine else None
                        if found is not None:
                            return f"{found.definition.shown} (step {step} of {routine})"
                return f"the step {step} of {routine}"
            case ["routine", routine, *_]:
                return f"the routine {routine}"
            case ["rule", rule, *_]:
                return f"the rule {rule}"
            case ["table", table, *_]:
                return f"the table {table}"
            case ["header" | "line", _, *_]:
                return f"the field {'.'.join(parts[:2])}"
            case ["formula", name, *_]:
                return f"the named formula {name}"
        return ""

    @staticmethod
    def row(cells: Mapping[str, Any], others: Mapping[str, Any]) -> str:
        """What differs in a row."""
        said = [
            f"{name.replace('_', ' ')} from {shown(cells.get(name))} to {shown(others.get(name))}"
            for name in dict.fromkeys([*cells, *others])
            if cells.get(name) != others.get(name)
        ]
        return ", ".join(said)


def _numbers_apart(old: Node, new: Node) -> list[tuple[Decimal, Decimal]]:
    """The numbers in which two formulas differ; none if they differ in anything else."""
    if shape(old, _any_number) != shape(new, _any_number):
        return []
    pairs = zip(_numbers(old), _numbers(new), strict=True)
    return [(one, other) for one, other in pairs if one != other]


def _any_number(node: Node) -> Shape | None:
    return (LITERAL, "any number") if _is_number(node) else None


def _is_number(node: Node) -> bool:
    return node.role == LITERAL and node.kind in NUMBERS


def _numbers(node: Node) -> list[Decimal]:
    return [value_at(each.value, 0) for each in node.walk() if _is_number(each) and each.value is not None]
