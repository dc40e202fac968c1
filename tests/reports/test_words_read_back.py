"""Formulas in words are understood as they are meant: what a reader takes from the sentence is the formula again.

The reader below knows the sentences and the names, and nothing of how they are made.
"""

import re
from decimal import Decimal

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

import dokima
from dokima.compiling.scope import Scope
from dokima.explaining.phrases import Phrases
from dokima.formulas import compile_formula
from dokima.formulas.comparing import shape
from dokima.formulas.signs import COMPARISONS, MEMBERSHIP
from dokima.formulas.tree import Node

BOOK = dokima.Rulebook.from_dict(
    {
        "rulebook": {"name": "words"},
        "header": {"express": {"kind": "flag"}, "fee": {"kind": "decimal"}},
        "line": {"rate": {"kind": "decimal"}, "fragile": {"kind": "flag"}, "grade": {"kind": "text"}},
        "formula": {"dear": "line.rate > 100 and header.express"},
        "table": {"item": {"key": {"item": "line.item"}, "columns": {"weight": {"kind": "decimal"}}}},
    },
    tables={"item": [{"item": "A", "weight": "1"}]},
)
NAMES = Scope(BOOK.program.definition, BOOK.program.tables.get, with_run=True)
PHRASES = Phrases(BOOK.program)
NUMBERS = ("line.rate", "line.quantity", "header.fee", "item.weight")
TEXTS, DATES = ("line.grade", "line.item"), ("header.date", "line.due_date")
FLAGS = ("header.express", "line.fragile", "line.is_new", "line.is_parent")
KNOWN = {PHRASES.name(name): ("name", name) for name in (*NUMBERS, *TEXTS, *DATES)}


def compiled(formula):
    return compile_formula(formula, NAMES)


def meant(node):
    """What a formula says; a comparison turned round is the other comparison, as the sentence has it."""

    def known(part: Node):
        if part.role == "not":
            inner = part.operands[0]
            other = {**COMPARISONS, **MEMBERSHIP}.get(inner.role)
            if other is not None and other.opposite:
                role = other.opposite
                return (role, "", (), (), *(shape(each, known) for each in inner.operands))
        return None

    return shape(node, known)


# -- the reader -------------------------------------------------------------------------------------------------------

X = r"(\d+)"  # a part that has been read, by its number
CALLS = {
    rf"the size of <{X}>": "abs", rf"the whole number at or below <{X}>": "floor", rf"the length of <{X}>": "length",
    rf"the days from <{X}> to <{X}>": "days_between", rf"the year of <{X}>": "year", rf"<{X}> in capitals": "upper",
    rf"the whole number at or above <{X}>": "ceil",
}  # fmt: skip
MODES = {"rounded": "half-up", "rounded down": "down", "rounded to the next lower": "floor"}
WORKED = {"plus": "+", "less": "-", "times": "*", "divided by": "/"}
COMPARED = {
    "is": "==", "is not": "!=", "is below": "<", "is at most": "<=", "is above": ">", "is at least": ">=",
    "is before": "<", "is on or before": "<=", "is after": ">", "is on or after": ">=",
}  # fmt: skip
SUMMED = {"the sum of": "sum", "the lowest of": "lowest", "the highest of": "highest", "the average of": "average"}


class Reader:
    """Reads a sentence from the innermost brackets outwards; each part that is understood gives way to its number."""

    def __init__(self):
        self.parts = []

    def read(self, text):
        for phrase in sorted(KNOWN, key=len, reverse=True):
            text = re.sub(rf"{re.escape(phrase)}\b", lambda _, p=phrase: self.keep(KNOWN[p]), text)
        text = re.sub(r"‘([^’]*)’", lambda m: self.keep(("literal", "text", m[1])), text)
        text = re.sub(
            r"(?<![\w<])\d+(\.\d+)?(?![\w>])", lambda m: self.keep(("literal", "decimal", Decimal(m[0]))), text
        )
        while "(" in text:
            text = re.sub(r"\(([^()]*)\)", lambda m: self.keep(self.flat(m[1])), text)
        return self.flat(text)

    def keep(self, part):
        self.parts.append(part)
        return f"<{len(self.parts) - 1}>"

    def __getitem__(self, number):
        return self.parts[int(number)]

    def flat(self, text):
        found = self.condition(text)
        found = self.value(text) if found is None else found
        assert found is not None, text
        return found

    def condition(self, text):
        """A sentence that is so or not; None if it is none."""
        found = self.simple(text)
        for word in ("and", "or"):
            pieces = re.split(rf" {word} (?!before|after)", text)
            if found is None and len(pieces) > 1:
                parts = [self.condition(piece) for piece in pieces]
                if None not in parts:
                    return (word, "", (), (), *parts)
        return found

    def simple(self, text):
        said = {"the line is new": "line.is_new", "the line has sub-lines": "line.is_parent"}
        denied = {"the line is not new": "line.is_new", "the line has no sub-lines": "line.is_parent"}
        for name in ("header.express", "line.fragile"):
            said[f"{PHRASES.name(name)} is set"] = denied[f"{PHRASES.name(name)} is not set"] = name
        if text in said:
            return ("name", said[text])
        if text in denied:
            return ("not", "", (), (), ("name", denied[text]))
        if text in ("“dear” holds", "“dear” does not hold"):
            held = meant(BOOK.program.named["dear"].root)
            return held if text.endswith("holds") else ("not", "", (), (), held)
        if text == "there is a row of item":
            return ("found", "item", (), ())
        if text == "there is no item":
            return ("not", "", (), (), ("found", "item", (), ()))
        if re.fullmatch(r"<\d+>", text):
            part = self[text[1:-1]]
            return part if part[0] not in ("literal", "name") else None
        if m := re.fullmatch(r"it is not so that (.*)", text):
            return self.denied(self.condition(m[1]))
        if m := re.fullmatch(r"on (some|every|no) line (.*?)(?: where (.*))?", text):
            role = "all" if m[1] == "every" else "any"
            parts = [self.condition(each) for each in m.groups()[1:] if each is not None]
            if None in parts:
                return None
            found = (role, "", ("argument", "where")[: len(parts)], (), *parts)
            return self.denied(found) if m[1] == "no" else found
        if m := re.fullmatch(rf"<{X}> is (blank|given)", text):
            found = ("blank", "", (), (), self[m[1]])
            return found if m[2] == "blank" else self.denied(found)
        if m := re.fullmatch(rf"<{X}> (begins with|contains) <{X}>", text):
            return ("starts_with" if m[2] == "begins with" else "contains", "", (), (), self[m[1]], self[m[3]])
        if m := re.fullmatch(rf"<{X}> is (one|none) of (<\d+>(?:, <\d+>)*)", text):
            listed = [self.value(each) for each in m[3].split(", ")]
            return ("in" if m[2] == "one" else "not in", "", (), (), self[m[1]], *listed)
        if m := re.fullmatch(rf"<{X}> (is|is not) a multiple of <{X}>", text):
            whole = ("%", "", (), (), self[m[1]], self[m[3]])
            return (COMPARED[m[2]], "", (), (), whole, ("literal", "decimal", Decimal(0)))
        for words in sorted(COMPARED, key=len, reverse=True):
            left, word, right = text.partition(f" {words} ")
            if word and (sides := (self.value(left), self.value(right))) and None not in sides:
                return (COMPARED[words], "", (), (), *sides)
        return None

    def denied(self, part):
        return None if part is None else ("not", "", (), (), part)

    def value(self, text):
        if m := re.fullmatch(rf"<{X}>", text):
            return self[m[1]]
        if m := re.fullmatch(rf"minus <{X}>", text):
            return ("-", "", (), (), self[m[1]])
        for pattern, role in CALLS.items():
            if m := re.fullmatch(pattern, text):
                return (role, "", (), (), *map(self.__getitem__, m.groups()))
        if m := re.fullmatch(rf"<{X}> (rounded.*) to (?:(a whole number)|<{X}> decimal places?)", text):
            places = 0 if m[3] else int(self[m[4]][2])
            return ("round", "", (), (("mode", MODES[m[2]]), ("places", places)), self[m[1]])
        if m := re.fullmatch(rf"<{X}> days after <{X}>", text):
            return ("add_days", "", (), (), self[m[2]], self[m[1]])
        if m := re.fullmatch(r"the (smallest|largest) of (.*)", text):
            each = [self.value(part) for part in re.split(", | and ", m[2])]
            return None if None in each else ("min" if m[1] == "smallest" else "max", "", (), (), *each)
        if m := re.fullmatch(rf"<{X}>((?:, or where that is blank <\d+>)+)", text):
            return ("coalesce", "", (), (), self[m[1]], *map(self.__getitem__, re.findall(r"<(\d+)>", m[2])))
        if m := re.fullmatch(rf"<{X}> if (.*), else <{X}>", text):
            return ("if", "", (), (), self.condition(m[2]), self[m[1]], self[m[3]])
        if m := re.fullmatch(r"the number of lines(?: where (.*))?", text):
            parts = [] if m[1] is None else [self.condition(m[1])]
            return None if None in parts else ("count", "", ("where",) * len(parts), (), *parts)
        head = next((each for each in SUMMED if text.startswith(each)), None)
        if head is not None:
            m = re.fullmatch(rf"{head} <{X}>(?: where (.*?))?(?: over lines with the same (.*))?", text)
            if m is not None:
                parts = {"argument": self[m[1]]}
                if m[2] is not None:
                    parts["where"] = self.condition(m[2])
                if m[3] is not None:
                    parts["by"] = KNOWN[f"the {m[3]}"]
                return None if None in parts.values() else (SUMMED[head], "", tuple(parts), (), *parts.values())
        return self.calculation(text)

    def calculation(self, text):
        """From the left: only sums and products stand in a row without brackets."""
        words = "|".join(WORKED)
        pieces = re.split(rf" ({words}) ", text)
        if len(pieces) < 3:
            return None
        values = [self.value(piece) for piece in pieces[::2]]
        if None in values or len(set(pieces[1::2])) > 1 or (len(values) > 2 and pieces[1] not in ("plus", "times")):
            return None
        found = values[0]
        for value in values[1:]:
            found = (WORKED[pieces[1]], "", (), (), found, value)
        return found


# -- formulas ---------------------------------------------------------------------------------------------------------


def joined(*parts):
    return st.tuples(*parts).map("".join)


LITERALS = st.sampled_from(["0", "1", "2.5", "12", "0.05"])
DAYS = st.sampled_from(DATES)
WORDS = st.one_of(st.sampled_from(TEXTS), joined(st.just("upper("), st.sampled_from(TEXTS), st.just(")")))


def numbers(inner):
    each, flag = inner
    two = st.tuples(each, each)
    return st.one_of(
        st.builds("({} {} {})".format, each, st.sampled_from("+-*/"), each),
        each.map("-({})".format), each.map("abs({})".format), each.map("floor({})".format), each.map("sum({})".format),
        st.builds("round({}, {}{})".format, each, st.integers(0, 3), st.sampled_from(["", ", 'down'", ", 'floor'"])),
        two.map(lambda p: f"min({p[0]}, {p[1]})"), two.map(lambda p: f"max({p[0]}, 5, {p[1]})"),
        two.map(lambda p: f"coalesce({p[0]}, {p[1]})"),
        st.builds("({} if {} else {})".format, each, flag, each),
        st.builds("highest({}, where={})".format, each, flag), st.builds("count(where={})".format, flag),
        st.builds("sum({}, where={}, by=line.grade)".format, each, flag),
        st.builds("days_between({}, {})".format, DAYS, DAYS), WORDS.map("length({})".format),
    )  # fmt: skip


def flags(inner):
    each, flag = inner
    return st.one_of(
        st.builds("({} {} {})".format, each, st.sampled_from(list(COMPARISONS)), each),
        st.builds("({} {} {})".format, flag, st.sampled_from(["and", "or"]), flag), flag.map("not ({})".format),
        flag.map("any({})".format), flag.map("all({})".format),
        st.builds("any({}, where={})".format, flag, flag), each.map("blank({})".format),
        st.builds("({} {} ['a', 'b'])".format, WORDS, st.sampled_from(["in", "not in"])),
        st.builds("({} {} {})".format, DAYS, st.sampled_from(list(COMPARISONS)), DAYS),
        st.builds("{}({}, 'x')".format, st.sampled_from(["starts_with", "contains"]), WORDS),
        st.builds("({} % {} == 0)".format, each, LITERALS), st.just("found(item)"), st.just("formula.dear"),
    )  # fmt: skip


def grown(depth):
    """Formulas that give numbers, and formulas that give flags."""
    number, flag = st.one_of(st.sampled_from(NUMBERS), LITERALS), st.sampled_from(FLAGS)
    for _ in range(depth):
        number, flag = numbers((number, flag)) | number, flags((number, flag)) | flag
    return st.one_of(number, flag)


REFUSED = "may stand inside|cannot order flags|cannot compare"
"""What makes no rulebook: a sum of the order within a sum, flags in order."""


def may_be(formula):
    """The formula, checked; None for one that no rulebook may have."""
    try:
        return compiled(formula)
    except dokima.FormulaError as error:
        if re.search(REFUSED, str(error)) is None:
            raise
    return None


@given(grown(3))
def test_a_reader_takes_from_the_words_what_the_formula_says(source):
    formula = may_be(source)
    assume(formula is not None)
    sentence = PHRASES.condition(formula) if formula.kind == "flag" else PHRASES.of(formula)
    assert Reader().read(sentence) == meant(formula.root), sentence


@pytest.mark.parametrize(
    ("one", "two"),
    [
        ("abs(line.rate - 3)", "abs(line.rate) - 3"),
        ("sum(line.rate) - 1", "sum(line.rate - 1)"),
        ("sum(line.rate) * 2", "sum(line.rate * 2)"),
        ("-line.rate + 3", "-(line.rate + 3)"),
        ("any(line.rate > 1) or header.express", "any(line.rate > 1 or header.express)"),
        ("round(line.rate, 1, 'down')", "round(line.rate, 1)"),
        ("min(line.rate, 5) * 2", "min(line.rate, 5 * 2)"),
        ("not line.is_parent and line.rate > 0", "not (line.is_parent and line.rate > 0)"),
        ("min(line.rate, 5)", "lowest(line.rate)"),
        ("line.rate - (line.quantity - 1)", "line.rate - line.quantity - 1"),
        ("floor(line.rate)", "round(line.rate, 0, 'down')"),
        ("count(where=line.fragile and line.is_new)", "count(line.fragile, where=line.is_new)"),
        ("(1 if line.fragile else 2) if line.is_new else 3", "1 if line.fragile else (2 if line.is_new else 3)"),
    ],
)
def test_formulas_that_mean_different_things_are_said_differently(one, two):
    words = [PHRASES.condition(compiled(each)) for each in (one, two)]
    assert words[0] != words[1]
