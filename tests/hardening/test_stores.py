"""Stores of files: a disk that is full, files that are none of ours, and what was decided before that."""

import errno
import json
import os
import shutil
import stat
import time
from pathlib import Path

import pytest

import dokima
from dokima.formats.whole_files import write_whole
from tests.books import DEMO
from tests.hardening.test_races import in_a_process
from tests.shell import run_here


@pytest.fixture
def store(tmp_path):
    folder = tmp_path / "q"
    shutil.copytree(DEMO, folder)
    return dokima.FolderStore(folder, dokima.load(folder))


def submitted(store):
    """A change order that splits: the order keeps 36 panes, four become a supplement."""
    number = store.open_change("SQ-2041", "Ada", reason="more panes").number
    store.update_change(number, "Ada", lambda change: change.edit("Ada").change_line(10, quantity=40))
    store.update_change(number, "Ada", lambda change: change.submit("Ada"))
    return number


def full_disk(monkeypatch, after: int) -> None:
    """No more than so many files come to their place."""
    real, count = Path.replace, [0]

    def replace(self, target):
        if count[0] == after:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        count[0] += 1
        return real(self, target)

    monkeypatch.setattr(Path, "replace", replace)


@pytest.mark.parametrize("written", [0, 1, 2, 3])
def test_a_full_disk_says_whether_the_approval_stands(store, monkeypatch, written):
    number = submitted(store)
    full_disk(monkeypatch, written)
    said = (
        r"cannot be written: No space left on device$"
        if written == 0
        else r"'SQ-2041-C1' is decided, and stands: its documents will be completed by the next command"
    )
    with pytest.raises(dokima.DokimaError, match=said):
        store.approve(number, "Ben")
    monkeypatch.undo()
    again = dokima.FolderStore(store.folder, store.book)
    assert again.change(number).state == ("approved" if written else "submitted")
    if written:
        again.open_change("SQ-2042", "Ada", reason="anything")  # the next command completes it
        assert not list((store.folder / "settlements").glob("*.pending"))
        assert again.ledger("SQ-2041").is_balanced


def test_writers_of_one_file_share_no_partial_file(tmp_path):
    """Four processes write one report over and over: whoever reads it finds one of them whole, never nothing."""
    target = tmp_path / "r.txt"
    write_whole(target, "0" * 50_000)
    children = [in_a_process(lambda n: [write_whole(target, str(n) * 50_000) for _ in range(60)], n) for n in range(4)]
    read = {target.read_text() for _ in range(3000)}
    assert [os.waitpid(child, 0)[1] for child in children] == [0] * 4
    assert read <= {str(n) * 50_000 for n in range(4)}
    assert [path.name for path in tmp_path.iterdir()] == ["r.txt"]


def test_nobody_writes_through_a_planted_link(tmp_path):
    """Neither under the name that a file beside another once had, nor where a folder says who is writing."""
    outside = tmp_path / "outside"
    outside.write_text("mine")
    folder = tmp_path / "q"
    (folder / "orders").mkdir(parents=True)
    for name in (".r.txt.partial", ".writer"):
        (folder / name).symlink_to(outside)
    write_whole(folder / "r.txt", "x")
    dokima.FolderStore(folder, dokima.load(DEMO)).documents.transact("Ada", lambda _: None)
    assert outside.read_text() == "mine"


def test_a_file_keeps_its_permissions_and_left_overs_go_after_an_hour(tmp_path):
    target, old, young, other = (
        tmp_path / name
        for name in ("r.txt", ".r.txt.0123456789abcdef.partial", ".x.00aa11bb22cc33dd.partial", ".x.partial")
    )
    write_whole(target, "1")
    assert stat.S_IMODE(target.stat().st_mode) == 0o666 & ~umask()
    target.chmod(0o640)
    for each in (old, young, other):
        each.write_text("half")
    os.utime(old, (time.time() - 3700,) * 2)
    os.utime(other, (time.time() - 3700,) * 2)
    write_whole(target, "2")
    assert (target.read_text(), stat.S_IMODE(target.stat().st_mode)) == ("2", 0o640)
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted(each.name for each in (target, young, other))
    write_whole(tmp_path / ("ü" * 127), "a name as long as there can be")


def umask():
    found = os.umask(0)
    os.umask(found)
    return found


@pytest.mark.parametrize(
    "decided",
    ["", "[", "[1]", '{"orders/A.json": 5}', '{"../../x.json": "{}"}', '{"/abs.json": "{}"}', '{"orders/../../y.json": "{}"}',
     '{"other/A.json": "{}"}', "[" * 5000],
)  # fmt: skip
def test_what_is_no_decision_of_ours_is_written_nowhere(store, decided):
    folder = store.folder / "settlements"
    folder.mkdir(exist_ok=True)
    (folder / "SQ-9-C1.pending").write_text(decided)
    before = sorted(path for path in store.folder.parent.rglob("*.json"))
    with pytest.raises(dokima.DokimaError, match=r"SQ-9-C1\.pending"):
        store.open_change("SQ-2041", "Ada", reason="x")
    assert sorted(path for path in store.folder.parent.rglob("*.json")) == before


@pytest.mark.parametrize("shape", ["folder", "pipe", "text"])
@pytest.mark.parametrize("name", [".lock", ".writer", "changes/SQ-2041-C1.json", "orders/SQ-2041.json"])
def test_files_of_any_shape_end_in_a_message(tmp_path, shape, name):
    folder = tmp_path / "store"
    (folder / "orders").mkdir(parents=True)
    (folder / "changes").mkdir()
    (folder / "orders" / "SQ-2041.json").write_bytes((DEMO / "orders" / "SQ-2041.json").read_bytes())
    target = folder / name
    target.unlink(missing_ok=True)
    match shape:
        case "folder":
            target.mkdir()
        case "pipe":
            os.mkfifo(target)
        case _:
            target.write_text(json.dumps({"by": [5]}))
    is_order, cannot_lock = name.startswith("orders"), name == ".lock" and shape != "text"
    wrong = {"folder": "it is a folder", "pipe": "it is no regular file", "text": "expected"}[shape]
    for command, fails in (
        (["change", "open", "SQ-2041", "--reason", "x", "--by", "Ada"], is_order or cannot_lock),
        (["change", "list"], False),  # a change order that cannot be read is listed
        (["change", "ledger", "SQ-2041"], is_order),
    ):
        status, out, said = run_here(DEMO, *command, "--store", folder, width=300)
        assert (status, bool(said)) == ((2, True) if fails else (0, False))
        assert not fails or (Path(name).name in said and (wrong in said or cannot_lock))
        if name.startswith("changes") and command[0] != "change":
            assert "SQ-2041-C1" in out


@pytest.mark.parametrize("ending", ["html", "md", "pdf", "xlsx", "csv", "json", "docx", "png", "page"])
def test_a_report_that_does_not_fit_leaves_nothing_of_itself(tmp_path, monkeypatch, ending):
    target = tmp_path / f"r.{ending}"
    target.write_text("as it was")

    def full(*_arguments):
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(os, "fsync", full)
    book = dokima.load(DEMO)
    priced = book.price(DEMO / "orders")
    proof = dokima.prove(DEMO, coverage=True) if ending == "page" else None
    ways = {
        "png": lambda: dokima.draw(priced["SQ-2041"].line(10), target),
        "page": lambda: dokima.coverage_page(DEMO, proof, target),
        "docx": lambda: dokima.report(book).write(target),
    }
    work = ways.get(ending, lambda: dokima.report(priced).write(target))
    with pytest.raises(dokima.DokimaError, match="cannot be written: No space left on device"):
        work()
    assert target.read_text() == "as it was"
    assert [path.name for path in tmp_path.iterdir()] == [target.name]


@pytest.mark.parametrize("told", ["[]", '{"pieces": [5], "form": 1, "about": {}}', '{"form": "x"}', "\x00"])
def test_a_manifest_of_any_shape_and_a_folder_that_cannot_be_made(tmp_path, told):
    out = tmp_path / "o.parquet"
    out.mkdir()
    (out / "_manifest.json").write_text(told)
    status, _, said = run_here(DEMO, "price", "orders", "--out", out, "--resume")
    assert (status, "is no manifest of a run" in said) == (2, True)
    (tmp_path / "file").write_text("")
    status, _, said = run_here(DEMO, "price", "orders", "--out", tmp_path / "file" / "o.parquet")
    assert (status, "cannot be written: Not a directory" in said) == (2, True)


@pytest.mark.parametrize(
    ("closed", "command"),
    [("cases", "prove"), ("orders", "price orders"), ("orders", "orders --store ."), ("changes", "change list"), (".", "check orders")],
)  # fmt: skip
def test_a_folder_that_may_not_be_looked_into_is_no_empty_folder(store, monkeypatch, closed, command):
    """`dokima prove` said that there were no cases, and all was well."""
    real = os.listdir

    def listdir(path):
        if Path(path).resolve() == (store.folder / closed).resolve():
            raise PermissionError(errno.EACCES, "Permission denied", str(path))
        return real(path)

    store.open_change("SQ-2041", "Ada", reason="more panes")
    monkeypatch.setattr(os, "listdir", listdir)
    status, out, said = run_here(store.folder, *command.split())
    assert (status, out) == (2, "")
    assert said.endswith(f"{closed}' cannot be read: Permission denied\n")
