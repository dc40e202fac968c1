"""`Rulebook`: the object people hold."""

from __future__ import annotations

import datetime
import time
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from dokima.engine.compiling.program_builder import build_program
from dokima.engine.program import Program, ProgramDefinition, Run
from dokima.engine.running.calculation import Calculation
from dokima.engine.running.checking import answers, check_orders
from dokima.engine.running.pricing import Pricing, price_orders
from dokima.engine.running.whatif import with_values
from dokima.errors import DocumentError, NotFound, Problem, nearest
from dokima.formats.layouts import Layout
from dokima.formats.reading import Source, orders_from
from dokima.model.content import canonical_json, digest_of
from dokima.model.document import Document
from dokima.model.findings import Findings
from dokima.model.order import Order
from dokima.model.orders import Orders
from dokima.routines.kinds.kind import StepKind
from dokima.rules.verdicts import RuleAnswers

if TYPE_CHECKING:  # each is imported by the method that needs it, so that pricing starts without them
    from dokima.changes.change import ChangeOrder
    from dokima.changes.variance import Variance
    from dokima.editing.editor import Editor
    from dokima.engine.explaining.evaluation import Evaluation
    from dokima.engine.explaining.explanation import Explanation, QuantityPrice
    from dokima.formats.pieces import Numbers, Piece
    from dokima.proving.remark import AuditRemarks
    from dokima.proving.replay import Replay


class Rulebook:
    """Everything one business defines, checked and compiled. Immutable, and safe to share between threads.

    Make one with `load` (a folder) or `Rulebook.from_dict` (plain data).
    """

    def __init__(self, program: Program, layouts: Mapping[str, Layout], what_if: Mapping[str, str] | None = None):
        self.program = program
        self.layouts = dict(layouts)
        self._what_if = dict(what_if or {})

    def __reduce__(self) -> tuple[Any, ...]:
        """To another process it goes as what it says, and is built anew there: formulas are code, which stays."""
        return _built, (self.program.definition, self.layouts, self._what_if)

    @property
    def fingerprint(self) -> str:
        """SHA-256 of everything it says, the rows of its tables and the values of `what_if` included."""
        if not self._what_if:
            return self.program.fingerprint
        return f"{self.program.fingerprint}:{digest_of(canonical_json(self._what_if))}"

    @classmethod
    def from_dict(
        cls,
        data: Mapping[str, Any],
        tables: Mapping[str, Any] | None = None,
        python: Sequence[object] = (),
        kinds: Sequence[StepKind | type[StepKind]] = (),
    ) -> Rulebook:
        """A rulebook from plain data of the same shape as ``rulebook.toml``.

        Args:
            data: Sections ``rulebook``, ``header``, ``line``, ``value``, ``table``, ``layout``, ``rule``, ``routine``.
            tables: Rows by table: a pandas DataFrame or a list of mappings.
            python: Functions marked with `rule` or `function`.
            kinds: Kinds of steps beside those that are built in.

        Raises:
            RulebookError: With every problem.
        """
        from dokima.rulebook.loading import load_data

        return cls(*load_data(data, tables or {}, python, kinds))

    def order_schema(self) -> dict[str, Any]:
        """The JSON Schema (2020-12) of the orders that this rulebook reads."""
        from dokima.rulebook.schema import order_schema

        return order_schema(self.program)

    @property
    def locale(self) -> str:
        """Locale of reports for which none is asked, blank for English words and plain numbers."""
        return self.program.definition.report.locale

    @property
    def name(self) -> str:
        """The rulebook's name."""
        return self.program.definition.name

    def __repr__(self) -> str:
        program = self.program
        return (
            f"<Rulebook {self.name}: {len(program.tables)} tables, {len(program.rules)} rules, "
            f"{len(program.routines)} routines>"
        )

    def with_tables(self, **tables: Any) -> Rulebook:
        """This rulebook with other rows in some of its tables, such as today's stock; it shares all the rest.

        Args:
            tables: Rows by table: a pandas DataFrame or a list of mappings.

        Raises:
            RulebookError: There is no such table, or its rows are not what it wants.
        """
        from dokima.rulebook.loading import with_tables

        return Rulebook(with_tables(self.program, tables), self.layouts, self._what_if)

    def what_if(
        self,
        *,
        set: Mapping[str, Any] | None = None,
        values: Mapping[str, Any] | None = None,
        tables: Mapping[str, Any] | None = None,
    ) -> Rulebook:
        """This rulebook as it would be with other values, for trying something out.

        Args:
            set: Values of every order that it reads, by target: ``header.x``, ``line.x`` of every line, ``20.x`` of
                every line 20.
            values: Named values in the place of its own.
            tables: Rows by table, as for `with_tables`.

        Raises:
            RulebookError: There is no such value or table, or it does not take what is given.
        """
        from dokima.rulebook.loading import with_tables, with_values_of

        program = with_values_of(self.program, values) if values else self.program
        program = with_tables(program, tables) if tables else program
        given = {target: "" if value is None else str(value) for target, value in (set or {}).items()}
        return Rulebook(program, self.layouts, {**self._what_if, **given})

    def layout(self, name: str) -> Layout:
        """A layout by name.

        Raises:
            NotFound: There is none; names the nearest.
        """
        if name not in self.layouts:
            raise NotFound(f"there is no layout '{name}'{nearest(name, self.layouts)}")
        return self.layouts[name]

    def orders(self, source: Source, layout: str | None = None, *, strict: bool = False) -> Orders:
        """Read orders as this rulebook's fields want them.

        Args:
            source: An `Order`, a mapping, a list of these, `Orders`, a `pathlib.Path` of a JSON, CSV, XLSX or Parquet
                file or of a folder of JSON files, a list of paths, a flat DataFrame, or a pair of DataFrames (headers,
                lines). A text is refused: one that came from outside must not open a file.
            layout: Name of the layout of a CSV file or DataFrame; Dokima's own headings if None.
            strict: Raise for any problem instead of setting orders aside.

        Raises:
            DocumentError: The source cannot be read at all, is a text, or ``strict`` and something is wrong with an
                order.
        """
        orders = self._read(source, layout)
        if orders.problems and (strict or isinstance(source, str | bytes)):
            raise DocumentError(orders.problems)
        return orders

    def _read(self, source: Source, layout: str | None) -> Orders:
        """Orders, whatever is wrong with them among their problems."""
        chosen = None if layout is None else self.layout(layout)
        return self._as_if(orders_from(source, self.program.fields, chosen))

    def _as_if(self, orders: Orders) -> Orders:
        """Orders with the values of `what_if`."""
        return with_values(orders, self._what_if) if self._what_if else orders

    def check(
        self,
        source: Source,
        at: str = "save",
        rule: str | None = None,
        today: datetime.date | None = None,
        by: str | None = None,
        layout: str | None = None,
        was: Mapping[str, str] | None = None,
    ) -> Findings:
        """Ask the rules of a moment. Does not raise for data: what cannot be read is a finding too.

        Args:
            source: As for `orders`.
            at: The moment; ``save`` asks ``enter`` of every line first, ``approve`` asks ``save`` first.
            rule: Ask only this rule.
            today: For ``run.today``; blank if None.
            by: For ``run.user``; blank if None.
            layout: As for `orders`.
            was: What was before an edit, by target: ``10.quantity`` of line 10, ``line.x`` of every line, ``header.x``.
        """
        orders = self._read(source, layout)
        before = None if was is None else with_values(orders, was)
        found = check_orders(self.program, orders, at, Run(today, by), rule, time.perf_counter, before)
        looked_at = len(orders) + len({problem.order for problem in orders.problems})
        return replace(Findings.of_problems(orders.problems) + found, orders=looked_at)

    def explain_rules(
        self,
        source: Source,
        at: str = "save",
        rule: str | None = None,
        today: datetime.date | None = None,
        by: str | None = None,
        layout: str | None = None,
        was: Mapping[str, str] | None = None,
    ) -> RuleAnswers:
        """For every rule and every order or line: whether it spoke, passed, did not apply, or could not be decided.

        Each with the message it gives or would give, the values it saw, and where it does not apply, why. Arguments are
        those of `check`.
        """
        orders = self.orders(source, layout)
        before = None if was is None else with_values(orders, was)
        return RuleAnswers(answers(self.program, orders, at, Run(today, by), rule, before))

    def price(self, source: Source, layout: str | None = None, *, workers: int = 1) -> Calculation:
        """Price orders. Does not raise for data: what is wrong stands in ``findings`` and ``problems``.

        Args:
            source: As for `orders`.
            layout: As for `orders`.
            workers: Threads that share the work on many orders; the result is the same for any number.
        """
        calculation = self._price(source, layout, workers=workers).calculation
        return replace(calculation, findings=Findings.of_problems(calculation.problems) + calculation.findings)

    def stream(
        self, source: Source, layout: str | None = None, *, lines: int = 250_000, workers: int = 1, check: str = ""
    ) -> Iterator[Calculation]:
        """Price many orders piece by piece, so that only the pieces in work are held.

        Each order is in one piece, with the same figures as in `price`. A CSV or Parquet file, a folder of Parquet
        files, or a stream of Arrow is read piece by piece too, as far as it holds flat rows: lines of one order must
        then stand together. Every other source is read whole first. Pieces come in the sequence of the source.

        Args:
            source: As for `orders`.
            layout: As for `orders`.
            lines: About how many lines a piece has.
            workers: Threads that read and price pieces side by side.
            check: Also ask the rules of this moment; what they find stands first in ``findings``.

        Raises:
            DocumentError: The source cannot be read, or lines of one order stand too far apart to be held together.
        """
        from dokima.formats.streaming import Seen, order_pieces
        from dokima.rulebook.sharing_out import free, in_sequence

        how = (source, self.program.fields, None if layout is None else self.layout(layout), lines)
        seen = Seen(*how)

        for calculation, numbers in in_sequence(partial(self.price_piece, check=check), order_pieces(*how), workers):
            if numbers is not None:
                seen.add(numbers)
            size = calculation.orders.line_count
            yield calculation
            del calculation, numbers
            free(size)

    def price_piece(self, piece: Piece, check: str = "") -> tuple[Calculation, Numbers | None]:
        """Read and price a piece of a stream; its order numbers too, where one may come back in a later piece."""
        orders, numbers = piece()
        calculation = self.price(self._as_if(orders))
        if not check:
            return calculation, numbers
        found = self.check(orders, check)
        return replace(calculation, findings=found + calculation.findings.beyond(found)), numbers

    def _price(self, source: Source, layout: str | None, *, traced: bool = False, workers: int = 1) -> Pricing:
        return price_orders(self.program, self._read(source, layout), Run(), traced=traced, workers=workers)

    def edit(self, source: Source, by: str, *, today: datetime.date | None = None, layout: str | None = None) -> Editor:
        """An editor of one order.

        Args:
            source: As for `orders`, holding one order.
            by: Who edits.
            today: For ``run.today``; blank if None.
            layout: As for `orders`.

        Raises:
            DocumentError: The order cannot be read, or there is not exactly one.
        """
        from dokima.editing.editor import Editor

        return Editor(self.program, self._one_order(source, layout), by, _now, today)

    def _one_order(self, source: Source, layout: str | None = None) -> Document:
        if isinstance(source, Order):
            return Document.read(source, self.program.fields)
        orders = self.orders(source, layout, strict=True)
        if len(orders) != 1:
            raise DocumentError([Problem("", "", "", f"expected one order to edit (got {len(orders)})")])
        return Document.from_columns(orders)

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
        from dokima.changes.supplements import next_number

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
        layout: str | None = None,
    ) -> Explanation:
        """Where the figures of a line came from.

        Args:
            source: As for `orders`.
            line: Line number.
            figure: Only this figure, such as ``price`` or the name of a step; all if None.
            order: Order number, where the source holds several.
            set: What if: values by target, ``header.x``, ``line.x`` (every line) or ``20.x`` (line 20).
            layout: As for `orders`.

        Raises:
            NotFound: There is no such order, line or figure.
            DocumentError: The order was set aside because of a problem.
        """
        from dokima.rulebook.asking import explain

        return explain(self, self.orders(source, layout), str(line), figure, order, set or {})

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

        return evaluate(self, self.orders(source, layout), formula, str(line), order, table, Run(today, by))

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

    def audit(self, today: datetime.date) -> AuditRemarks:
        """What is doubtful in the rulebook and its tables, found without any order, the worst first.

        Args:
            today: Rows that ended before it have expired.
        """
        from dokima.proving.audit import audit

        return audit(self.program, today)

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
        problems: Sequence[Problem] = [problem for side in sides for problem in side.problems]
        if problems:
            raise DocumentError(problems)
        from dokima.changes.variance import Variance

        return Variance(*sides, mix=mix)


def _now() -> datetime.datetime:
    return datetime.datetime.now(datetime.UTC)


def _built(definition: ProgramDefinition, layouts: Mapping[str, Layout], what_if: Mapping[str, str]) -> Rulebook:
    return Rulebook(build_program(definition), layouts, what_if)


def load(
    folder: str | Path,
    tables: Mapping[str, Any] | None = None,
    values: Mapping[str, Any] | None = None,
    *,
    kinds: Sequence[StepKind | type[StepKind]] = (),
) -> Rulebook:
    """Load a rulebook from a folder: all its ``*.toml`` files together form one rulebook.

    Args:
        folder: The folder with ``rulebook.toml``.
        tables: What stands in for a table's file: a pandas DataFrame, a list of mappings, or the path of another
            file, by table.
        values: Named values that stand in for those of the rulebook.
        kinds: Kinds of steps beside those that are built in; their source is part of the rulebook's fingerprint.

    Raises:
        RulebookError: With every problem, each with file, place, what was expected and what came.
    """
    from dokima.rulebook.loading import load_folder

    return Rulebook(*load_folder(Path(folder), tables or {}, values or {}, kinds))
