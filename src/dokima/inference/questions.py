"""What stays open, because no arithmetic can tell: kind, currency, tax, and whatever cells leave undecided."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from dokima.inference.profiles import AND

Answers = Mapping[str, Mapping[str, Any]]
"""What each answer sets, values by the path of a setting."""


@dataclass(frozen=True)
class OpenQuestion:
    """A question that stands in the rulebook until somebody answers it.

    Attributes:
        id: Its id.
        asks: The question.
        choices: What each answer sets; empty where any text is an answer.
        sets: The path of the setting that an answer becomes, where any text is one.
        guess: What stands in the rulebook meanwhile, in words; blank for nothing.
    """

    id: str
    asks: str
    choices: Answers = field(default_factory=dict)
    sets: str = ""
    guess: str = ""


def always(currency: str, amount: str, *, from_supplier: bool) -> list[OpenQuestion]:
    """What is asked whatever the file says.

    Args:
        currency: The currency as far as it is known.
        amount: The column of amounts, blank for none.
        from_supplier: Whether orders name a supplier and no customer.
    """
    of = f" ({amount})" if amount else ""
    return [
        OpenQuestion(
            "kind",
            "What are these orders?",
            {"sales": {"header.kind.default": "'sales'"}, "purchase": {"header.kind.default": "'purchase'"}},
            guess="purchase" if from_supplier else "sales",
        ),
        OpenQuestion(
            "currency",
            "In which currency are the amounts? A code of ISO 4217.",
            sets="rulebook.currency",
            guess=currency,
        ),
        OpenQuestion(
            "tax",
            f"Do the stated prices and amounts{of} include tax?",
            {"no": {"routine.orders.prices_include_tax": False}, "yes": {"routine.orders.prices_include_tax": True}},
            guess="no",
        ),
    ]


def about_encoding(words: str, layout: str) -> OpenQuestion:
    """cp1252 is never certain: other encodings read the same bytes as other letters."""
    path = f"layout.{layout}.encoding"
    names = ("cp1252", "iso-8859-15", "cp1250", "cp850", "mac-roman")
    return OpenQuestion(
        "encoding", f"Are these words right: {words}? If not, the file is in another encoding.",
        {name: {path: name} for name in names}, guess="cp1252",
    )  # fmt: skip


def about_dates(forms: Mapping[str, str], example: str, layout: str) -> OpenQuestion:
    """Day before month, or month before day; the forms that are possible, each in words; or two forms in one column."""
    ((first, words), *others) = forms.items()
    if AND in first and not others:
        both = {f"layout.{layout}.dates": first.split(AND)}
        asks = f"Some dates are {words.replace(' and ', ', others ')}: is each cell meant as it is written?"
        return OpenQuestion("dates", asks, {"yes": both}, guess="yes")
    choices = {words.replace(".", "-").replace("/", "-").replace(" ", "-"): form for form, words in forms.items()}
    return OpenQuestion(
        "dates", f"How is {example} to be read? No date of the file settles it.",
        {answer: {f"layout.{layout}.dates": form} for answer, form in choices.items()}, guess=next(iter(choices)),
    )  # fmt: skip


def about_marks(heading: str, cell: str, ways: Mapping[str, tuple[str, str]], layout: str) -> OpenQuestion:
    """``1.234``: thousands, or three decimal places."""
    choices = {
        value: {f"layout.{layout}.decimal": marks[0], f"layout.{layout}.thousands": marks[1]}
        for value, marks in ways.items()
    }
    asks = f"Which number is {cell} in column {heading}? No cell of the file settles it."
    return OpenQuestion("marks", asks, choices, guess=next(iter(choices)))


def about_header(headings: Sequence[str], several: int, moved: Mapping[str, Any]) -> OpenQuestion:
    """Columns that are the same on all lines of few orders may be so by chance.

    Args:
        headings: Their headings.
        several: How many orders have several lines.
        moved: What makes them columns of the lines, values by the path of a setting.
    """
    few = "one order has" if several == 1 else f"{several} orders have"
    asks = (
        f"Are these columns about the whole order: {', '.join(headings)}? "
        f"They are the same on all its lines, but only {few} several. If not, move them to the lines."
    )
    return OpenQuestion("header", asks, {"yes": {}, "moved": moved}, guess="yes")
