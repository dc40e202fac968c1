"""`Rulebook`: the object people hold."""

from __future__ import annotations

import datetime
import shlex
from collections.abc import Callable, Iterable, Mapping, Sequence
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Any, get_args

from dokima.errors import DocumentError, DokimaError, Problem, listed
from dokima.formats.reading import Source
from dokima.model.arguments import a_text, came
from dokima.model.databases import Access, Trust
from dokima.model.document import Document
from dokima.model.order import Order
from dokima.pricing.calculation.calculation import Calculation
from dokima.pricing.kinds.kind import StepKind
from dokima.pricing.program import Run
from dokima.rulebook.core import BookCore

if TYPE_CHECKING:  # each is imported by the method that needs it, so that pricing starts without them
    from dokima.changes.change import ChangeOrder
    from dokima.changes.variance import Variance
    from dokima.editing.editor import Editor
    from dokima.editing.many import ManyEdited
    from dokima.explaining.evaluation import Evaluation
    from dokima.explaining.explanation import Explanation, QuantityPrice
    from dokima.explaining.price_list import PriceList
    from dokima.model.listing import Listing
    from dokima.proving.remark import AuditRemarks
    from dokima.proving.replay import Replay
    from dokima.proving.versions import VersionChanges


class Rulebook(BookCore):
    """Everything one business defines, checked and compiled. Immutable, and safe to share between threads.

    Make one with `load` (a folder) or `Rulebook.from_dict` (plain data).
    """

    def __reduce__(self) -> tuple[Any, ...]:
        return type(self), (
            self.program,
            self.layouts,
            self._what_if,
            self._run,
            self._place,
            None,
            self.left_out,
            self.access,
        )

    @classmethod
    def from_dict(
        cls,
        data: Mapping[str, Any],
        tables: Mapping[str, Any] | None = None,
        python: Sequence[object] = (),
        kinds: Sequence[StepKind | type[StepKind]] = (),
        *,
        trust: Trust = "all",
        environment: Sequence[str] | None = None,
    ) -> Rulebook:
        """A rulebook from plain data of the same shape as ``rulebook.toml``.

        Args:
            data: Sections ``rulebook``, ``header``, ``line``, ``value``, ``table``, ``layout``, ``rule``, ``routine``.
            tables: Rows by table: a DataFrame, a table of Arrow, or a list of mappings.
            python: Functions marked with `rule` or `function`.
            kinds: Kinds of steps beside those that are built in.
            trust: As for `load`. Who writes the data is trusted with all; of a stranger's trust nothing.
            environment: As for `load`.

        Raises:
            RulebookError: With every problem.
        """
        from dokima.rulebook.loading import load_data

        access = Access(trust, "", environment)
        found = load_data(data, {} if tables is None else tables, python, kinds, access)
        return cls(found.program, found.layouts, later=found.later, left_out=found.left_out, access=access)

    def edit(
        self,
        source: Source,
        by: str,
        *,
        today: datetime.date | None = None,
        layout: str | None = None,
        taken: Iterable[str] = (),
    ) -> Editor:
        """An editor of one order.

        Args:
            source: As for `orders`, holding one order.
            by: Who edits.
            today: For ``run.today``; blank if None.
            layout: As for `orders`.
            taken: Numbers of lines that new lines do not get, because other documents of the order have them.

        Raises:
            DocumentError: The order cannot be read, or there is not exactly one.
        """
        from dokima.editing.editor import Editor

        self.refuse_trial("nothing is edited")
        return Editor(self.program, self._one_order(source, layout), by, _now, today, taken=taken)

    def _one_order(self, source: Source, layout: str | None = None) -> Document:
        if isinstance(source, Order):
            return Document.read(source, self.declared.fields)
        orders = self.orders(source, layout, strict=True)
        if len(orders) != 1:
            raise DocumentError([Problem("", "", "", f"expected one order to edit (got {len(orders)})")])
        return Document.from_columns(orders)

    def edit_many(
        self,
        source: Source,
        operation: str,
        by: str,
        *,
        today: datetime.date | None = None,
        layout: str | None = None,
        all_or_nothing: bool = False,
        progress: Callable[[int], None] | None = None,
        **arguments: Any,
    ) -> ManyEdited:
        """Do an operation to many orders, each whole or not at all: what the editor makes of each, in far less time.

        Args:
            source: As for `orders`.
            operation: ``close`` and ``reprice`` take ``lines`` (all if left out), ``reopen`` too (all closed ones),
                ``move`` takes ``to``, ``acknowledge`` takes ``rule`` and ``because``, ``set`` takes ``fields`` such as
                ``{"header.due_date": "2026-04-01", "line.unit": "C62", "10.quantity": 4}``.
            by: Who edits.
            today: For ``run.today``; blank if None.
            layout: As for `orders`.
            all_or_nothing: Change none if one of them is refused, or cannot be read.
            progress: Is told how many orders are done with.
            arguments: Arguments of the operation.

        Raises:
            NotFound: There is no such operation; names the nearest.
            DokimaError: Its arguments are others.
            DocumentError: With ``all_or_nothing``, an order cannot be read.
        """
        from dokima.editing.many import ManyEdited, edit_many

        self.refuse_trial("nothing is edited")
        orders = self.orders(source, layout, strict=all_or_nothing)
        done = edit_many(self.program, orders, operation, arguments, by, _now, today, progress=progress)
        return ManyEdited((), done.refused) if all_or_nothing and done.refused else done

    def change(
        self,
        source: Source,
        by: str,
        *,
        supplements: Sequence[Source] = (),
        reason: str = "",
        requested_by: str = "",
        taken: Iterable[str] = (),
    ) -> ChangeOrder:
        """Open a change order: the order is frozen as a baseline, and the change is worked on beside it.

        Args:
            source: The order, as for `edit`; it stays untouched until the change is approved.
            by: Who opens it.
            supplements: Supplement orders of it, which count as one order with it.
            reason: Why the order changes.
            requested_by: Who asked for it.
            taken: Numbers of change orders that are taken.

        Raises:
            DocumentError: An order cannot be read.
        """
        from dokima.changes.baseline import Baseline
        from dokima.changes.change import ChangeOrder
        from dokima.changes.documents import next_number

        self.refuse_trial("no change is opened")
        orders = [self._one_order(each) for each in (source, *supplements)]
        baseline = Baseline.take(self.program, orders, Run(user=by))
        number = next_number(baseline.number, "C", taken)
        record = {"reason": reason, "requested_by": requested_by, "opened_by": by}
        record["opened"] = _now().isoformat(timespec="seconds")
        return ChangeOrder(self.program, number, baseline, None, _now, record)

    def explain(
        self,
        source: Source,
        line: str | int,
        figure: str | None = None,
        *,
        order: str | None = None,
        set: Mapping[str, str] | None = None,
        today: datetime.date | None = None,
        by: str | None = None,
        layout: str | None = None,
    ) -> Explanation:
        """Where the figures of a line came from.

        Args:
            source: As for `orders`.
            line: Line number.
            figure: Only this figure, such as ``price`` or the name of a step; all if None.
            order: Order number, where the source holds several.
            set: What if: values by target, ``header.x``, ``line.x`` (every line) or ``20.x`` (line 20).
            today: For ``run.today``; blank if None.
            by: For ``run.user``; blank if None.
            layout: As for `orders`.

        Raises:
            NotFound: There is no such order, line or figure.
            DocumentError: The order was set aside because of a problem.
        """
        from dokima.rulebook.asking import explain

        return explain(self, self.orders(source, layout), str(line), figure, order, set or {}, self._asked(today, by))

    def evaluate(
        self,
        formula: str,
        source: Source,
        line: str | int = "",
        *,
        order: str | None = None,
        table: str = "",
        today: datetime.date | None = None,
        by: str | None = None,
        layout: str | None = None,
    ) -> Evaluation:
        """What a formula gives on a real order, and every look-up that led there; or only how a table's row is found.

        Args:
            formula: Any formula that a rule may have; figures may be read too. Blank with ``table``.
            source: As for `orders`.
            line: Line number; without one a formula of lines is worked out on each.
            order: Order number, where the source holds several.
            table: In the place of a formula, a table: the path of look-ups that leads to its row.
            today: For ``run.today``; blank if None.
            by: For ``run.user``; blank if None.
            layout: As for `orders`.

        Raises:
            DokimaError: The formula cannot be read; says where.
            NotFound: There is no such order, line or table.
            DocumentError: The order was set aside because of a problem.
        """
        from dokima.rulebook.asking import evaluate

        return evaluate(self, self.orders(source, layout), formula, str(line), order, table, self._asked(today, by))

    def rows(self, table: str, asked: Mapping[str, Any] | None = None, *, date: datetime.date | None = None) -> Listing:
        """The rows of a table that answer who asks with some of its columns, without any order; the best first.

        What is not asked for is open, and every row that can still win is listed.

        Args:
            table: The table.
            asked: Values by column: what is matched, and what a break is reached with.
            date: The day on which a row must be valid; open if None.

        Raises:
            NotFound: There is no such table or column; names the nearest.
            DokimaError: A column does not hold such a value.
        """
        from dokima.rulebook.asking import table_rows

        return table_rows(self, table, asked or {}, date)

    def price_line(self, header: Mapping[str, Any], line: Mapping[str, Any]) -> tuple[Explanation, list[QuantityPrice]]:
        """What a line would cost that stands in no order yet, and what it would cost at every quantity that matters.

        Args:
            header: Header fields, such as customer and date.
            line: Line fields, such as item and quantity.

        Returns:
            The explanation of the line, and its price at each break of the prices and discounts that could apply.

        Raises:
            DocumentError: A field is unknown or cannot hold its value.
        """
        from dokima.rulebook.asking import price_line

        return price_line(self, header, line)

    def price_list(
        self,
        *,
        customer: str = "",
        supplier: str = "",
        item: str = "",
        group: Mapping[str, str] | None = None,
        date: datetime.date,
        quantity: Decimal | int | None = None,
        header: Mapping[str, Any] | None = None,
        line: Mapping[str, Any] | None = None,
    ) -> PriceList:
        """Every price and discount that applies to somebody, each item from each quantity on; or who pays what for one.

        Args:
            customer: The prices of this customer.
            supplier: The prices of this supplier.
            item: Only this item; with neither customer, supplier nor group: the list price, and every group and party
                that pays another.
            group: Whoever has these values in the table of customers and nothing else in common with others, such as
                ``{"segment": "trade"}``.
            date: The day.
            quantity: Only at this quantity; at every one from which another price or discount applies if None.
            header: Other header fields, such as a currency.
            line: Other fields of the line, such as whether it is for hire.

        The list price is that of nobody in particular, and that of a group holds for all of its members: a step that
        reads what is a party's own is left out of it, and named in ``left_out`` of its rows.

        Raises:
            NotFound: There is no such party, item or group; names the nearest.
            DokimaError: Nothing was named, or the rulebook has no routine.
        """
        from dokima.rulebook.price_lists import price_list

        which = "supplier" if supplier else "customer"
        least = None if quantity is None else Decimal(quantity)
        return price_list(self, which, customer or supplier, item, group or {}, date, least, header or {}, line or {})

    def lines(
        self,
        source: Source,
        *,
        open_only: bool = False,
        where: str = "",
        sort: str = "",
        limit: int | None = None,
        layout: str | None = None,
        **selection: Any,
    ) -> Listing:
        """A list of lines over many orders: order, party, item, dates, quantity, delivered and still open.

        Args:
            source: As for `orders`; what cannot be read is left out, and stands in ``problems`` of the list.
            open_only: Only lines of which something is still to be delivered.
            where: A condition on their orders.
            sort: A column to sort by, with a minus before it from the highest down.
            limit: At most so many.
            layout: As for `orders`.
            selection: ``item``, ``kind``, ``state``, ``customer``, ``supplier``, ``requested_by``, ``since`` and
                ``until``.

        Raises:
            NotFound: There is no such column.
            DokimaError: The condition cannot be read.
        """
        from dokima.model.selecting import Selection
        from dokima.rulebook.listing import lines_of

        orders, wanted = self.orders(source, layout), Selection.of(selection)
        return lines_of(self.program, orders, wanted, where, open_only, sort, limit)

    def audit(self, today: datetime.date) -> AuditRemarks:
        """What is doubtful in the rulebook and its tables, found without any order, the worst first.

        Args:
            today: Rows that ended before it have expired.
        """
        from dokima.proving.audit import audit

        return audit(self.program, today)

    def compare(self, new: Rulebook) -> VersionChanges:
        """What differs in another version of this rulebook: settings by their paths, rows of tables by their terms.

        Args:
            new: The other version.
        """
        from dokima.proving.versions import compare_versions

        return compare_versions(self.program, new.program)

    def replay(
        self, source: Source, new: Rulebook, *, layout: str | None = None, as_of: datetime.date | None = None
    ) -> Replay:
        """What another version of this rulebook does to orders that are there already.

        Args:
            source: As for `orders`.
            new: The other version.
            layout: As for `orders`.
            as_of: Price all orders as if they were ordered on this day.
        """
        from dokima.proving.replay import replay

        return replay(self, new, source, layout=layout, as_of=as_of)

    def variance(
        self, before: Source | Calculation, after: Source | Calculation, layout: str | None = None, *, mix: bool = False
    ) -> Variance:
        """The variance between two states of orders, each priced by this rulebook.

        Args:
            before: As for `orders`, or a `Calculation`.
            after: The same.
            layout: As for `orders`.
            mix: Split the variance three ways: by quantity, by price, and the mix of both.

        Raises:
            DocumentError: An order was set aside because of a problem, or its currency differs.
        """
        sides = [each if isinstance(each, Calculation) else self.price(each, layout) for each in (before, after)]
        # Both sides may be of one file.
        problems: Sequence[Problem] = list(dict.fromkeys(problem for side in sides for problem in side.problems))
        if problems:
            raise DocumentError(problems)
        from dokima.changes.variance import Variance

        return Variance(*sides, mix=mix)


def _now() -> datetime.datetime:
    return datetime.datetime.now(datetime.UTC)


def load(
    folder: str | Path,
    tables: Mapping[str, Any] | None = None,
    values: Mapping[str, Any] | None = None,
    *,
    kinds: Sequence[StepKind | type[StepKind]] = (),
    trust: Trust = "folder",
    environment: Sequence[str] | None = None,
) -> Rulebook:
    """Load a rulebook from a folder: all its ``*.toml`` files together form one rulebook.

    Args:
        folder: The folder with ``rulebook.toml``.
        tables: What stands in for a table's file, by table: a DataFrame, a table of Arrow, a list of mappings, or the
            path of another file.
        values: Named values that stand in for those of the rulebook.
        kinds: Kinds of steps beside those that are built in; their source is part of the rulebook's fingerprint.
        trust: What it may reach. ``folder``: its Python runs, its databases are asked, and Python, tables and files of
            SQLite lie in its folder. ``all``: the same from anywhere. ``nothing``: no Python, no databases, no
            variables; what that leaves out stands in ``left_out``, and nothing is worked out without it.
        environment: Variables of the environment that URLs in it may name; those that begin with ``DOKIMA_`` if None,
            with ``all`` every one.

    Databases are asked when their rows are first needed: by pricing, checking, comparing, the fingerprint.

    Raises:
        RulebookError: With every problem, each with file, place, what was expected and what came.
    """
    from dokima.rulebook.loading import load_folder

    if not isinstance(folder, str | Path):
        raise DokimaError(f"expected the folder of a rulebook as a path (got {came(folder)})")
    if isinstance(folder, str):
        a_text(folder, "folder")
    if trust not in get_args(Trust):
        raise DokimaError(f"expected trust as one of {listed(get_args(Trust))} (got {came(trust)})")
    access = Access(trust, str(folder), environment)
    found = load_folder(Path(folder), tables or {}, values or {}, kinds, access)
    place = shlex.quote(str(folder))
    return Rulebook(found.program, found.layouts, None, None, place, found.later, found.left_out, access)
