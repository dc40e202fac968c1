"""A specification knows whether it is still true: each part, in each form, and whether somebody edited the document."""

import json
import shutil
import zipfile

import docx
import pypdf
import pytest

import dokima
from tests.books import DEMO
from tests.shell import run_here

FORMS = ("html", "md", "docx", "pdf", "json")


@pytest.fixture(scope="module")
def written(tmp_path_factory):
    """The demo, and its specification in every form, made once."""
    folder = tmp_path_factory.mktemp("verifying")
    book = folder / "book"
    shutil.copytree(DEMO, book)
    spec = dokima.report(dokima.specify(dokima.CaseFolder(book), facts={"date": "2026-03-02"}))
    return book, {form: spec.write(folder / f"spec.{form}") for form in FORMS}


def changed(book, tmp_path, file, old, new):
    """The rulebook with one thing otherwise."""
    folder = tmp_path / "changed"
    shutil.copytree(book, folder)
    text = (folder / file).read_text()
    assert text.count(old) == 1, (file, old, text.count(old))
    (folder / file).write_text(text.replace(old, new))
    return dokima.CaseFolder(folder)


@pytest.mark.parametrize("form", FORMS)
def test_each_form_is_true_until_something_changes(form, written, tmp_path):
    book, files = written
    status, out, _ = run_here(book, "spec", "--verify", files[form])
    assert (status, out.count("made on 2026-03-02, is true: ")) == (0, 1)
    (tmp_path / "book").mkdir()
    folder = changed(book, tmp_path, "rulebook.toml", "freight_rate = 0.38", "freight_rate = 0.41").folder
    status, out, _ = run_here(folder, "spec", "--verify", files[form])
    assert (status, out.splitlines()[1:]) == (1, ["  value freight_rate: changed"])


@pytest.mark.parametrize(
    ("file", "old", "new", "changes"),
    [
        ("rulebook.toml", 'id = "half-days"', 'id = "part-days"', {"rule half-days": "gone", "rule part-days": "new"}),
        ("tables/items.csv", "PANE-T6", "PANE-T7", {"table item": "changed"}),
        ("rulebook.toml", 'works = "amend" }', 'works = "split" }', {"other settings": "changed"}),
    ],
)  # fmt: skip
def test_what_changed_is_named(file, old, new, changes, written, tmp_path):
    book, files = written
    text = (book / file).read_text()
    if text.count(old) > 1:  # the first of several rows that name an item
        old, new = text[: text.index(old) + len(old)], text[: text.index(old)] + new
    found = dokima.verify_specification(files["md"], changed(book, tmp_path, file, old, new))
    assert {name: what for name, what in found.changes.items() if not name.startswith("case ")} == changes


def test_a_note_the_sequence_of_steps_and_a_case_are_parts_too(tmp_path):
    folder = tmp_path / "own"
    (folder / "cases").mkdir(parents=True)
    text = (
        '[rulebook]\nname = "own"\ncurrency = "EUR"\n[routine.r]\nnote = "First."\nstep = [\n'
        '{ name = "price", kind = "price", options = [{ value = "8" }] },\n'
        '{ name = "off", kind = "discount", percent = "3" },\n{ name = "pack", kind = "charge", amount = "2" },\n]\n'
    )
    case = '[[case]]\nname = "one"\norder = {{ lines = [{{ item = "A", quantity = {0} }}] }}\n[case.expect]\npayable = {1}\n'
    (folder / "rulebook.toml").write_text(text)
    (folder / "cases" / "a.toml").write_text(case.format(1, "9.76"))
    target = dokima.report(dokima.specify(dokima.CaseFolder(folder))).write(tmp_path / "own.html")

    def changes():
        return dict(dokima.verify_specification(target, dokima.CaseFolder(folder)).changes)

    assert changes() == {}
    (folder / "rulebook.toml").write_text(text.replace("First.", "Second."))
    assert changes() == {"routine r": "changed"}
    lines = text.splitlines(keepends=True)
    (folder / "rulebook.toml").write_text("".join([*lines[:-3], lines[-2], lines[-3], lines[-1]]))
    assert changes() == {"routine r": "changed"}
    (folder / "rulebook.toml").write_text(text)
    (folder / "cases" / "a.toml").write_text(case.format(2, "17.52") + case.format(1, "9.76").replace('"one"', '"two"'))
    assert changes() == {"case one": "changed", "case two": "new"}
    without = dokima.report(dokima.specify(dokima.CaseFolder(folder), run=False)).write(tmp_path / "without.md")
    (folder / "cases" / "a.toml").unlink()  # it said nothing of cases
    assert dokima.verify_specification(without, dokima.CaseFolder(folder)).is_true


def test_an_edited_document_is_named_and_one_that_was_only_saved_again_is_true(written, tmp_path):
    book, files = written

    def told(target):
        return run_here(book, "spec", "--verify", target)[::2]

    copies = {form: tmp_path / file.name for form, file in files.items()}
    for form in ("html", "md"):
        text = files[form].read_bytes()
        copies[form].write_bytes(text.replace(b"\n", b"\r\n"))  # as a repository may give it back
        assert told(copies[form])[0] == 0
        copies[form].write_bytes(
            text.replace(b"at least 5", b"at least 6", 1) if b"at least 5" in text else text + b"x"
        )
    said = json.loads(files["json"].read_text())
    copies["json"].write_text(json.dumps(said, indent=1))
    assert told(copies["json"])[0] == 0
    said["chapters"][0]["title"] = "Aim"
    copies["json"].write_text(json.dumps(said))
    word = docx.Document(str(files["docx"]))
    word.save(str(copies["docx"]))
    assert told(copies["docx"])[0] == 0
    word.paragraphs[20].add_run(" or so")
    word.save(str(copies["docx"]))
    pages = pypdf.PdfWriter(clone_from=files["pdf"])
    pages.remove_page(0)
    pages.write(copies["pdf"])
    for form in FORMS:
        status, said = told(copies[form])
        assert (form, status, "somebody has edited it" in said) == (form, 2, True)


@pytest.mark.parametrize("name", ["none.md", "none.pdf", "none.json", "none.docx", "none.html"])
def test_what_is_no_specification_is_refused(name, written, tmp_path):
    book, _ = written
    (tmp_path / name).write_text('{"title": "x"}')
    status, out, said = run_here(book, "spec", "--verify", tmp_path / name)
    assert (status, out, "expected a specification that 'dokima spec --out' has written" in said) == (2, "", True)
    assert run_here(book, "spec", "--verify", tmp_path / f"no-{name}")[0] == 2
    assert run_here(book, "spec", "--verify", tmp_path / name, "--out", tmp_path / "x.md")[0] == 2


HOSTILE = {
    "record that is no JSON.md": b'<!-- {"dokima_specification": 1, "title": x, "seal": "%s"} -->' % (b"0" * 64),
    "record without parts.html": b'{"dokima_specification": 1, "title": "x", "seal": "%s"}' % (b"0" * 64),
    "record of lists.pdf": b'{"dokima_specification": 1, "title": [], "date": 3, "parts": [1], "seal": "%s"}'
    % (b"0" * 64),
    "very deep.json": b"[" * 100_000,
    "half a sign.json": b'{"title": "\\ud800", "parts": {}, "seal": "x"}',
    "parts of numbers.json": b'{"title": "x", "parts": {"rule a": 3}, "facts": [], "seal": "x"}',
    "no text.json": b"\xff\xfe{",
    "a list.json": b"[1]",
}


@pytest.mark.parametrize("name", HOSTILE)
def test_a_record_that_somebody_broke_is_told_and_never_a_defect(name, written, tmp_path):
    book, _ = written
    (tmp_path / name).write_bytes(HOSTILE[name])
    status, out, said = run_here(book, "spec", "--verify", tmp_path / name)
    assert (status, out) == (2, "")
    assert "expected a specification that" in said or "somebody has edited it" in said


@pytest.mark.parametrize("broken", ["word/document.xml", "[Content_Types].xml", "_rels/.rels", "customXml/item2.xml"])
def test_a_word_document_that_is_broken_inside_is_told(broken, written, tmp_path):
    book, files = written
    target = tmp_path / "broken.docx"
    with zipfile.ZipFile(files["docx"]) as old, zipfile.ZipFile(target, "w") as new:
        for name in old.namelist():
            content = old.read(name)
            new.writestr(name, content[: len(content) // 2] if name == broken else content)
    status, out, said = run_here(book, "spec", "--verify", target)
    assert (status, out) == (2, "")
    assert "expected a specification that" in said or "somebody has edited it" in said
