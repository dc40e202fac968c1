"""What the blocks of a report hold stands in every file that is made of it, read by libraries that did not write it."""

from __future__ import annotations

import csv
import datetime
import html.parser
import io
import json
import re
import shutil
from decimal import Decimal

import openpyxl
import pypdf
import pytest

import dokima
from tests.books import DEMO

BOOK = dokima.load(DEMO)
ORDERS = DEMO / "orders"
DAY = datetime.date(2026, 3, 9)


def with_change(folder):
    store = dokima.FolderStore(folder, BOOK)
    number = store.open_change("SQ-2041", "Ada", reason="more panes").number
    store.update_change(number, "Ada", lambda change: change.edit("Ada").change_line(10, quantity=40))
    store.update_change(number, "Ada", lambda change: change.submit("Ada"))
    return store, number


def begun(folder):
    """A rulebook from an export in which one amount is wrong, so that there are guesses, questions and differences."""
    lines = [f"A{at // 3},{at % 3 + 1},PANE,{at + 1},48.50,{(at + 1) * 48.5 + (at == 7):.2f}" for at in range(30)]
    (folder / "export.csv").write_text("\n".join(["Order,Line,Item,Quantity,Price,Amount", *lines]) + "\n")
    return dokima.begin(folder / f"rules{len(list(folder.iterdir()))}", [folder / "export.csv"])


def suggested(folder):
    """Cases for a small rulebook that has none."""
    small = folder / f"book{len(list(folder.iterdir()))}"
    small.mkdir()
    (small / "rulebook.toml").write_text(
        '[rulebook]\nname = "x"\ncurrency = "EUR"\n[[rule]]\nid = "few"\nat = "save"\nrequire = "line.quantity < 5"\n'
        '[routine.r]\nstep = [{ name = "price", kind = "price", options = [{ value = "2" }] }]\n'
    )
    return dokima.CaseFolder(small, dokima.load(small)).suggest(DAY, most=5)


RESULTS = {
    "orders": lambda folder: BOOK.price(ORDERS),
    "findings": lambda folder: BOOK.check(ORDERS),
    "variance": lambda folder: BOOK.variance(ORDERS / "SQ-2041.json", with_change(folder)[0].change("SQ-2041-C1").document),
    "change": lambda folder: with_change(folder)[0].change("SQ-2041-C1"),
    "list of changes": lambda folder: with_change(folder)[0].list_changes(DAY),
    "ledger": lambda folder: with_change(folder)[0].ledger("SQ-2041"),
    "price list": lambda folder: BOOK.price_list(item="PANE-T6", date=DAY),
    "prices of a party": lambda folder: BOOK.price_list(customer="FERNHOLT", date=DAY),
    "audit": lambda folder: BOOK.audit(DAY),
    "versions": lambda folder: BOOK.compare(BOOK.with_tables(item=other_items())),
    "replay": lambda folder: BOOK.replay(ORDERS, BOOK.with_tables(item=other_items())),
    "proof": lambda folder: dokima.prove(DEMO, coverage=True),
    "listing": lambda folder: dokima.FolderStore(folder, BOOK).orders(),
    "lines": lambda folder: dokima.FolderStore(folder, BOOK).lines(),
    "one order": lambda folder: BOOK.price(ORDERS)["SQ-2041"],
    "coverage": lambda folder: dokima.prove(DEMO, coverage=True).coverage,
    "beginning": begun,
    "suggestions": suggested,
}  # fmt: skip


def other_items():
    """The items of the demo, each one euro dearer."""
    table = BOOK.program.tables["item"]
    rows = [{name: column.values[column.place(at)] if column.place(at) >= 0 else None for name, column in table.source.columns.items()}
            for at in range(table.source.size)]  # fmt: skip
    price = next(name for name in ("list_price", "price", "sales_price") if name in rows[0])
    return [{**row, price: str(Decimal(row[price]) + 1)} if row[price] else row for row in rows]


class Texts(html.parser.HTMLParser):
    """Headings and cells of a page, and whether every element that was opened was closed."""

    def __init__(self):
        super().__init__()
        self.open, self.cells, self.headings = [], [], []

    def handle_starttag(self, tag, _):
        if tag not in ("meta", "br", "link", "img", "col", "hr"):
            self.open.append(tag)
            if tag in ("td", "th"):
                self.cells.append("")
            if tag in ("h1", "h2", "h3"):
                self.headings.append("")

    def handle_endtag(self, tag):
        assert self.open.pop() == tag

    def handle_data(self, data):
        if {"td", "th"} & set(self.open):
            self.cells[-1] += data
        if self.open and {"h1", "h2", "h3"} & set(self.open):
            self.headings[-1] += data


def words(text):
    return re.sub(r"\s+", " ", text).strip()


@pytest.fixture(scope="module", params=RESULTS)
def made(request, tmp_path_factory):
    """A result's report with its blocks, and a folder."""
    folder = tmp_path_factory.mktemp("reports")
    shutil.copytree(ORDERS, folder / "orders")
    shown = dokima.report(RESULTS[request.param](folder), book=BOOK)
    return shown, shown._made(), folder


def wanted(paper):
    """Headings, and what each cell is written as."""
    headings = [section.heading for section in paper.sections if section.heading]
    cells = [
        [section.columns[at].cell(value) for at, value in enumerate(row.values)]
        for section in paper.sections
        for row in section.rows
    ]
    return headings, [words(cell) for row in cells for cell in row if cell]


def test_a_page_holds_every_heading_and_cell(made):
    shown, paper, _ = made
    page = Texts()
    page.feed(shown.html)
    assert page.open == []
    headings, cells = wanted(paper)
    there = [words(cell) for cell in page.cells]
    assert cells
    assert [cell for cell in cells if cell not in there] == []
    assert [each for each in headings if each not in map(words, page.headings)] == []
    assert not paper.currency or paper.currency in shown.html


def test_a_workbook_holds_every_heading_and_number(made):
    shown, paper, folder = made
    book = openpyxl.load_workbook(shown.write(folder / "r.xlsx"))
    assert len(book.sheetnames) == max(1, len(paper.sections))
    for section, sheet in zip(paper.sections, book.worksheets, strict=True):
        values = [value for row in sheet.iter_rows(values_only=True) for value in row if value is not None]
        texts = {words(str(value).removeprefix("'")) for value in values}
        assert [
            column.full
            for column in section.columns
            if column.heading and words(column.heading) not in texts and words(column.full) not in texts
        ] == []
        numbers = {
            Decimal(str(value)) for value in values if isinstance(value, int | float) and not isinstance(value, bool)
        }
        amounts = [
            value for row in section.rows for value in row.values if isinstance(value, Decimal) and abs(value) < 10**9
        ]
        assert [value for value in amounts if value.normalize() not in {each.normalize() for each in numbers}] == []
        for row in sheet.iter_rows():
            for cell in row:
                assert cell.data_type != "f", "nothing in it is a formula"


def test_a_paper_holds_every_heading_and_is_as_wide_as_it_needs(made):
    shown, paper, folder = made
    pages = pypdf.PdfReader(shown.write(folder / "r.pdf")).pages
    text = words(" ".join(page.extract_text() for page in pages))
    headings, cells = wanted(paper)
    assert words(paper.title) in text
    assert [each for each in headings if words(each) not in text] == []
    amounts = [cell for cell in cells if re.fullmatch(r"[+−-]?[\d,.]+\.\d\d", cell)]
    assert [cell for cell in amounts if cell not in text] == []
    for at, page in enumerate(pages, start=1):
        wide = page.mediabox.width > page.mediabox.height
        assert sorted(map(round, (page.mediabox.width, page.mediabox.height))) == [595, 842], "A4"
        assert wide == (pages[0].mediabox.width > pages[0].mediabox.height)
        assert f"{paper.page_words[0]} {at} {paper.page_words[1]} {len(pages)}" in words(page.extract_text())


def test_text_and_mail_hold_every_amount(made):
    shown, paper, _ = made
    _, cells = wanted(paper)
    amounts = {cell for cell in cells if re.fullmatch(r"[+−-]?[\d,.]+\.\d\d", cell)}
    mail = shown.markdown
    assert [cell for cell in amounts if cell not in mail] == []
    assert words(paper.title) in words(mail.replace("\\", ""))


def leaves(data, name=""):
    """Every value in plain data with its name, as CSV writes it."""
    if isinstance(data, dict):
        return {each for name, value in data.items() for each in leaves(value, name)}
    if isinstance(data, list | tuple):
        return {each for value in data for each in leaves(value, name)}
    return {(name, "true" if data is True else "false" if data is False else "" if data is None else str(data))}


def test_for_programs_a_cell_of_csv_is_what_json_says(made):
    shown, *_ = made
    data = json.loads(shown.json)
    assert data == json.loads(json.dumps(shown.data, default=str))
    text = shown.csv(raw=True)
    rows = list(csv.DictReader(io.StringIO(text)))
    assert rows, "a result with entries has rows"
    assert None not in {name for row in rows for name in row}, "no row is longer than the heading"
    known = leaves(data)
    both = {name for name, _ in known} & set(rows[0])
    assert both or isinstance(shown.result, dokima.VersionChanges)
    # Several values in one cell stand there with "; " or a space between them.
    cells = {(name, row[name]) for row in rows for name in both if row[name]} - known
    split = {(name, text): re.split("; | ", text) if name != "reaches" else text.split("; ") for name, text in cells}
    assert [cell for cell, parts in split.items() if {(cell[0], part) for part in parts} - known] == []
    assert next(iter(csv.reader(io.StringIO(shown.csv())))) == list(rows[0])
