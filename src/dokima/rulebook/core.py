"""What every rulebook does with orders: it reads, checks and prices them."""

from __future__ import annotations

import datetime
import time
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any, Self

from dokima.checking.asking import answers, check_orders
from dokima.errors import DocumentError, HeadingsError, NotFound, Refused, listed, nearest
from dokima.formats.layouts import Layout
from dokima.formats.reading import Source, orders_from
from dokima.model.content import canonical_json, digest_of
from dokima.model.databases import Access
from dokima.model.finding import QUESTION, Finding
from dokima.model.findings import NONE, Findings
from dokima.model.orders import Orders
from dokima.pricing.calculation.calculation import Calculation, TableLevel
from dokima.pricing.defaults.preparing import prepared_context
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import price_orders
from dokima.pricing.running.whatif import with_values
from dokima.rules.verdicts import RuleAnswers

if TYPE_CHECKING:
    from dokima.formats.pieces import Numbers, Piece
    from dokima.rulebook.unasked import Unasked


class BookCore:
    """Reads, checks and prices orders; `Rulebook` is what people hold.

    Args:
        program: What was compiled.
        layouts: Layouts of other people's files, by name.
        what_if: Values of every order that is read, by target.
        run: The day and the user where a call names none.
        place: The folder it was loaded from, for what people are told to type; blank for none.
        later: The same with rows that are still in a database, once they are needed.
        left_out: What was not loaded, because its loader trusts it with nothing.
        access: What it may reach.
    """

    def __init__(
        self,
        program: Program,
        layouts: Mapping[str, Layout],
        what_if: Mapping[str, str] | None = None,
        run: Run | None = None,
        place: str = "",
        later: Unasked | None = None,
        left_out: Sequence[str] = (),
        access: Access | None = None,
    ):
        self.declared = program
        """What was compiled, without the rows that are still in a database."""
        self.left_out = tuple(left_out)
        self.access = access or Access()
        self._later = later
        self.layouts = dict(layouts)
        self._what_if = dict(what_if or {})
        self._run = run or Run()
        self._place = place

    @property
    def program(self) -> Program:
        """What was compiled, with all rows: a database that has some of them is asked the first time.

        Raises:
            RulebookError: Something is wrong with those rows.
            DokimaError: They cannot be read, or something was left out that decides.
        """
        return self.declared if self._later is None else self._later.program()

    def _asked(self, today: datetime.date | None, by: str | None) -> Run:
        """What is said about a run: by the call, else by `what_if`."""
        return Run(today or self._run.today, by or self._run.user)

    @property
    def fingerprint(self) -> str:
        """SHA-256 of everything it says, the rows of its tables and the values of `what_if` included."""
        if not self._what_if:
            return self.program.fingerprint
        return f"{self.program.fingerprint}:{digest_of(canonical_json(self._what_if))}"

    def arrow_schema(self, level: TableLevel = "lines", columns: Sequence[str] = ()) -> Any:
        """The `pyarrow.Schema` of `Calculation.to_arrow`, the same for all orders: amounts of money have the places of
        the currency with the most (4), other numbers 12.

        Args:
            level: As for `Calculation.to_arrow`.
            columns: As for `Calculation.to_arrow`.

        Raises:
            NotFound: There is no such column.
        """
        from dokima.pricing.calculation.arrow_tables import arrow_schema

        return arrow_schema(self.program, level, columns)

    def order_schema(self) -> dict[str, Any]:
        """The JSON Schema (2020-12) of the orders that this rulebook reads."""
        from dokima.rulebook.schema import order_schema

        return order_schema(self.declared)

    @property
    def locale(self) -> str:
        """Locale of reports for which none is asked, blank for English words and plain numbers."""
        return self.declared.definition.report.locale

    def refuse_unknown_paper(self, name: str) -> None:
        """Refuse the name of a paper that the rulebook does not have.

        Raises:
            NotFound: Names the nearest.
        """
        self.declared.paper(name)

    @property
    def name(self) -> str:
        """The rulebook's name."""
        return self.declared.definition.name

    def __repr__(self) -> str:
        program = self.declared
        return (
            f"<Rulebook {self.name}: {len(program.tables)} tables, {len(program.rules)} rules, "
            f"{len(program.routines)} routines>"
        )

    def with_tables(self, **tables: Any) -> Self:
        """This rulebook with other rows in some of its tables, such as today's stock; it shares all the rest.

        Args:
            tables: Rows by table: a DataFrame, a table of Arrow, or a list of mappings.

        Raises:
            RulebookError: There is no such table, or its rows are not what it wants.
        """
        from dokima.rulebook.replacing import with_tables

        if self._later is None:
            return self._of(with_tables(self.declared, tables), None)
        return self._of(*self._later.with_tables(tables))

    def _with(self, values: Mapping[str, Any], what_if: Mapping[str, str], run: Run) -> Self:
        """This rulebook with other named values, values of orders, and a run."""
        from dokima.rulebook.replacing import with_values_of

        program, later = self.declared, self._later
        if values and later is not None:
            later = later.with_values(values)
            program = later.declared
        elif values:
            program = with_values_of(program, values)
        return type(self)(program, self.layouts, what_if, run, self._place, later, self.left_out, self.access)

    def _of(self, program: Program, later: Unasked | None) -> Self:
        """This rulebook with another program."""
        return type(self)(
            program, self.layouts, self._what_if, self._run, self._place, later, self.left_out, self.access
        )

    def what_if(
        self,
        *,
        set: Mapping[str, Any] | None = None,
        values: Mapping[str, Any] | None = None,
        tables: Mapping[str, Any] | None = None,
        today: datetime.date | None = None,
        by: str | None = None,
        without: Sequence[str] = (),
    ) -> Self:
        """This rulebook as it would be with other values, for trying something out.

        Args:
            set: Values of every order that it reads, by target: ``header.x``, ``line.x`` of every line, ``20.x`` of
                every line 20.
            values: Named values in the place of its own.
            tables: Rows by table, as for `with_tables`.
            today: For ``run.today``, where a call names no day.
            by: For ``run.user``, where a call names nobody.
            without: Rules, discounts and charges that are left out. Nothing is edited or saved with such a rulebook.

        Raises:
            NotFound: There is no such rule, discount or charge.
            RulebookError: There is no such value or table, or it does not take what is given.
        """
        found = self._without(without) if without else self
        found = found.with_tables(**tables) if tables else found
        given = {target: "" if value is None else str(value) for target, value in (set or {}).items()}
        return found._with(values or {}, {**self._what_if, **given}, self._asked(today, by))

    def _without(self, names: Sequence[str]) -> Self:
        """This rulebook without some rules and steps."""
        from dokima.rulebook.replacing import left_out

        if self._later is None:
            return self._of(left_out(self.declared, names), None)
        later = self._later.without(names)
        return self._of(later.declared, later)

    def refuse_trial(self, what: str) -> None:
        """Refuse what must not be done past a rule.

        Raises:
            Refused: Something was left out of the rulebook, to try what comes of it.
        """
        gone = self.declared.definition.left_out
        if gone:
            raise Refused(f"{what} without {listed(gone)}: what is left out of a rulebook is for check and price")

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
                file or of a folder of JSON or Parquet files, a list of paths, a flat DataFrame or table of Arrow, or a
                pair of them (headers, lines). A text is refused: one that came from outside must not open a file.
            layout: Name of the layout of a file, a DataFrame or documents in other names; Dokima's own if None.
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
        with self.reading(layout) as chosen:
            return self._as_if(orders_from(source, self.declared.fields, chosen))

    @contextmanager
    def reading(self, layout: str | None) -> Iterator[Layout | None]:
        """The layout of that name, None for Dokima's own, while orders are read in it.

        Raises:
            NotFound: There is none.
            HeadingsError: Headings are none of Dokima's own; names the layouts there are for others.
        """
        try:
            yield None if layout is None else self.layout(layout)
        except HeadingsError as error:
            if layout is not None:
                raise
            there = f": {listed(self.layouts)} (--layout)" if self.layouts else ""
            raise error.with_hint(f"; a layout can name others{there}") from None

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
        workers: int = 1,
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
            workers: Threads that share the work on many orders, also with rules in Python; the findings are the same
                for any number.
        """
        orders = self._read(source, layout)
        before = None if was is None else with_values(orders, was)
        found = check_orders(self.program, orders, at, self._asked(today, by), rule, time.perf_counter, before, workers)
        return self._everything(orders, found)

    def _everything(self, orders: Orders, found: Findings) -> Findings:
        """What rules found, what is wrong with orders that were set aside, and what the rulebook asks."""
        looked_at = len(orders) + len({problem.order for problem in orders.problems})
        return replace(Findings.of_problems(orders.problems) + found + self._open_questions(), orders=looked_at)

    def _open_questions(self) -> Findings:
        """What the rulebook still asks, as warnings."""
        found = []
        for each in self.program.definition.questions:
            choices = f" ({' or '.join(each.choices)})" if each.choices else ""
            how = f"dokima init {self._place or 'FOLDER'} --answer {each.id}=..."
            found.append(Finding(QUESTION, "warning", f"{each.asks}{choices}", field=each.id, help=how))
        return Findings(tuple(found)) if found else NONE

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
        return RuleAnswers(answers(self.program, orders, at, self._asked(today, by), rule, before))

    def price(
        self,
        source: Source,
        layout: str | None = None,
        *,
        workers: int = 1,
        check: str = "",
        today: datetime.date | None = None,
        by: str | None = None,
    ) -> Calculation:
        """Price orders. Does not raise for data: what is wrong stands in ``findings`` and ``problems``.

        Args:
            source: As for `orders`.
            layout: As for `orders`.
            workers: Threads that share the work on many orders; the result is the same for any number.
            check: Also ask the rules of this moment; what they find stands first in ``findings``.
            today: For ``run.today``, which defaults and rules may read; blank if None.
            by: For ``run.user``; blank if None.
        """
        orders, run = self._read(source, layout), self._asked(today, by)
        context = prepared_context(self.program, orders, run)
        found = NONE
        if check:
            asked = check_orders(
                self.program, orders, check, run, clock=time.perf_counter, workers=workers, context=context
            )
            found = self._everything(orders, asked)
        calculation = price_orders(self.program, orders, run, workers=workers, context=context).calculation
        findings = Findings.of_problems(calculation.problems) + calculation.findings
        return calculation.with_findings(found + findings.beyond(found) if check else findings)

    def price_each(
        self,
        documents: Iterable[Source],
        layout: str | None = None,
        *,
        check: str = "",
        today: datetime.date | None = None,
        by: str | None = None,
    ) -> list[Calculation]:
        """Price documents each by itself: one answer a document, by position, also where two have one number.

        Of many documents with numbers of their own `price` is quicker, and says the same of each.

        Args:
            documents: Each as for `orders`.
            layout: As for `orders`.
            check: Also ask the rules of this moment.
            today: For ``run.today``; blank if None.
            by: For ``run.user``; blank if None.
        """
        return [self.price(each, layout, check=check, today=today, by=by) for each in documents]

    def check_each(
        self,
        documents: Iterable[Source],
        at: str = "save",
        rule: str | None = None,
        today: datetime.date | None = None,
        by: str | None = None,
        layout: str | None = None,
    ) -> list[Findings]:
        """Ask the rules of a moment about documents each by itself: one answer a document, by position.

        Arguments are those of `check`.
        """
        return [self.check(each, at, rule, today, by, layout) for each in documents]

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
        from dokima.rulebook.sharing_out import in_sequence

        priced = partial(self.price_piece, check=check)
        with self.reading(layout) as chosen:
            how = (source, self.declared.fields, chosen, lines)
            seen = Seen(*how)
            for calculation, numbers in in_sequence(priced, order_pieces(*how), workers):
                if numbers is not None:
                    seen.add(numbers)
                yield calculation
                del calculation, numbers  # the next piece takes their place

    def price_piece(self, piece: Piece, check: str = "") -> tuple[Calculation, Numbers | None]:
        """Read and price a piece of a stream; its order numbers too, where one may come back in a later piece."""
        orders, numbers = piece()
        return self.price(orders, check=check), numbers
