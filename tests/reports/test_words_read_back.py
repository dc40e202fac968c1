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
from dokima.reports.language import _, speaking
from dokima.reports.specification.speech import speech_of

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
NUMBERS = ("line.rate", "line.quantity", "header.fee", "item.weight")
TEXTS, DATES = ("line.grade", "line.item"), ("header.date", "line.due_date")
FLAGS = ("header.express", "line.fragile", "line.is_new", "line.is_parent")
LANGUAGES = ("en", "de", "fr", "nl")


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

X = r"<(\d+)>"  # a part that has been read, by its number
CALLS = {
    "the size of {0}": "abs", "the whole number at or below {0}": "floor", "the length of {0}": "length",
    "the days from {0} to {1}": "days_between", "{0} in capitals": "upper", "the whole number at or above {0}": "ceil",
    "minus {0}": "-",
}  # fmt: skip
FLAGS_OF_PARTS = {
    "{0} is blank": "blank", "{0} begins with {1}": "starts_with", "{0} contains {1}": "contains",
}  # fmt: skip
MODES = {"rounded": "half-up", "rounded down": "down", "rounded to the next lower": "floor"}
WORKED = {"{0} plus {1}": "+", "{0} less {1}": "-", "{0} times {1}": "*", "{0} divided by {1}": "/"}
COMPARED = {
    "{0} is {1}": "==", "{0} is not {1}": "!=", "{0} is below {1}": "<", "{0} is at most {1}": "<=",
    "{0} is above {1}": ">", "{0} is at least {1}": ">=", "{0} is before {1}": "<", "{0} is on or before {1}": "<=",
    "{0} is after {1}": ">", "{0} is on or after {1}": ">=",
}  # fmt: skip
SUMMED = {"the sum of {0}": "sum", "the lowest of {0}": "lowest", "the highest of {0}": "highest"}
LINES = {"on some line {0}": "any", "on every line {0}": "all", "on no line {0}": "none"}
SAID_OF_FLAGS = {
    "the line is new": ("line.is_new", True), "the line has sub-lines": ("line.is_parent", True),
    "the line is not new": ("line.is_new", False), "the line has no sub-lines": ("line.is_parent", False),
}  # fmt: skip


class Reader:
    """Reads a sentence from the innermost brackets outwards; each part that is understood gives way to its number.

    It knows the sentences of one language, by what they are in English, and the names.
    """

    def __init__(self, language):
        self.parts = []
        self.language = language
        self.decimal_mark = "." if language == "en" else ","
        with speaking("" if language == "en" else language):
            phrases = Phrases(BOOK.program, speech_of(BOOK.program))
            self.names = {phrases.name(name): ("name", name) for name in (*NUMBERS, *TEXTS, *DATES)}
            self.flags = {phrases.name(name): name for name in ("header.express", "line.fragile")}

    def say(self, template):
        with speaking("" if self.language == "en" else self.language):
            return _(template)

    def form(self, template, **kinds):
        """A pattern of a sentence: each of its parts is one that has been read, unless said otherwise."""
        escaped = re.escape(self.say(template)).replace(r"\{", "{").replace(r"\}", "}")
        return re.sub(r"\{(\d)\}", lambda m: f"(?P<p{m[1]}>{kinds.get('p' + m[1], X.replace('(', '(?:'))})", escaped)

    def match(self, template, text, **kinds):
        """The parts of a sentence in their English sequence; None if it is another sentence."""
        found = re.fullmatch(self.form(template, **kinds), text)
        return None if found is None else [found[name] for name in sorted(found.groupdict())]

    def read(self, text):
        for phrase in sorted(self.names, key=len, reverse=True):
            text = re.sub(rf"{re.escape(phrase)}(?!\w)", lambda _found, p=phrase: self.keep(self.names[p]), text)
        text = re.sub(r"‘([^’]*)’", lambda m: self.keep(("literal", "text", m[1])), text)
        number = rf"(?<![\w<])\d+(?:{re.escape(self.decimal_mark)}\d+)?(?![\w>])"
        as_number = lambda m: self.keep(("literal", "decimal", Decimal(m[0].replace(self.decimal_mark, "."))))  # noqa: E731
        text = re.sub(number, as_number, text)
        while "(" in text:
            text = re.sub(r"\(([^()]*)\)", lambda m: self.keep(self.flat(m[1])), text)
        return self.flat(text)

    def keep(self, part):
        self.parts.append(part)
        return f"<{len(self.parts) - 1}>"

    def part(self, mark):
        return self.parts[int(mark[1:-1])]

    def flat(self, text):
        found = self.condition(text)
        found = self.value(text) if found is None else found
        assert found is not None, text
        return found

    def condition(self, text):
        """A sentence that is so or not; None if it is none."""
        found = self.simple(text)
        for word in ("and", "or"):
            between = self.say(f"{{0}} {word} {{1}}").removeprefix("{0}").removesuffix("{1}")
            aside = "(?!before|after)" if self.language == "en" else ""
            pieces = re.split(f"{between}{aside}", text)
            if found is None and len(pieces) > 1:
                parts = [self.condition(piece) for piece in pieces]
                if None not in parts:
                    return (word, "", (), (), *parts)
        return found

    def simple(self, text):
        for sentence, (name, holds) in SAID_OF_FLAGS.items():
            if text == self.say(sentence):
                return ("name", name) if holds else self.denied(("name", name))
        for phrase, name in self.flags.items():
            if text == self.say("{0} is set").format(phrase):
                return ("name", name)
            if text == self.say("{0} is not set").format(phrase):
                return self.denied(("name", name))
        dear, held = self.say("“{0}”").format("dear"), meant(BOOK.program.named["dear"].root)
        if text in (self.say("{0} holds").format(dear), self.say("{0} does not hold").format(dear)):
            return held if text == self.say("{0} holds").format(dear) else self.denied(held)
        if text == self.say("there is a row of {0}").format("item"):
            return ("found", "item", (), ())
        if text == self.say("there is no {0}").format("item"):
            return self.denied(("found", "item", (), ()))
        if re.fullmatch(X, text):
            part = self.part(text)
            return part if part[0] not in ("literal", "name") else None
        if m := self.match("it is not so that {0}", text, p0=".*"):
            return self.denied(self.condition(m[0]))
        for template, role in LINES.items():
            if m := self.match(template, text, p0=".*"):
                return self.on_lines(role, m[0])
        if m := self.match("{0} is given", text):
            return self.denied(("blank", "", (), (), self.part(m[0])))
        for template, role in FLAGS_OF_PARTS.items():
            if m := self.match(template, text):
                return (role, "", (), (), *map(self.part, m))
        for template, role in (("{0} is one of {1}", "in"), ("{0} is none of {1}", "not in")):
            if m := self.match(template, text, p1=r"<\d+>(?:, <\d+>)*"):
                return (role, "", (), (), self.part(m[0]), *(self.value(each) for each in m[1].split(", ")))
        for template, sign in (("{0} is a multiple of {1}", "=="), ("{0} is not a multiple of {1}", "!=")):
            if m := self.match(template, text):
                whole = ("%", "", (), (), *map(self.part, m))
                return (sign, "", (), (), whole, ("literal", "decimal", Decimal(0)))
        for template in sorted(COMPARED, key=lambda each: len(self.say(each)), reverse=True):
            m = self.match(template, text, p0=".*?", p1=".*")
            if m and (sides := list(map(self.value, m))) and None not in sides:
                return (COMPARED[template], "", (), (), *sides)
        return None

    def on_lines(self, role, text):
        m = self.match("{0} where {1}", text, p0=".*?", p1=".*") or [text]
        parts = [self.condition(each) for each in m]
        if None in parts:
            return None
        found = ("any" if role == "none" else role, "", ("argument", "where")[: len(parts)], (), *parts)
        return self.denied(found) if role == "none" else found

    def denied(self, part):
        return None if part is None else ("not", "", (), (), part)

    def value(self, text):
        if re.fullmatch(X, text):
            return self.part(text)
        for template, role in CALLS.items():
            if m := self.match(template, text):
                return (role, "", (), (), *map(self.part, m))
        if found := self.rounded(text):
            return found
        if m := self.match("{1} days after {0}", text):
            return ("add_days", "", (), (), *map(self.part, m))
        for template, role in (("the smallest of {0}", "min"), ("the largest of {0}", "max")):
            if m := self.match(template, text, p0=".*"):
                between = self.say("{0} and {1}").removeprefix("{0}").removesuffix("{1}")
                each = [self.value(part) for part in re.split(f", |{between}", m[0])]
                return None if None in each else (role, "", (), (), *each)
        between = self.say("{0}, or where that is blank {1}").removeprefix("{0}").removesuffix("{1}")
        if re.fullmatch(rf"{X}(?:{re.escape(between)}<\d+>)+", text):
            return ("coalesce", "", (), (), *map(self.part, text.split(between)))
        if m := self.match("{0} if {1}, else {2}", text, p1=".*"):
            return ("if", "", (), (), self.condition(m[1]), self.part(m[0]), self.part(m[2]))
        return self.summed(text) or self.calculation(text)

    def rounded(self, text):
        for mode, of in MODES.items():
            start = rf"{X} {re.escape(self.say(mode))} "
            if m := re.fullmatch(start + re.escape(self.say("to a whole number")), text):
                return ("round", "", (), (("mode", of), ("places", 0)), self.parts[int(m[1])])
            for to in ("to {0} decimal place", "to {0} decimal places"):
                if m := re.fullmatch(start + self.form(to), text):
                    places = int(self.part(m["p0"])[2])
                    return ("round", "", (), (("mode", of), ("places", places)), self.parts[int(m[1])])
        return None

    def summed(self, text):
        by = self.match("{0} over lines with the same {1}", text, p0=".*", p1=".*")
        head = by[0] if by else text
        where = self.match("{0} where {1}", head, p0=".*?", p1=".*")
        parts = {}
        if where:
            head, parts["where"] = where[0], self.condition(where[1])
        if by:
            articles = (by[1], f"the {by[1]}")
            parts["by"] = next((self.names[each] for each in articles if each in self.names), None)
            parts["by"] = parts["by"] or (self.part(by[1]) if re.fullmatch(X, by[1]) else None)
        if None in parts.values():
            return None
        if head == self.say("the number of lines"):
            return ("count", "", tuple(parts), (), *parts.values())
        for template, role in SUMMED.items():
            if m := self.match(template, head):
                parts = {"argument": self.part(m[0]), **parts}
                return (role, "", tuple(parts), (), *parts.values())
        return None

    def calculation(self, text):
        """From the left: only sums and products stand in a row without brackets."""
        signs = {self.say(each).removeprefix("{0} ").removesuffix(" {1}"): sign for each, sign in WORKED.items()}
        pieces = re.split(f" ({'|'.join(signs)}) ", text)
        if len(pieces) < 3:
            return None
        values = [self.value(piece) for piece in pieces[::2]]
        worked = {signs[each] for each in pieces[1::2]}
        if None in values or len(worked) > 1 or (len(values) > 2 and not worked <= {"+", "*"}):
            return None
        found = values[0]
        for value in values[1:]:
            found = (*worked, "", (), (), found, value)
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
    for _level in range(depth):
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


@pytest.mark.parametrize("language", LANGUAGES)
@given(source=grown(3))
def test_a_reader_takes_from_the_words_what_the_formula_says(language, source):
    formula = may_be(source)
    assume(formula is not None)
    sentence = in_words(formula, language)
    assert Reader(language).read(sentence) == meant(formula.root), sentence


def in_words(formula, language):
    with speaking("" if language == "en" else language):
        phrases = Phrases(BOOK.program, speech_of(BOOK.program))
        return phrases.condition(formula) if formula.kind == "flag" else phrases.of(formula)


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
    for language in LANGUAGES:
        assert in_words(compiled(one), language) != in_words(compiled(two), language)
