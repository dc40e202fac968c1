"""Workbooks that ask for all memory or for hours: refused before they are read, and good ones are not."""

from __future__ import annotations

import io
import zipfile

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from dokima.formats import xlsx_guard
from dokima.formats.registry import read_grid
from dokima.limits import WORKBOOK_CELLS
from tests.books import book
from tests.shell import run_here

HEAD = '<?xml version="1.0" encoding="UTF-8"?>'
MAIN = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'


def parts(**more):
    """The parts of a small workbook as spreadsheets write it, by name."""
    file = io.BytesIO()
    made = openpyxl.Workbook()
    made.active.append(["number", "item", "quantity"])
    made.active.append(["A", "PANE", 2])
    made.save(file)
    with zipfile.ZipFile(file) as archive:
        return {name: archive.read(name) for name in archive.namelist()} | more


def written(tmp_path, found, name="o.xlsx", again=()):
    path = tmp_path / name
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for part, content in [*found.items(), *again]:
            archive.writestr(part, content)
    return path


def sheet(cells, beside="", head=HEAD, main=MAIN, tag="worksheet"):
    return f"{head}<{tag} {main}><sheetData>{cells}</sheetData>{beside}</{tag}>".encode()


SHEET = "xl/worksheets/sheet1.xml"
A1 = '<row r="1"><c r="A1"><v>1</v></c></row>'
FAR = '<row r="1048576"><c r="XFD1048576"><v>1</v></c></row>'
FIELDS = "".join(
    f'<c r="{letter}1" t="inlineStr"><is><t>{name}</t></is></c>'
    for letter, name in zip("ABC", ("number", "item", "quantity"), strict=True)
)
HARM = {
    "one cell at the end": sheet(A1 + FAR),
    "in another order": sheet('<row r="1"><c s="1" r="XFD1048576"><v>1</v></c></row>'),
    "quoted otherwise": sheet("<row r='1'><c r='XFD1048576'><v>1</v></c></row>"),
    "spaces": sheet('<row r="1"><c r = "XFD1048576" ><v>1</v></c></row>'),
    "a prefix": sheet('<x:row r="1"><x:c r="XFD1048576"><x:v>1</x:v></x:c></x:row>', main=MAIN.replace("=", ":x=", 1)),
    "a mark within": sheet('<row r="1"><c t="a>b" r="XFD1048576"><v>1</v></c></row>'),
    "a reference": sheet('<row r="1"><c r="&#88;FD1048576"><v>1</v></c></row>'),
    "after a comment": sheet('<!-- <c r="A1"> --><row r="1"><c r="XFD1048576"><v>1</v></c></row>'),
    "no places": sheet(f'<row>{"<c><v>1</v></c>" * 9000}</row>' + "<row><c><v>1</v></c></row>" * 3000),
    "rows beyond": sheet('<row r="4294967295"><c><v>1</v></c></row>'),
    "columns beyond": sheet('<row r="1"><c r="ZZZZZZZ9"><v>1</v></c></row>'),
    "in UTF-16": (sheet(FAR, head='<?xml version="1.0" encoding="UTF-16"?>').decode()).encode("utf-16"),
    "merges": sheet(FIELDS.join(("<row r='1'>", "</row>")) + '<row r="1000000"><c r="A1000000"><v>1</v></c></row>',
        "<mergeCells>" + "".join(f'<mergeCell ref="{c}1:{c}1048576"/>' for c in ("A", "B", "C") * 1000) + "</mergeCells>"),
    "many merges": sheet(A1, "<mergeCells>" + '<mergeCell ref="A1:B1"/>' * 100_001 + "</mergeCells>"),
    "a long text": sheet(f'<row r="1"><c r="A1" t="inlineStr"><is><t>{"x" * 300_000}</t></is></c></row>'),
    "a long text in parts": sheet(f'<row r="1"><c r="A1" t="inlineStr"><is><t><![CDATA[{"x<" * 200_000}]]></t></is></c></row>'),
    "a type": b'<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa">]>' + sheet(A1, head=""),
    "cut off": sheet(A1)[:-20],
}  # fmt: skip


@pytest.mark.parametrize("content", HARM.values(), ids=HARM)
def test_a_sheet_that_would_take_all_memory_is_refused_by_name(tmp_path, content):
    path = written(tmp_path, parts(**{SHEET: content}))
    with pytest.raises(dokima.DocumentError, match=r"^o\.xlsx: ('xl/worksheets/sheet1\.xml'|cannot be read|sheet)"):
        book().price(path)
    (tmp_path / "rulebook.toml").write_text('[rulebook]\nname = "x"\ncurrency = "EUR"\n')
    status, _, said = run_here(tmp_path, "price", "o.xlsx")
    assert (status, "o.xlsx" in said) == (2, True)


@pytest.mark.filterwarnings("ignore:Duplicate name")
def test_archives_that_are_not_what_they_say(tmp_path):
    large = sheet(f'<row r="1"><c r="A1" t="inlineStr"><is><t>{"x" * 30_000_000}</t></is></c></row>')
    texts = f"{HEAD}<sst {MAIN}><si><t>{'x' * 200_000}</t></si></sst>".encode()
    cells = "".join(f'<row r="{n}"><c r="A{n}" t="s"><v>0</v></c></row>' for n in range(1, 12_000))
    good = parts()
    for found, again, said in (
        (parts(**{SHEET: large}), (), "is packed too well for a workbook"),
        (
            parts(**{SHEET: sheet(cells), "xl/sharedStrings.xml": texts}),
            (),
            "says a text of 200,0.. bytes in up to 11,999 cells",
        ),
        (good, [(SHEET, sheet(A1))], "a part is in the archive twice"),
        (good, [(SHEET.upper(), sheet(A1))], "a part is in the archive twice"),
        (good, [(f"x{n}.txt", b"") for n in range(5001)], "expected at most 5,000 parts"),
    ):
        with pytest.raises(dokima.DocumentError, match=said):
            read_grid(written(tmp_path, found, again=again))
    (tmp_path / "o.xlsx").write_bytes(b"PK\x03\x04" + b"\0" * 50)
    with pytest.raises(dokima.DocumentError, match=r"o\.xlsx: cannot be read"):
        read_grid(tmp_path / "o.xlsx")


def test_what_real_workbooks_hold_is_read(tmp_path):
    """Empty cells that only have a style reach to the last column; a declared range says what it likes."""
    styled = "".join(f'<c r="{xlsx_guard._letters(at)}{n}" s="1"/>' for n in (1, 1_048_576) for at in (1, 16_384))
    rows = (
        f'<row r="1">{FIELDS}</row><row r="2"><c r="A2"><v>7</v></c><c r="B2"><v>8</v></c><c r="C2"><v>2</v></c></row>'
    )
    far = f'<row r="1048576">{styled}</row>'
    content = sheet(rows + far, '<mergeCells><mergeCell ref="A2:A1048576"/></mergeCells>').replace(
        b"<sheetData>", b'<dimension ref="A1:XFD1048576"/><sheetData>'
    )
    grid = read_grid(written(tmp_path, parts(**{SHEET: content})))
    assert {name: list(column.values)[:1] for name, column in grid.columns.items()}.keys() == {
        "number",
        "item",
        "quantity",
    }
    made = openpyxl.Workbook()
    for row in range(300):
        made.active.append([f"text {row}", row, None, "x" * 5000])
    made.active.merge_cells("A1:B1")
    made.save(tmp_path / "real.xlsx")
    xlsx_guard.refuse_harmful(tmp_path / "real.xlsx")


LETTERS = st.integers(1, 16_384).map(xlsx_guard._letters)


@given(
    st.lists(st.tuples(LETTERS, st.integers(1, 1_048_576), st.sampled_from(["", ' t="s"', ' s="1"'])), max_size=30),
    st.integers(40, 400),
)
def test_patterns_and_parser_find_the_same(cells, size):
    """The quick way and the careful one, whatever is cut off between two chunks."""
    text = sheet(
        "".join(f'<row r="{n}"><c r="{c}{n}"{kind}><v>1</v></c></row>' for c, n, kind in cells),
        '<mergeCells><mergeCell ref="A1:B2"/></mergeCells>',
    )
    chunks = [text[at : at + size] for at in range(0, len(text), size)]
    quick, careful = xlsx_guard._plainly(iter(chunks), is_texts=False), xlsx_guard._parsed(iter(chunks))
    for found in (quick, careful):
        found.longest = 0
    assert quick == careful
    assert careful.rows * careful.columns <= WORKBOOK_CELLS or cells
