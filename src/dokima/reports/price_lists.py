"""Price lists as people read them: what is agreed, what comes on top, what ends soon."""

from __future__ import annotations

import datetime
from typing import Any

from dokima.explaining.price_list import OnTop, PriceList, PriceRow
from dokima.reports.formatting import number
from dokima.reports.language import _, told
from dokima.reports.paper import Column, Paper, Row, Section, paper_in
from dokima.reports.translations import Wording


def price_list_paper(prices: PriceList, words: Wording) -> Paper:
    """The prices, other terms of the party, and what an item is made of."""
    sections = [_prices(prices, words)]
    if prices.terms:
        columns = [Column(_("term")), Column(_("value"), wide=True), Column(_("row"), wide=True), Column(_("until"))]
        rows = [
            Row([each.label, _named(each.values), f"{each.where.label} {each.where.place}", each.where.valid_until])
            for each in prices.terms
        ]
        sections.append(Section(_("other terms"), columns, rows))
    if prices.components:
        columns = [Column(words["item"]), *(Column(_(word), "number") for word in ("quantity", "each", "value"))]
        rows = [
            Row([f"{'  ' * node.depth}{node.item}", node.quantity, node.each, node.value])
            for node in prices.components[1:]
        ]
        if beyond := prices.components[-1].beyond:
            rows.append(
                Row([_("and {count} more components").format(count=number(beyond)), None, None, None], "detail")
            )
        sections.append(Section(_("made of"), columns, rows))
    left_out = dict.fromkeys(f"{row.party}: {step}" for row in prices.rows for step in row.left_out)
    both = sum(row.is_both for row in prices.rows)
    soon = sum(row.ends_soon(prices.date) for row in prices.rows)
    facts = {
        _("agreed price and a discount on top"): str(both) if both else None,
        _("end within 60 days"): str(soon) if soon else None,
        _("left out, as it depends on who buys"): "; ".join(left_out) or None,
    }
    return paper_in(
        words,
        title=_("Prices: {title}").format(title=_titled(prices)),
        subtitle=number(prices.date),
        facts=facts,
        sections=sections,
        currency=prices.currency,
    )


def _titled(prices: PriceList) -> str:
    """Whose prices they are, with the name."""
    name = (
        prices.rows[0].name
        if prices.rows and not prices.by_party
        else prices.rows[0].description
        if prices.rows
        else ""
    )
    return f"{prices.title} {name}".strip()


def _prices(prices: PriceList, words: Wording) -> Section:
    who = [Column(words["party"]), Column(words["name"], spare=5)] if prices.by_party else []
    what = [] if prices.by_party else [Column(words["item"]), Column(words["description"], spare=5)]
    columns = [
        *who,
        *what,
        Column(_("from"), "number"),
        Column(words["unit"]),
        Column(_("list"), "number", spare=4),
        Column(_("price"), "number"),
        Column(_("discount"), wide=True),
        Column(_("net each"), "number"),
        Column(_("where from"), spare=2),
        Column(_("until"), spare=3),
        Column(""),
    ]
    # Text columns stand before figures in a table that fits a terminal, so all are texts but what is aligned.
    rows = [
        Row(_cells(row, before, prices), _mark(row))
        for row, before in zip(prices.rows, [None, *prices.rows], strict=False)
    ]
    return Section("", columns, rows, _("nothing has a price"))


def _cells(row: PriceRow, before: PriceRow | None, prices: PriceList) -> list[Any]:
    again = before is not None and (before.party, before.item) == (row.party, row.item)
    head = (row.party, row.name) if prices.by_party else (row.item, row.description)
    return [
        *("" if again else each for each in head),
        row.quantity if row.above is None else _("above {quantity}").format(quantity=number(row.above)),
        row.unit,
        row.list_price,
        row.price,
        "; ".join(_discount(each) for each in row.discounts),
        row.net_each,
        _source(row),
        row.valid_until,
        _remark(row, prices.date),
    ]


def _source(row: PriceRow) -> str:
    """The row that gives the price, the folder of its file left out; what gives it where no table was asked."""
    if row.where is None:
        return told(row.source)
    place = _("row {row}").format(row=row.where.row)
    return f"{row.where.file.rpartition('/')[2] or row.where.label} {place}"


def _discount(each: OnTop) -> str:
    return f"{number(each.percent)} %" if each.percent is not None else f"{number(each.amount)} {each.label}"


def _mark(row: PriceRow) -> str:
    return "total" if row.is_both else "follows" if row.is_agreed else ""


def _remark(row: PriceRow, today: datetime.date) -> str:
    said = [_("agreed")] if row.is_agreed else []
    if row.is_both:
        said = [_("agreed + discount")]
    end = row.valid_until
    if end is not None and row.ends_soon(today):
        said.append(_("ends in {days} days").format(days=(end - today).days))
    return ", ".join(said)


def _named(values: Any) -> str:
    return ", ".join(f"{name.replace('_', ' ')} {number(value)}" for name, value in values.items())
