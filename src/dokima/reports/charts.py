"""Charts, drawn with Matplotlib without a screen: the waterfall of an amount, and a price by quantity."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from pathlib import Path
from textwrap import wrap
from typing import TYPE_CHECKING, Any

from dokima.changes.variance import Variance
from dokima.errors import DokimaError
from dokima.explaining.explanation import Explanation, QuantityPrice
from dokima.formats.whole_files import whole_file
from dokima.pricing.calculation.calculation import PricedLine, PricedOrder
from dokima.reports.bars import Bar, line_bars, order_bars
from dokima.reports.extras import needed
from dokima.reports.formatting import number, signed
from dokima.reports.language import _, speaking

if TYPE_CHECKING:
    from matplotlib.axes import Axes

COLOURS = {
    "price": "#23475b",
    "subtotal": "#23475b",
    "total": "#0f2b39",
    "discount": "#b4552d",
    "charge": "#7d9b3c",
    "tax": "#8a8d91",
    "advance": "#8a8d91",
}
"""Glass blue for what stands, rust for what is taken, moss for what is added, grey for tax."""
_INK, _FAINT = "#1d2326", "#c9ced1"
FORMATS = (".png", ".svg", ".pdf")
MANY = 12
"""Bars from which on they are narrower and their labels smaller."""


def draw_waterfall(
    bars: Sequence[Bar], title: str, currency: str, target: Path, *, start: Decimal | None = None
) -> None:
    """Draw a waterfall, one bar a step.

    Args:
        bars: The bars.
        title: Heading of the chart.
        currency: Currency code, for the axis.
        target: File to write: PNG, SVG or PDF by its ending.
        start: Where the axis starts, which the chart then says; at 0 if None.

    Raises:
        DokimaError: The file cannot be written.
    """
    each = 1.05 if len(bars) <= MANY else 0.8
    figure, axes = _sheet(target, min(max(7.0, each * len(bars) + 1.5), 40.0), title, currency)
    before = Decimal(0)
    for at, bar in enumerate(bars):
        ground = start or Decimal(0)
        bottom, height = (ground, bar.amount - ground) if bar.is_level else (before, bar.amount)
        axes.bar(at, float(height), bottom=float(bottom), width=0.62, color=COLOURS[bar.kind], zorder=3)
        if at:
            axes.plot([at - 1 + 0.31, at - 0.31], [float(before)] * 2, color=_INK, linewidth=0.7, zorder=2)
        top = max(float(bottom), float(bottom + height))
        text = number(bar.amount) if bar.is_level else signed(bar.amount)
        axes.annotate(text, (at, top), (0, 4), textcoords="offset points", ha="center", fontsize=9, color=_INK)
        before = bar.level
    axes.axhline(float(start or 0), color=_INK, linewidth=0.8, zorder=4)
    axes.margins(y=0.12)
    if start:
        highest = max(max(bar.level, bar.level - (Decimal(0) if bar.is_level else bar.amount)) for bar in bars)
        axes.set_ylim(float(start), float(highest + (highest - start) * Decimal("0.12")))
        said = _("The axis starts at {amount}, so that the change can be seen.").format(amount=number(start))
        axes.set_xlabel(said, fontsize=8.5, color=_INK, loc="left", labelpad=8)
    axes.set_xticks(range(len(bars)), [_wrapped(bar.label) for bar in bars], fontsize=9 if len(bars) <= MANY else 7.5)
    _save(figure, axes, target)


def draw_price_steps(rungs: Sequence[QuantityPrice], explanation: Explanation, target: Path) -> None:
    """Draw what one unit costs by quantity: the unit price, and the net of one unit after discounts and charges.

    Raises:
        DokimaError: No quantity has a price, or the file cannot be written.
    """
    known = [rung for rung in rungs if rung.price is not None and rung.net_each is not None]
    if not known:
        raise DokimaError("there is no price at any quantity, so there is nothing to draw")
    title = _("{item}: price by quantity").format(item=explanation.title)
    figure, axes = _sheet(target, 8.0, title, explanation.currency)
    quantities = [float(rung.quantity) for rung in known]
    last = quantities[-1] * 1.25
    for name, colour in (("price", COLOURS["price"]), ("net_each", COLOURS["discount"])):
        values = [float(getattr(rung, name)) for rung in known]
        label = _("unit price") if name == "price" else _("net of one unit")
        axes.step([*quantities, last], [*values, values[-1]], where="post", color=colour, linewidth=2, label=label)
        axes.plot(quantities, values, "o", color=colour, markersize=4)
        place, last_said = ((3, -12), "") if name == "price" else ((3, 6), "")
        for quantity, value, rung in zip(quantities, values, known, strict=True):
            said = number(round(getattr(rung, name), 2) if name == "net_each" else getattr(rung, name))
            if said != last_said:
                axes.annotate(said, (quantity, value), place, textcoords="offset points", fontsize=8, color=colour)
            last_said = said
    if explanation.quantity is not None:
        axes.axvline(float(explanation.quantity), color=_FAINT, linewidth=1.5, zorder=1)
        top = (float(explanation.quantity), 1.0)
        said = ": ".join([_("asked for"), number(explanation.quantity)])
        axes.annotate(said, top, (4, -12), xycoords=("data", "axes fraction"), textcoords="offset points", fontsize=8)
    axes.set_xlabel(_("quantity"), color=_INK)
    axes.margins(y=0.4)
    axes.legend(frameon=False, loc="best", fontsize=9)
    _save(figure, axes, target)


def draw_bridge(variance: Variance, title: str, target: Path) -> None:
    """Draw the way from the original total to the new one, line by line, then tax.

    Args:
        variance: The variance of one order.
        title: Heading of the chart.
        target: File to write.

    Raises:
        DokimaError: A total is unknown, or the file cannot be written.
    """
    (totals,) = variance.totals().values()
    before, after = totals["with_tax"].before, totals["with_tax"].after
    if before is None or after is None:
        raise DokimaError(f"a total of {title} is unknown, so there is nothing to draw")
    bars = [Bar("before", _("original"), "price", before, before)]
    for line in variance.lines():
        moved = line.figures["without_tax"].variance
        if moved:
            kind = "charge" if moved > 0 else "discount"
            bars.append(Bar(line.line, f"{line.line} {line.item or ''}".strip(), kind, moved, bars[-1].level + moved))
    tax = totals["tax"].variance or Decimal(0)
    bars.append(Bar("tax", _("tax"), "tax", tax, bars[-1].level + tax))
    bars.append(Bar("after", _("new total"), "total", after, after))
    start = _start([bar.level for bar in bars])
    draw_waterfall(bars, title, PricedOrder(variance.after, 0).header("currency") or "", target, start=start)


def _start(levels: Sequence[Decimal]) -> Decimal | None:
    """Where an axis starts so that a change can be seen: a round amount below all levels; None to start at 0.

    A change that is at least a third of the largest level is seen from 0.
    """
    least, most = min(levels), max(levels)
    moved = most - least
    if least <= 0 or not moved or moved * 3 >= most:
        return None
    step = Decimal(1).scaleb(moved.adjusted())
    start = (least - moved) // step * step
    return start if start > 0 else None


def _sheet(target: Path, width: float, title: str, currency: str) -> tuple[Any, Axes]:
    if target.suffix.lower() not in FORMATS:
        raise DokimaError(f"expected a chart file ending in .png, .svg or .pdf (got '{target.name}')")
    figure = needed("matplotlib.figure", "charts", "charts").Figure(figsize=(width, 4.6), dpi=110, layout="constrained")
    axes = figure.add_subplot()
    # A title that is longer than the chart is wide stands on several lines.
    axes.set_title("\n".join(wrap(title, int(width * 10.5))), loc="left", fontsize=12, color=_INK)
    axes.set_ylabel(currency, color=_INK)
    return figure, axes


def _wrapped(label: str) -> str:
    """Words of a label one below the other where they are long; a long word is cut."""
    return "\n".join(each if len(each) <= 14 else f"{each[:13]}…" for each in wrap(label, 11, break_long_words=False))


def _save(figure: Any, axes: Axes, target: Path) -> None:
    axes.grid(axis="y", color=_FAINT, linewidth=0.6, zorder=0)
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    axes.tick_params(length=0, colors=_INK)
    axes.yaxis.set_major_formatter(lambda value, _place: number(Decimal(f"{value:.10g}")))
    form = target.suffix.lower().removeprefix(".")
    with whole_file(target) as beside:
        figure.savefig(beside, metadata={"Software": None} if form == "png" else None, format=form)


def draw(
    result: Any,
    path: str | Path,
    *,
    locale: str = "",
    explanation: Explanation | None = None,
) -> Path:
    """Draw a result as a chart.

    Args:
        result: A `PricedOrder` or `PricedLine`, whose steps become a waterfall; a `Variance` of one order or a
            `ChangeOrder`, from the original total to the new one; or the quantities and prices of `price_line`.
        path: File to write: PNG, SVG or PDF by its ending.
        locale: Locale such as ``de_DE``; that of the rulebook, if the result knows it, where blank.
        explanation: With quantities, the explanation that `price_line` gave beside them.

    Returns:
        The file.

    Raises:
        DokimaError: There is no chart of such a thing, a figure it needs is unknown, or the file cannot be written.
    """
    target = Path(path)
    with speaking(locale):
        if isinstance(result, PricedLine):
            order = result.order
            item = " ".join(part for name in ("item", "description") if (part := result.field(name)))
            title = f"{order.number} line {result.number}   {item}".strip()
            draw_waterfall(line_bars(result), title, order.header("currency") or "", target)
        elif isinstance(result, PricedOrder):
            draw_waterfall(order_bars(result), result.number, result.header("currency") or "", target)
        elif isinstance(result, Variance):
            draw_bridge(result, PricedOrder(result.after, 0).number, target)
        elif hasattr(result, "variance") and hasattr(result, "baseline"):
            draw_bridge(result.variance(), result.number, target)
        elif explanation is not None:
            draw_price_steps(list(result), explanation, target)
        else:
            raise DokimaError(f"there is no chart of a {type(result).__name__}")
    return target
