"""The steps of a routine as sentences."""

from __future__ import annotations

from collections.abc import Iterator

from dokima.explaining import words
from dokima.explaining.phrases import Phrases
from dokima.formulas.tree import LITERAL
from dokima.model.validity import Validity
from dokima.pricing.steps.routine import OWN_TAX, Routine, Step
from dokima.reports.language import N_, _, told
from dokima.reports.specification.content import Sentence
from dokima.reports.specification.speech import value_text

ROUNDED = {
    "half-up": N_("rounded half-up"), "half-even": N_("rounded half-even"), "half-down": N_("rounded half-down"),
    "up": N_("rounded up"), "down": N_("rounded down"), "ceiling": N_("rounded ceiling"), "floor": N_("rounded floor"),
}  # fmt: skip
"""Rounding modes by their names."""
OVER = {"order": N_("once for the order"), "parent": N_("once for each line that has sub-lines")}


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
            of = routine_figure(spec.of, routine) if spec.of else _("the total with tax")
            said = _("Due in advance is {percent} of {of}. It moves nothing.")
            yield Sentence(said.format(percent=_percent(step, phrases), of=of), f"{spec.percent}")
        case "figure":
            where = _("one for the order") if step.level.name == "HEADER" else _("one for each line")
            if spec.places is not None:
                where += _(", with {places} decimal places").format(places=spec.places)
            said = _("It is {value} ({where}). It moves no money.")
            yield Sentence(said.format(value=phrases.of(step.parts["value"]), where=where), f"{spec.value}")
        case "subtotal":
            yield Sentence(_("This is what a line comes to so far."))
        case _:
            yield Sentence(f"{step.way.describe(spec)}.")
    yield from _limits(step, phrases)


def _price(step: Step, phrases: Phrases) -> Iterator[Sentence]:
    yield Sentence(_("The price of a line is its manual price, where one is typed."))
    for option in step.options:
        base = ""
        if option.base is not None:
            base = _(" for so many units as {base} says").format(base=phrases.of(option.base))
        formula = option.value.written + (f" per {option.base.written}" if option.base is not None else "")
        said = _("Else it is {value}{base}, where that is not blank.")
        yield Sentence(said.format(value=phrases.of(option.value), base=base), formula)
    yield Sentence(_("The amount of a line is its price times its quantity."))
    yield Sentence(_("A line without any of these has no price, and the order no total: that is an error."))


def _adjustment(step: Step, phrases: Phrases) -> Iterator[Sentence]:
    spec = step.definition
    off = step.sign < 0
    if spec.percent is not None:
        of = spec.of.replace("_", " ") if spec.of else _("what the line comes to so far")
        said = _("Take off {percent} of {of}.") if off else _("Add {percent} of {of}.")
        formula = f"{spec.percent} % of {spec.of.replace('_', ' ') if spec.of else 'what the line comes to so far'}"
        yield Sentence(said.format(percent=_percent(step, phrases), of=of), formula)
    elif spec.amount is not None:
        said = _("Take off {amount}.") if off else _("Add {amount}.")
        yield Sentence(said.format(amount=phrases.of(step.parts["amount"])), f"{spec.amount}")
    else:
        said = _("For each unit, taken off is {amount}.") if off else _("For each unit, added is {amount}.")
        yield Sentence(said.format(amount=phrases.of(step.parts["per_unit"])), f"{spec.per_unit}")
    if spec.over != "line":
        share = phrases.part(step, "share") if spec.share is not None else _("what each comes to")
        lines = _("the lines")
        if spec.where is not None:
            lines = told(words.WHERE).format(lines, phrases.condition(step.parts["where"]))
        said = _("It is worked out {over}, and shared over {lines} by {share}.")
        formula = "; ".join(str(each) for each in (spec.share, spec.where) if each is not None)
        yield Sentence(said.format(over=_(OVER[spec.over]), lines=lines, share=share), formula)
        yield Sentence(
            _(
                "Each part is cut to whole units of the currency; those left over go, one each, to the lines with the "
                "largest remainders, of equal ones to the first."
            )
        )
        if spec.if_no_share == "equal":
            yield Sentence(_("Where all of these are 0, it is shared equally."))
        else:
            yield Sentence(_("Where all of these are 0, the order has no total: that is an error."))
    yield from _own_tax(step, phrases)


def _tax(step: Step, routine: Routine, phrases: Phrases) -> Iterator[Sentence]:
    spec = step.definition
    also = _(", and of {taxes}").format(taxes=phrases.series(spec.on_top_of)) if spec.on_top_of else ""
    if routine.definition.tax_per == "document":
        said = _(
            "The tax is {percent} of the amount without tax{also}, rounded for each category and rate of the order."
        )
    else:
        said = _("The tax is {percent} of the amount without tax{also}, rounded on each line.")
    yield Sentence(said.format(percent=_percent(step, phrases), also=also), f"{spec.percent} %")
    yield from _category(step, phrases)


def _own_tax(step: Step, phrases: Phrases) -> Iterator[Sentence]:
    """The tax of a discount's or charge's own amount."""
    own = step.definition.tax
    if own is None:
        return
    said = _("Its amount has a tax of its own: {percent} of it, whatever its line is taxed with.")
    yield Sentence(said.format(percent=_percent(step, phrases, OWN_TAX)), f"{own.percent} %")
    yield Sentence(_("That tax is part of {tax}.").format(tax=phrases.series(step.joins[:1])))
    if step.joins[1:]:
        said = _("It bears {taxes} too, as its line does.")
        yield Sentence(said.format(taxes=phrases.series(step.joins[1:])))
    yield from _category(step, phrases, OWN_TAX)


def _category(step: Step, phrases: Phrases, of: str = "") -> Iterator[Sentence]:
    """The category of a tax, and why none is due."""
    category, reason = step.parts.get(f"{of}category"), step.parts.get(f"{of}reason")
    if category is not None:
        said = _("Its category is {category}.")
        yield Sentence(said.format(category=phrases.of(category)), category.written)
    if reason is not None:
        said = _("Why no tax is due says {reason}.")
        yield Sentence(said.format(reason=phrases.of(reason)), reason.written)


def _limits(step: Step, phrases: Phrases) -> Iterator[Sentence]:
    spec = step.definition
    if spec.valid is not None:
        yield validity_sentence(spec.valid)
    if spec.when is not None:
        said = _("Only where {condition}.")
        yield Sentence(said.format(condition=phrases.condition(step.parts["when"])), f"{spec.when}")
    if spec.cap is not None:
        yield Sentence(_("It comes to at most {cap}.").format(cap=phrases.of(step.parts["cap"])), f"{spec.cap}")
    if spec.keep_above is not None:
        said = _("What is left is never below {least}.")
        yield Sentence(said.format(least=phrases.of(step.parts["keep_above"])), f"{spec.keep_above}")
    if spec.best_of is not None:
        yield Sentence(_("Of all steps for ‘{target}’ only the largest counts.").format(target=spec.best_of))
    if step.way.is_amount and (spec.rounding is not None or spec.places is not None):
        mode = _(ROUNDED[step.rounding])
        if spec.places is None:
            yield Sentence(_("It is {rounded} to the places of the currency.").format(rounded=mode))
        else:
            said = _("It is {rounded} to {places} decimal places.")
            yield Sentence(said.format(rounded=mode, places=spec.places))


def _percent(step: Step, phrases: Phrases, of: str = "") -> str:
    said = phrases.part(step, f"{of}percent")
    if step.parts[f"{of}percent"].root.role == LITERAL:
        return f"{said} %"
    return _("so many percent as {value} says,").format(value=said)


def validity_sentence(valid: Validity) -> Sentence:
    """From when until when something counts."""
    if valid.start is None:
        said = _("It counts until {until}, by the date of the order.")
    elif valid.until is None:
        said = _("It counts from {start} on, by the date of the order.")
    else:
        said = _("It counts from {start} to {until}, by the date of the order.")
    start, until = (None if each is None else value_text(each) for each in (valid.start, valid.until))
    return Sentence(said.format(start=start, until=until), str(valid))


def routine_figure(name: str, routine: Routine) -> str:
    """A figure of a routine in words."""
    step = routine.step(name)
    return step.definition.shown if step is not None else name.replace("_", " ")
