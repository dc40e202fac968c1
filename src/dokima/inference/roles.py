"""Which columns are the order's and which the line's, and what each of them is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any, NamedTuple

from dokima.inference.arithmetic import ENOUGH, Identity, Numbers, prove
from dokima.inference.line_numbers import begins_anew, is_deep, line_number, line_numbers
from dokima.inference.order_totals import find_totals, of_orders
from dokima.inference.profiles import MOST_OF, FileProfile, Profile
from dokima.inference.taxes import TaxIdentity, prove_tax
from dokima.inference.words import CURRENCIES, best, plain, suggests

TELLING = 30
"""Orders of several lines from which on what they have in common is taken for their header."""
MOST_NUMBERS = 12
"""Columns of numbers that are tried against each other."""


@dataclass(frozen=True)
class Role:
    """What a column is.

    Attributes:
        heading: The column.
        level: ``header`` or ``line``.
        name: The field.
        why: What speaks for it.
    """

    heading: str
    level: str
    name: str
    why: str


@dataclass
class Roles:
    """What the columns of an export are.

    Attributes:
        number: The heading of the order number.
        groups: For each row the place of its order.
        count: How many orders there are.
        several: How many of them have several lines.
        roles: The roles.
        is_linked: Whether headers and lines stand in two files, which may have headings in common.
        identity: What the amounts obey; None where nothing was proved.
        tax: The rate of tax that lines obey; None where nothing was proved.
        tax_per: Whether totals have the tax of the document, or that of its lines.
        tax_percent: The one rate that the tax of orders is of their amounts; None where nothing was proved.
        has_levels: Whether lines are numbered as in a bill of quantities, 01.02 below 01.
    """

    number: str
    groups: Sequence[int]
    count: int
    several: int
    roles: list[Role] = field(default_factory=list)
    is_linked: bool = False
    identity: Identity | None = None
    tax: TaxIdentity | None = None
    tax_per: str = "document"
    tax_percent: Decimal | None = None
    has_levels: bool = False

    @property
    def has_tax(self) -> bool:
        """Whether a rate of tax on top of the amounts is known, of lines or of all orders."""
        return self.tax is not None or self.tax_percent is not None

    def of(self, level: str) -> dict[str, Role]:
        """The roles of a level by field."""
        return {role.name: role for role in self.roles if role.level == level}

    def role(self, heading: str, level: str) -> Role | None:
        """The role of a column; in one file whatever its level."""
        mine = [each for each in self.roles if each.heading == heading]
        return next((each for each in mine if each.level == level or not self.is_linked), None)

    def heading(self, level: str, name: str) -> str:
        """The column of a field, blank if there is none."""
        role = self.of(level).get(name)
        return role.heading if role is not None else ""

    def put(self, heading: str, level: str, name: str, why: str) -> None:
        """Say what a column is, unless that is known already or somebody else is it."""
        if heading and self.role(heading, level) is None and name not in self.of(level):
            self.roles.append(Role(heading, level, name, why))


def flat_roles(file: FileProfile, prices: FileProfile | None = None) -> Roles | None:
    """The roles of a flat file, in which the header is repeated on each line; None if no column tells orders apart."""
    columns = file.columns
    number, groups = _order_number(columns)
    if not number:
        return None
    count = max(groups, default=-1) + 1
    sizes = [0] * count
    for group in groups:
        sizes[group] += 1
    several = sum(1 for size in sizes if size > 1)
    roles = Roles(number, groups, count, several)
    said = f"{len(columns[number].counts)} different in {len(groups)} rows, and what repeats repeats with it"
    roles.put(number, "header", "number", said)
    same = [name for name in columns if name != number and is_constant(columns[name].cells, groups)]
    if not several:  # nothing repeats: whatever words say is all there is
        same = [name for name in same if any(suggests(name, what) == 3 for what in _HEADER_WORDS)]
    # What every line there is has in common may still be the line's, such as a unit of which there is only one, and a
    # quantity is always one of a line.
    same = [name for name in same if not any(suggests(name, what) == 3 for what in (*_LINE_WORDS, "quantity"))]
    lines = [name for name in columns if name not in same and name != number]
    _header(roles, file, same)
    _lines(roles, file, lines, same, prices)
    find_totals(roles, file, {n: of_orders(roles, file.numbers(n)) for n in same if file.columns[n].is_number})
    return roles


def linked_roles(
    headers: FileProfile, lines: FileProfile, prices: FileProfile | None = None
) -> tuple[Roles, str] | None:
    """The roles of two files, and the column of the lines that names the order; None if none links them."""
    keys = [name for name, each in headers.columns.items() if _is_key(each)]
    links = []
    for name, each in lines.columns.items():
        for key in keys:
            known = {str(cell) for cell in headers.columns[key].filled}
            mine = [str(cell) for cell in each.filled]
            if mine and len(mine) == len(each.cells) and set(mine) <= known:
                # Every link must lead to an order, and most orders have a line.
                links.append(
                    (len(set(mine)), suggests(key, "header.number") + suggests(name, "header.number"), key, name)
                )
    if not links:
        return None
    _, _, number, link = max(links)
    place = {str(cell): at for at, cell in enumerate(headers.columns[number].cells)}
    groups = [place[str(cell)] for cell in lines.columns[link].cells]
    sizes = [0] * len(place)
    for group in groups:
        sizes[group] += 1
    roles = Roles(number, groups, len(place), sum(1 for size in sizes if size > 1), is_linked=True)
    roles.put(number, "header", "number", f"each once in {len(place)} rows, and every line names one of them")
    _header(roles, headers, [name for name in headers.columns if name != number])
    _lines(roles, lines, [name for name in lines.columns if name != link], [], prices)
    find_totals(roles, lines, {name: headers.numbers(name) for name, each in headers.columns.items() if each.is_number})
    return roles, link


_LINE_WORDS = ("line.unit", "line.item", "line.description")
_HEADER_WORDS = ("header.date", "header.customer", "header.supplier", "header.currency", "header.kind")


def _is_key(each: Profile) -> bool:
    return len(each.filled) == len(each.cells) == len(each.counts) and each.kind != "decimal"


def _order_number(columns: Mapping[str, Profile]) -> tuple[str, list[int]]:
    """The column that most others follow: what repeats in it repeats in them."""
    found: list[_Candidate] = []
    telling = {name for name, mine in columns.items() if len(mine.counts) > 1}
    counting = {name: numbers for name, each in columns.items() if (numbers := line_numbers(each)) is not None}
    for at, (name, each) in enumerate(columns.items()):
        if each.kind in ("decimal", "date", "flag") or len(each.filled) < len(each.cells) or len(each.counts) < 2:
            continue
        if is_deep(counting.get(name, ())):
            continue  # what belongs to 01.02 has that in common, but it is no order
        groups = _groups(each.cells)
        if len(each.counts) == len(each.cells):
            follow = 0
        else:
            follow = sum(1 for other in telling - {name} if is_constant(columns[other].cells, groups))
            follow += sum(1 for other in counting if other != name and begins_anew(counting[other], groups))
        said = suggests(name, "header.number")
        # Of few rows much follows by chance, an item from an amount, and always a price from an item; a heading that
        # says what it is decides then. If every order has one line, or an export says nothing of orders but their
        # numbers, nothing follows; its rows stand together, as those of what is only called so do not.
        together = groups == sorted(groups)
        is_told = said == 3 and (follow > 0 or (together and plain(name) not in _OF_ROWS))
        found.append(_Candidate(is_told, together and follow > 0, follow, said, -at, name, groups))
    if not found:
        return "", []
    best_one = max(found)
    if not best_one.follow:  # every order has one line: only words can tell
        best_one = max(found, key=lambda each: (each.said, each.place))
        if not best_one.said:
            return "", []
    return best_one.name, best_one.groups


class _Candidate(NamedTuple):
    """A column that may tell orders apart; what speaks for it comes in the sequence in which it counts.

    Attributes:
        is_told: Its heading is the very word, and nothing speaks against that.
        together: Its rows stand together and others follow from it. More may follow from an item than from an order,
            but rows of an item stand all over a file.
        follow: How many other columns have one value wherever it has one.
        said: How strongly its heading suggests the number of an order, as `suggests` says.
        place: The further to the left the higher, 0 for the first column.
        name: The heading.
        groups: For each row the number of its order.
    """

    is_told: bool
    together: bool
    follow: int
    said: int
    place: int
    name: str
    groups: list[int]


_OF_ROWS = ("no", "nr", "nummer")
"""What a running number of rows is called as often as that of an order."""


def _groups(cells: Sequence[Any]) -> list[int]:
    places: dict[Any, int] = {}
    return [places.setdefault(str(cell), len(places)) for cell in cells]


def is_constant(cells: Sequence[Any], groups: Sequence[int]) -> bool:
    """Whether the lines of an order have a value in common, of many orders in nearly all of them."""
    seen: dict[int, set[Any]] = {}
    sizes: dict[int, int] = {}
    for group, cell in zip(groups, cells, strict=True):
        seen.setdefault(group, set()).add(cell)
        sizes[group] = sizes.get(group, 0) + 1
    several = [group for group, size in sizes.items() if size > 1]
    same = sum(1 for group in several if len(seen[group]) == 1)
    return same == len(several) if len(several) < TELLING else same >= MOST_OF * len(several)


def _determines(one: Sequence[Any], other: Sequence[Any]) -> bool:
    """Whether a value of one column always goes with the same value of the other."""
    first: dict[Any, Any] = {}
    return all(first.setdefault(mine, theirs) == theirs for mine, theirs in zip(one, other, strict=True))


def _follows(one: Sequence[Any], other: Sequence[Any]) -> float:
    """For which share of the values of one column the other always has the same value."""
    seen: dict[Any, set[Any]] = {}
    for mine, theirs in zip(one, other, strict=False):
        seen.setdefault(mine, set()).add(theirs)
    return sum(len(each) == 1 for each in seen.values()) / max(1, len(seen))


# -- header ---------------------------------------------------------------------------------------------------------


def _header(roles: Roles, file: FileProfile, names: Sequence[str]) -> None:
    columns = {name: file.columns[name] for name in names}
    said = f"the same on all lines of {roles.several} orders that have several" if roles.several else "by its heading"
    dates = [name for name, each in columns.items() if each.kind == "date"]
    roles.put(best(dates, "header.date"), "header", "date", f"a date, {said}" if dates else "")
    for name, each in columns.items():
        if each.kind == "text" and each.filled and all(_is_currency(value) for value in each.counts):
            roles.put(name, "header", "currency", "codes of ISO 4217")
    texts = [
        name
        for name, each in columns.items()
        if each.kind in ("text", "integer") and roles.role(name, "header") is None
    ]
    for what in ("customer", "supplier"):
        ranked = [name for name in texts if suggests(name, f"header.{what}")]
        codes = [name for name in ranked if _is_code_like(columns[name])] or ranked
        roles.put(best(codes, f"header.{what}"), "header", what, f"{said}; its heading says so")
    if "customer" not in roles.of("header") and "supplier" not in roles.of("header"):
        codes = [name for name in texts if _is_code_like(columns[name]) and 1 < len(columns[name].counts) < roles.count]
        # Whose heading says that it is a price is no customer.
        codes = [name for name in codes if not any(suggests(name, role) == 3 for role in _OF_AMOUNTS)]
        roles.put(codes[0] if codes else "", "header", "customer", f"codes that come back in several orders, {said}")
    roles.put(_strong(texts, "header.requested_by"), "header", "requested_by", f"{said}; its heading says so")


def _strong(names: Sequence[str], what: str) -> str:
    return best([name for name in names if suggests(name, what) == 3], what)


def _is_currency(value: Any) -> bool:
    return isinstance(value, str) and value in CURRENCIES


def _is_code_like(each: Profile) -> bool:
    """Whether texts are short and have no spaces, as codes do."""
    texts = [str(value) for value in each.counts]
    return bool(texts) and sum(len(text) <= 16 and " " not in text.strip() for text in texts) >= 0.9 * len(texts)


# -- lines ----------------------------------------------------------------------------------------------------------


def _lines(
    roles: Roles, file: FileProfile, names: Sequence[str], same: Sequence[str], prices: FileProfile | None
) -> None:
    columns = {name: file.columns[name] for name in names}
    if (found := line_number(columns, roles.groups)) is not None:
        roles.put(found.heading, "line", "number", found.why)
        roles.has_levels = found.is_address
    numeric = [
        n for n, each in columns.items() if each.is_number and roles.role(n, "line") is None and len(each.filled) > 1
    ]
    # A base or a rate may be the same on every line there is, and looks like one of the header's.
    numeric += [n for n in same if file.columns[n].is_number and roles.role(n, "line") is None and n != roles.number]
    numeric = sorted(numeric, key=lambda name: -len(file.columns[name].filled))[:MOST_NUMBERS]
    numbers: dict[str, Numbers] = {name: file.numbers(name) for name in numeric}
    hints = {name: role for name in numeric if (role := _hint(name))}
    identity = prove(numbers, hints) if len({len(each) for each in numbers.values()}) == 1 else None
    if identity is not None:
        identity = _right_way_round(identity, file, columns, hints)
        _money(roles, identity)
        _tax(roles, file, numbers, columns)
    else:
        for what, field_ in (("quantity", "quantity"), ("price", "unit_price"), ("amount", "stated_net")):
            named = [name for name in numeric if name in columns and suggests(name, what) == 3]
            roles.put(best(named, what), "line", field_, "its heading says so, and nothing proves it")
    _item(roles, columns, prices)
    units = [
        n
        for n, each in columns.items()
        if each.kind == "text" and roles.role(n, "line") is None and _is_unit_like(each)
    ]
    roles.put(
        best([n for n in units if suggests(n, "line.unit")], "line.unit"),
        "line",
        "unit",
        "few short codes, and its heading",
    )
    due = [n for n, each in columns.items() if each.kind == "date" and roles.role(n, "line") is None]
    roles.put(best(due, "line.due_date"), "line", "due_date", "a date that differs by line" if due else "")


_OF_AMOUNTS = ("quantity", "price", "base", "percent", "less", "amount")


def _hint(name: str) -> str:
    scores = {role: suggests(name, role) for role in _OF_AMOUNTS}
    role = max(scores, key=lambda each: scores[each])
    return role if scores[role] else ""


def _right_way_round(
    identity: Identity, file: FileProfile, columns: Mapping[str, Profile], hints: Mapping[str, str]
) -> Identity:
    """Which of two factors is the price: the one that an item goes with, unless the headings say it."""
    parts = {identity.quantity, identity.price}
    if any(hints.get(name) in ("quantity", "price") for name in parts):
        return identity
    texts = [each for each in columns.values() if each.kind == "text" and 1 < len(each.counts) < len(each.filled)]
    score = {name: sum(_determines(text.cells, file.columns[name].cells) for text in texts) for name in parts}
    if score[identity.quantity] > score[identity.price]:
        swapped = (identity.price, identity.quantity, identity.amount, identity.base, identity.percent, identity.less)
        return Identity(*swapped, identity.holds, identity.fails)
    return identity


def _money(roles: Roles, identity: Identity) -> None:
    total = len(identity.holds) + len(identity.fails)
    said = f"{identity.written} on {len(identity.holds)} of {total} lines"
    roles.identity = identity
    # ``unit_price`` is for one; a price for several has a name of its own.
    price = "price_in_file" if identity.base else "unit_price"
    for heading, name in (
        (identity.quantity, "quantity"), (identity.price, price), (identity.amount, "stated_net"),
        (identity.base, "price_per"), (identity.percent, "discount_percent"), (identity.less, "discount_amount"),
    ):  # fmt: skip
        known = roles.role(heading, "line")
        if known is not None:
            roles.roles.remove(known)
        roles.put(heading, "line", name, said)


def _tax(roles: Roles, file: FileProfile, numbers: Mapping[str, Numbers], of_lines: Mapping[str, Profile]) -> None:
    assert roles.identity is not None
    free = {name: column for name, column in numbers.items() if roles.role(name, "line") is None}
    found = prove_tax(file.numbers(roles.identity.amount), free)
    if found is None:
        return
    roles.tax = found
    amount = roles.identity.amount
    rate = found.rate if "%" in found.rate else f"{found.rate} %"
    sum_ = f"{amount} + {rate}" if found.is_gross else f"{rate} of {amount}"
    said = f"{sum_} = {found.proof} on {found.holds} of {found.of} lines"
    roles.put(found.rate, "line" if found.rate in of_lines else "header", "tax_percent", said)


def _item(roles: Roles, columns: Mapping[str, Profile], prices: FileProfile | None) -> None:
    free = [
        n
        for n, each in columns.items()
        if each.kind in ("text", "integer") and roles.role(n, "line") is None and each.filled
    ]
    if prices is not None:
        shared = [(_overlap(columns[name], prices), suggests(name, "line.item"), name) for name in free]
        shared = [each for each in shared if each[0] >= 0.5]
        if shared:
            found = max(shared)
            said = f"{int(found[0] * 100)} % of its values are keys of the price list"
            roles.put(found[2], "line", "item", said)
    codes = [name for name in free if _is_code_like(columns[name]) and len(columns[name].counts) > 1]
    codes = [name for name in codes if not suggests(name, "line.unit") or suggests(name, "line.item") == 3]
    price = roles.identity.price if roles.identity is not None else ""
    cells = columns[price].cells if price in columns else []
    ranked = [(suggests(name, "line.item"), _follows(columns[name].cells, cells), name) for name in codes]
    ranked = [each for each in ranked if each[0] or each[1] >= ENOUGH]
    if ranked:
        words, share, name = max(ranked)
        said = f"{price} follows from it for {int(share * 100)} % of its values" if cells else "codes"
        roles.put(name, "line", "item", f"{said}{', and its heading' if words else ''}")
    item = roles.heading("line", "item")
    texts = [
        n for n in free if roles.role(n, "line") is None and columns[n].kind == "text" and not _is_unit_like(columns[n])
    ]
    if item:
        follow = [n for n in texts if _determines(columns[item].cells, columns[n].cells) and len(columns[n].counts) > 1]
        long = max(follow, key=lambda n: (suggests(n, "line.description"), _length(columns[n])), default="")
        roles.put(long, "line", "description", f"follows from {item}")
    roles.put(_strong(texts, "line.description"), "line", "description", "texts, and its heading")


def _length(each: Profile) -> float:
    return sum(len(str(value)) for value in each.counts) / max(1, len(each.counts))


def _is_unit_like(each: Profile) -> bool:
    texts = [str(value) for value in each.counts]
    return 0 < len(texts) <= 12 and all(len(text) <= 5 for text in texts) and len(each.filled) >= 3 * len(texts)


def _overlap(each: Profile, prices: FileProfile) -> float:
    mine = {str(value) for value in each.counts}
    shares = [len(mine & {str(v) for v in other.counts}) / len(mine) for other in prices.columns.values()]
    return max(shares, default=0.0)
