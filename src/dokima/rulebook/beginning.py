"""Beginning a rulebook: a small one that works, or one proposed for files of one's own; and answering its questions."""

from __future__ import annotations

import os
import re
import shutil
from collections.abc import Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from pathlib import Path
from typing import Any

from dokima.errors import DokimaError, NotFound, listed, nearest
from dokima.exact import to_decimals
from dokima.formats.csv_files import csv_of_columns
from dokima.formats.regular_files import text_of
from dokima.formats.sniffing import RawSheet, odd_words, sniff
from dokima.formats.whole_files import write_whole
from dokima.inference.beginning import Beginning
from dokima.inference.once import continued, said_once
from dokima.inference.profiles import FileProfile, profile_file
from dokima.inference.proposal import LAYOUT, Export, Guess, Proposal, propose
from dokima.inference.questions import about_encoding
from dokima.inference.roles import flat_roles, linked_roles
from dokima.pricing.calculation.calculation import Calculation
from dokima.rulebook.beginning_cases import CASES, first_cases, first_paper
from dokima.rulebook.beginning_documents import tables_of_documents
from dokima.rulebook.book import Rulebook, load
from dokima.rulebook.case_writing import add_cases
from dokima.rulebook.toml_writing import answered, rulebook_text

MOST_DIFFERENT = 10
"""Lines that are not reproduced of which each is told."""


def begin(folder: str | Path, sources: Sequence[str | Path] = (), prices: str | Path | None = None) -> Beginning:
    """Begin a rulebook in a folder. Nothing that is there is overwritten.

    Args:
        folder: The folder; it is made if it is missing.
        sources: An export of orders (CSV, XLSX, Parquet or JSON), or two of headers and lines. Without any a small
            rulebook is written that works, with one table, one rule, one order and one case.
        prices: A price list.

    Returns:
        What was written, guessed, left open, and reproduced.

    Raises:
        DokimaError: A file is there already; no column of the export tells orders apart.
        DocumentError: A file cannot be read.
    """
    target = Path(folder)
    if not sources:
        if prices is not None:
            raise DokimaError("expected --from with an export beside --prices")
        return _small(target)
    lines = ""
    if len(sources) == 1 and Path(sources[0]).suffix.lower() in (".json", ".jsonl"):
        found, lines = tables_of_documents(Path(sources[0]))
    else:
        found = [sniff(Path(source)) for source in sources]
        found = found if len(found) > 1 else _sheets(Path(sources[0]), found[0])
    if len(found) > 2:
        raise DokimaError(f"expected one export, or two of headers and lines (got {len(found)})")
    listed_prices = sniff(Path(prices)) if prices is not None else None
    export = _understood(found, None if listed_prices is None else _profiled(listed_prices))
    name = re.sub(r"[^a-z0-9]+", "_", target.resolve().name.lower()).strip("_") or "rulebook"
    name = name if not name[0].isdigit() else f"r{name}"
    made = _proposed(name, export, found, listed_prices, lines)
    filled = made.settings["layout"][LAYOUT].get("line", {})
    made.settings["paper"] = first_paper(filled, is_priced=bool(made.settings.get("routine")))
    files = {"rulebook.toml": rulebook_text(made), **{file: _csv(*rows) for file, rows in made.rows.items()}}
    copies = {} if listed_prices is None else {f"tables/{listed_prices.path.name}": listed_prices.path}
    if os.path.exists(target / CASES):
        raise DokimaError(f"'{target / CASES}' is there already, and nothing is overwritten; name another folder")
    written = _write(target, files, copies)
    try:
        return _tried(target, made, found, written)
    except DokimaError:
        for each in written:
            each.unlink(missing_ok=True)
        raise


def _sheets(path: Path, first: RawSheet) -> list[RawSheet]:
    """The sheets of a workbook that hold rows: one, or headers and lines."""
    if path.suffix.lower() != ".xlsx":
        return [first]
    from dokima.formats.xlsx_files import sheet_names

    found = []
    for name in sheet_names(path):
        try:
            found.append(sniff(path, name))
        except DokimaError:
            continue  # a sheet of notes has no headings
    return found if len(found) == 2 else [first]


def _columns(sheet: RawSheet) -> dict[str, list[Any]]:
    return {heading: sheet.column(heading) for heading in sheet.headings}


def _profiled(sheet: RawSheet) -> FileProfile:
    return profile_file(_columns(sheet))


def _understood(found: Sequence[RawSheet], prices: FileProfile | None) -> Export:
    if len(found) == 1:
        columns = _columns(found[0])
        once = said_once(columns)
        file = replace(profile_file(continued(columns, once)), said_once=once)
        roles = flat_roles(file, prices)
        if roles is None:
            raise DokimaError(f"{found[0].name}: no column tells one order from another; is it an export of orders?")
        return Export(roles, file, file)
    files = [_profiled(sheet) for sheet in found]
    for headers, lines in ((0, 1), (1, 0)):
        both = linked_roles(files[headers], files[lines], prices)
        if both is not None:
            return Export(both[0], files[headers], files[lines], both[1])
    raise DokimaError(f"no column of {found[1].name} names the orders of {found[0].name}, nor the other way round")


def _proposed(
    name: str, export: Export, found: Sequence[RawSheet], prices: RawSheet | None, lines: str = ""
) -> Proposal:
    file: dict[str, Any] = {}
    if prices is not None:
        file = {"file": f"tables/{prices.path.name}", **_how(prices)}
    priced = None if prices is None else _profiled(prices)
    made = propose(name, export, priced, file, "" if prices is None else prices.path.name)
    layout = made.settings["layout"][LAYOUT]
    sheets = list(found)
    if lines:
        layout["lines"] = lines
    elif len(sheets) == 2:
        first, second = sheets if export.link in sheets[1].headings and _is_headers(sheets[0], export) else sheets[::-1]
        files = {"headers": first.path.name, "lines": second.path.name}
        if first.path == second.path:
            layout["sheets"] = {"headers": first.sheet, "lines": second.sheet, "link": export.link}
        else:
            layout["files"] = {**files, "link": export.link}
    # Marks stand before the columns, as in a layout that a person writes.
    how = (
        _how(sheets[0])
        if len({sheet.path for sheet in sheets}) > 1 or len(sheets) == 1
        else {key: value for key, value in _how(sheets[0]).items() if key != "sheet"}
    )
    made.settings["layout"][LAYOUT] = {**how, **layout}
    for sheet in (*sheets, *([prices] if prices is not None else [])):
        made.guesses[:0] = [Guess(sheet.name, "how it is read", said) for said in sheet.evidence if said]
    uncertain = next((sheet for sheet in sheets if not sheet.is_certain), None)
    if uncertain is not None:
        cells = (cell for row in [uncertain.headings, *uncertain.rows] for cell in row if isinstance(cell, str))
        made.questions.append(about_encoding(", ".join(odd_words(" ".join(cells))[:5]), LAYOUT))
    return made


def _is_headers(sheet: RawSheet, export: Export) -> bool:
    return list(sheet.headings) == list(export.headers.columns)


def _how(sheet: RawSheet) -> dict[str, Any]:
    """What a layout or a table says of a file."""
    said: dict[str, Any] = {}
    if sheet.separator and sheet.separator != ",":
        said["separator"] = sheet.separator
    if sheet.encoding and sheet.encoding != "utf-8":
        said["encoding"] = sheet.encoding
    if sheet.sheet:
        said["sheet"] = sheet.sheet
    if sheet.heading_row != 1:
        said["heading_row"] = sheet.heading_row
    if sheet.sums:
        said["sums"] = list(sheet.sums)
    return said


def _csv(headings: Sequence[str], rows: Sequence[Sequence[Any]]) -> str:
    columns = {name: [row[at] for row in rows] for at, name in enumerate(headings)}
    return csv_of_columns(columns, headings, raw=True)


def _write(folder: Path, files: Mapping[str, str], copies: Mapping[str, Path]) -> list[Path]:
    """Write everything, or nothing where one of the files is there already."""
    targets = [folder / name for name in (*files, *copies)]
    there = [target for target in targets if os.path.exists(target)]
    if there:
        raise DokimaError(f"'{there[0]}' is there already, and nothing is overwritten; name another folder")
    for name, text in files.items():
        write_whole(folder / name, text)
    for name, source in copies.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(source, folder / name)
    return targets


def _tried(folder: Path, made: Proposal, found: Sequence[RawSheet], written: Sequence[Path]) -> Beginning:
    """Price the export with the rulebook as it was written, and compare with what it states."""
    book = load(folder)
    paths = list(dict.fromkeys(sheet.path.resolve() for sheet in found))
    if len(paths) == 2 and "files" in made.settings["layout"][LAYOUT]:
        names = made.settings["layout"][LAYOUT]["files"]
        paths.sort(key=lambda path: path.name != names["headers"])
    orders = book.orders(paths[0] if len(paths) == 1 else paths, LAYOUT)
    calculation = book.price(orders)
    cases = first_cases(calculation, " and ".join(path.name for path in paths))
    if cases:
        add_cases(folder / CASES, cases)
        written = [*written, folder / CASES]
    return Beginning(str(folder), _named(folder, written), made.guesses, made.questions, *_compared(calculation))


def _named(folder: Path, written: Sequence[Path]) -> list[str]:
    return [str(each.relative_to(folder)) for each in written]


def _compared(calculation: Calculation) -> tuple[int, int, list[tuple[str, str, Decimal | None, Decimal | None, str]]]:
    orders = calculation.orders
    stated = to_decimals(orders.line("stated_net"))  # type: ignore[arg-type]
    if "net" not in calculation.figures:
        return sum(value is not None for value in stated), 0, []
    net = [None if text is None else Decimal(text) for text in calculation.figure_texts("net")]
    lines = same = 0
    different: list[tuple[str, str, Decimal | None, Decimal | None, str]] = []
    numbers, of = orders.line_numbers, orders.order_of.tolist()
    for at, (wanted, got) in enumerate(zip(stated, net, strict=True)):
        if wanted is None:
            continue
        lines += 1
        if wanted == got:
            same += 1
        elif len(different) < MOST_DIFFERENT:
            order = orders.numbers[of[at]]
            said = [each.message for each in calculation.findings.of(order, numbers[at]) if each.rule != "stated"]
            different.append((order, numbers[at], wanted, got, said[0] if said else ""))
    return lines, same, different


# -- a small one ------------------------------------------------------------------------------------------------------


def _small(folder: Path) -> Beginning:
    from importlib import resources

    source = resources.files("dokima.rulebook") / "first"
    files: dict[str, str] = {}
    for name in ("rulebook.toml", "tables/items.csv", "orders/Q-1.json", "cases/first.toml"):
        files[name] = source.joinpath(*name.split("/")).read_text(encoding="utf-8")
    written = _write(folder, files, {})
    load(folder)
    return Beginning(str(folder), _named(folder, written))


# -- answers ----------------------------------------------------------------------------------------------------------


def answer(folder: str | Path, answers: Mapping[str, str]) -> Rulebook:
    """Answer questions of a rulebook; all of them or, if one is no question or no answer, none.

    Args:
        folder: The folder of the rulebook.
        answers: Answers by the id of their question.

    Returns:
        The rulebook as it is then.

    Raises:
        NotFound: There is no such question; names the nearest.
        RulebookError: An answer is none of those there are, or the rulebook is wrong with it.
    """
    path = Path(folder) / "rulebook.toml"
    try:
        before = text_of(path)
    except OSError as error:
        raise DokimaError(f"'{path}' cannot be read: {error.strerror}") from None
    text, known = answered(before, answers)
    unknown = next((name for name in answers if name not in known), None)
    if unknown is not None:
        there = f"; there are {listed(known)}" if known else "; there is none"
        raise NotFound(f"there is no question '{unknown}'{nearest(unknown, known) or there}")
    write_whole(path, text)
    try:
        return load(folder)
    except DokimaError:
        write_whole(path, before)  # what does not load is taken back, and the reason told
        raise
