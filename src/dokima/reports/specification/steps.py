"""The steps of a routine as sentences."""

from __future__ import annotations

from collections.abc import Iterator

from dokima.explaining.phrases import Phrases
from dokima.formulas.tree import LITERAL
from dokima.pricing.steps.routine import Routine, Step
from dokima.reports.specification.content import Sentence

OVER = {"order": "once for the order", "parent": "once for each line that has sub-lines"}


def step_sentences(step: Step, routine: Routine, phrases: Phrases) -> Iterator[Sentence]:
    """What a step does, each sentence with the formula it was made of."""
    spec = step.definition
    match spec.kind:
        case "price":
            yield from _price(step, phrases)
        case "discount" | "charge":
            yield from _adjustment(step, phrases)
        case "tax":
            yield from _tax(step, routine, phrases)
        case "advance":
            of = routine_figure(spec.of, routine) if spec.of else "the total with tax"
            yield Sentence(
                f"Due in advance is {_percent(step, phrases)} of {of}. It moves nothing.",
                f"{spec.percent}",
            )
        case "figure":
            where = "one for the order" if step.level.name == "HEADER" else "one for each line"
            places = f", with {spec.places} decimal places" if spec.places is not None else ""
            yield Sentence(
                f"It is {phrases.of(step.parts['value'])} ({where}{places}). It moves no money.", f"{spec.value}"
            )
        case "subtotal":
            yield Sentence("This is what a line comes to so far.")
        case _:
            yield Sentence(f"{step.way.describe(spec)}.")
    yield from _limits(step, phrases)


def _price(step: Step, phrases: Phrases) -> Iterator[Sentence]:
    yield Sentence("The price of a line is its manual price, where one is typed.")
    for option in step.options:
        base = f" for so many units as {phrases.of(option.base)} says" if option.base is not None else ""
        formula = option.value.written + (f" per {option.base.written}" if option.base is not None else "")
        yield Sentence(f"Else it is {phrases.of(option.value)}{base}, where that is not blank.", formula)
    yield Sentence("The amount of a line is its price times its quantity.")
    yield Sentence("A line without any of these has no price, and the order no total: that is an error.")


def _adjustment(step: Step, phrases: Phrases) -> Iterator[Sentence]:
    spec = step.definition
    verb, past = ("Take off", "taken off") if step.sign < 0 else ("Add", "added")
    if spec.percent is not None:
        of = f"of {spec.of.replace('_', ' ')}" if spec.of else "of what the line comes to so far"
        yield Sentence(f"{verb} {_percent(step, phrases)} {of}.", f"{spec.percent} % {of}")
    elif spec.amount is not None:
        yield Sentence(f"{verb} {phrases.of(step.parts['amount'])}.", f"{spec.amount}")
    else:
        yield Sentence(f"For each unit, {past} is {phrases.of(step.parts['per_unit'])}.", f"{spec.per_unit}")
    if spec.over != "line":
        share = phrases.part(step, "share") if spec.share is not None else "what each comes to"
        where = f" where {phrases.condition(step.parts['where'])}" if spec.where is not None else ""
        said = f"It is worked out {OVER[spec.over]}, and shared over the lines{where} by {share}."
        yield Sentence(said, "; ".join(str(each) for each in (spec.share, spec.where) if each is not None))
        yield Sentence(
            "Each part is cut to whole units of the currency; those left over go, one each, to the lines with the "
            "largest remainders, of equal ones to the first."
        )
        none = "it is shared equally" if spec.if_no_share == "equal" else "the order has no total: that is an error"
        yield Sentence(f"Where all of these are 0, {none}.")


def _tax(step: Step, routine: Routine, phrases: Phrases) -> Iterator[Sentence]:
    spec = step.definition
    per = "for each category and rate of the order" if routine.definition.tax_per == "document" else "on each line"
    also = f", and of {' and '.join(spec.on_top_of)}" if spec.on_top_of else ""
    said = f"The tax is {_percent(step, phrases)} of the amount without tax{also}, rounded {per}."
    yield Sentence(said, f"{spec.percent} %")
    if spec.category is not None:
        yield Sentence(f"Its category is {phrases.of(step.parts['category'])}.", f"{spec.category}")
    if spec.reason is not None:
        yield Sentence(f"Why no tax is due says {phrases.of(step.parts['reason'])}.", f"{spec.reason}")


def _limits(step: Step, phrases: Phrases) -> Iterator[Sentence]:
    spec = step.definition
    if spec.when is not None:
        yield Sentence(f"Only where {phrases.condition(step.parts['when'])}.", f"{spec.when}")
    if spec.cap is not None:
        yield Sentence(f"It comes to at most {phrases.of(step.parts['cap'])}.", f"{spec.cap}")
    if spec.keep_above is not None:
        yield Sentence(f"What is left is never below {phrases.of(step.parts['keep_above'])}.", f"{spec.keep_above}")
    if spec.best_of is not None:
        yield Sentence(f"Of all steps for ‘{spec.best_of}’ only the largest counts.")
    if step.way.is_amount and (spec.rounding is not None or spec.places is not None):
        to = "the places of the currency" if spec.places is None else f"{spec.places} decimal places"
        yield Sentence(f"It is rounded {step.rounding} to {to}.")


def _percent(step: Step, phrases: Phrases) -> str:
    said = phrases.part(step, "percent")
    return f"{said} %" if step.parts["percent"].root.role == LITERAL else f"so many percent as {said} says,"


def routine_figure(name: str, routine: Routine) -> str:
    """A figure of a routine in words."""
    step = routine.step(name)
    return step.definition.shown if step is not None else name.replace("_", " ")
