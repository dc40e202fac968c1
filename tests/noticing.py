"""How many small changes of the code do the tests notice? Run by hand; nothing of the suite imports it.

    python -m tests.noticing map                          which tests reach which lines (once; about ten minutes)
    python -m tests.noticing run store --changes 40       changes of a package, one after the other
    python -m tests.noticing again store --tests tests/store    those that were not noticed, after tests have been added
    python -m tests.noticing table                        what came of all runs so far

A change is one spot: the edge of a comparison, an operand of ``and`` or ``or``, a guard, ``any`` for ``all``, ``min`` for
``max``, ``sorted`` left out, a check that is dropped, a number beside its own. Each is made in a copy of the tree, and the
tests that reach its line are run until one fails. Which spots are taken is decided by a seed.
"""

from __future__ import annotations

import argparse
import ast
import compileall
import importlib
import json
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import warnings
from collections import Counter
from collections.abc import Iterator
from dataclasses import asdict, dataclass, replace
from pathlib import Path

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "dokima"
KEPT = Path(os.environ.get("DOKIMA_NOTICING") or Path(tempfile.gettempdir()) / "dokima-noticing")
MOST_TESTS = 300
"""Tests that are run for one change: those of its own package first, then those that reach the fewest other lines."""
SECONDS = 300
"""What takes longer has been noticed: the change made it slow or endless."""
OPTIONS = ["-p", "no:cacheprovider", "-m", "", "-W", "ignore::pytest.PytestAssertRewriteWarning"]

EDGES = {ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
         ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In}  # fmt: skip
CALLS = {"any": "all", "all": "any", "min": "max", "max": "min", "sorted": "list"}


@dataclass(frozen=True)
class Change:
    """A change of one spot, and what came of it."""

    file: str
    line: int
    kind: str
    before: str
    after: str
    tests: int = 0
    noticed: bool = False


class _Spots(ast.NodeVisitor):
    """All spots of a file, as (node, kind, changed node)."""

    def __init__(self) -> None:
        self.found: list[tuple[ast.AST, str, ast.AST]] = []

    def visit_Compare(self, node: ast.Compare) -> None:
        """The edge of a comparison."""
        for at, operator in enumerate(node.ops):
            if type(operator) in EDGES:
                ops = [EDGES[type(operator)]() if at == other else each for other, each in enumerate(node.ops)]
                self.found.append((node, "edge", ast.Compare(node.left, ops, node.comparators)))
        self.generic_visit(node)

    def visit_BoolOp(self, node: ast.BoolOp) -> None:
        """One operand less."""
        for at in range(len(node.values)):
            left = [each for other, each in enumerate(node.values) if other != at]
            self.found.append((node, "operand", left[0] if len(left) == 1 else ast.BoolOp(node.op, left)))
        self.generic_visit(node)

    def visit_If(self, node: ast.If) -> None:
        """A guard that never holds, and a check that is dropped."""
        kind = "check" if any(isinstance(each, ast.Raise) for each in node.body) else "guard"
        self.found.append((node.test, kind, ast.Constant(False)))
        self.generic_visit(node)

    def visit_IfExp(self, node: ast.IfExp) -> None:
        """The other way."""
        self.found.append((node.test, "guard", ast.UnaryOp(ast.Not(), node.test)))
        self.generic_visit(node)

    def visit_Call(self, node: ast.Call) -> None:
        """One function for another."""
        if isinstance(node.func, ast.Name) and node.func.id in CALLS:
            self.found.append((node.func, "call", ast.Name(CALLS[node.func.id])))
        self.generic_visit(node)

    def visit_Constant(self, node: ast.Constant) -> None:
        """A whole number beside its own."""
        if type(node.value) is int and abs(node.value) < 10**6:
            self.found.append((node, "number", ast.Constant(node.value + 1)))


def spots(path: Path) -> Iterator[tuple[Change, str]]:
    """Each change of a file, and the text with it."""
    text = path.read_text(encoding="utf-8")
    lines = text.splitlines(keepends=True)
    found = _Spots()
    found.visit(ast.parse(text))
    for node, kind, changed in found.found:
        first, last = node.lineno, node.end_lineno  # type: ignore[attr-defined]
        if first != last:
            continue
        line = lines[first - 1].encode()
        start, stop = node.col_offset, node.end_col_offset  # type: ignore[attr-defined]
        new = ast.unparse(ast.fix_missing_locations(changed))
        after = (line[:start] + f"({new})".encode() + line[stop:]).decode()
        name = str(path.relative_to(SOURCE))
        yield (
            Change(name, first, kind, lines[first - 1].strip(), after.strip()),
            "".join([*lines[: first - 1], after, *lines[first:]]),
        )


def make_map() -> None:
    """Run the suite once with coverage by test, and keep which tests reach which lines."""
    KEPT.mkdir(parents=True, exist_ok=True)
    data = KEPT / "coverage"
    told = ["--cov=dokima", "--cov-context=test", "--cov-report="]
    command = [sys.executable, "-m", "pytest", "-q", "-n", "2", "-m", "not long", *told]
    environment = {**os.environ, "COVERAGE_FILE": str(data), "COVERAGE_CORE": "ctrace"}
    subprocess.run(command, cwd=ROOT, env=environment, check=False)
    from coverage import CoverageData

    kept = CoverageData(str(data))
    kept.read()
    reached = {}
    for file in kept.measured_files():
        by_line = kept.contexts_by_lineno(file)
        reached[str(Path(file).relative_to(SOURCE))] = {
            str(line): sorted({each.partition("|")[0] for each in of if each}) for line, of in by_line.items()
        }
    (KEPT / "map.json").write_text(json.dumps(reached))


def run(package: str, count: int, seed: int) -> None:
    """Make changes of a package one by one, and note which are noticed."""
    reached = json.loads((KEPT / "map.json").read_text())
    weight = Counter(test for of_file in reached.values() for tests in of_file.values() for test in tests)
    every = [pair for path in sorted((SOURCE / package).rglob("*.py")) for pair in spots(path)]
    chosen = [pair for pair in every if reached.get(pair[0].file, {}).get(str(pair[0].line))]
    random.Random(seed).shuffle(chosen)
    tree = _copied(package.replace("/", "-"))
    control = {test for change, _ in chosen[:count] for test in reached[change.file][str(change.line)][:2]}
    if _fails(tree, sorted(control)):
        raise SystemExit("the tests fail without a change")
    with (KEPT / f"{package.replace('/', '-')}.jsonl").open("w", encoding="utf-8") as told:
        for change, text in chosen[:count]:
            own = f"tests/{change.file.partition('/')[0]}/"
            known = reached[change.file][str(change.line)]
            tests = sorted(known, key=lambda test: (not test.startswith(own), weight[test], test))[:MOST_TESTS]
            target = tree / "src" / "dokima" / change.file
            before = target.read_text(encoding="utf-8")
            _put(target, text)
            noticed = _fails(tree, tests)
            _put(target, before)
            done = replace(change, tests=len(tests), noticed=noticed)
            told.write(json.dumps(asdict(done)) + "\n")
            told.flush()
            survived = f"\n{done.file}:{done.line} {done.kind}, {done.tests} tests\n  {done.before}\n  {done.after}\n"
            print("." if noticed else survived, end="", flush=True)
    print()


def again(package: str, tests: list[str]) -> None:
    """Make the changes of a package that were not noticed once more, on the code as it is now, with the tests named."""
    kept = KEPT / f"{package.replace('/', '-')}.jsonl"
    rows = [json.loads(line) for line in kept.read_text().splitlines()]
    tree = _copied(package.replace("/", "-"))
    if _fails(tree, tests):
        raise SystemExit("the tests fail without a change")
    for row in rows:
        if row["noticed"] or row.get("noticed_now"):
            continue
        target = tree / "src" / "dokima" / row["file"]
        before = target.read_text(encoding="utf-8")
        at = _line_of(before.splitlines(), row["before"], row["line"] - 1)
        if at is None:
            row["gone"] = True
            continue
        lines = before.splitlines(keepends=True)
        lines[at] = lines[at].replace(row["before"], row["after"])
        _put(target, "".join(lines))
        row["noticed_now"] = _fails(tree, tests)
        _put(target, before)
        print(
            "." if row["noticed_now"] else f"\n{row['file']}:{at + 1}\n  {row['before']}\n  {row['after']}\n",
            end="",
            flush=True,
        )
        kept.write_text("".join(json.dumps(each) + "\n" for each in rows))
    kept.write_text("".join(json.dumps(each) + "\n" for each in rows))
    print()


def _line_of(lines: list[str], text: str, near: int) -> int | None:
    """Where a line stands now that stood near a place; None if it is gone."""
    found = [at for at, line in enumerate(lines) if line.strip() == text]
    return min(found, key=lambda at: abs(at - near), default=None)


def _put(target: Path, text: str) -> None:
    """Write a file of the copied tree; what was compiled of it is gone."""
    target.write_text(text, encoding="utf-8")
    for compiled in target.parent.glob(f"__pycache__/{target.stem}.*"):
        compiled.unlink()


def _copied(name: str) -> Path:
    """A copy of the tree, compiled: changes are made there."""
    tree = KEPT / f"tree-{name}"
    shutil.rmtree(tree, ignore_errors=True)
    shutil.copytree(ROOT, tree, ignore=shutil.ignore_patterns(".git", "__pycache__", ".hypothesis", "site"))
    compileall.compile_dir(tree / "src", quiet=2)
    os.environ["PYTHONPATH"] = f"{tree / 'src'}{os.pathsep}{tree}"
    sys.path[:0] = [str(tree / "src"), str(tree)]
    for large in (
        "pytest",
        "hypothesis",
        "numpy",
        "pyarrow.parquet",
        "pandas",
        "openpyxl",
        "sqlalchemy",
        "typer",
        "rich",
    ):
        importlib.import_module(large)
    return tree


def _fails(tree: Path, tests: list[str]) -> bool:
    """Whether one of the tests fails, or takes too long. They run in a fork, so that what is large is imported once."""
    with warnings.catch_warnings(action="ignore", category=DeprecationWarning):  # threads that are there, and wait
        process = os.fork()
    if process == 0:
        os.setsid()
        os.chdir(tree)
        nowhere = os.open(os.devnull, os.O_RDWR)
        for stream in (0, 1, 2):
            os.dup2(nowhere, stream)
        for name in [each for each in sys.modules if each.partition(".")[0] == "tests"]:
            del sys.modules[name]
        sys.dont_write_bytecode = True
        os.environ["PYTHONDONTWRITEBYTECODE"] = "1"
        status = 3
        try:
            import pytest

            status = int(pytest.main(["-q", "-x", *OPTIONS, *tests]))
        finally:
            os._exit(status)
    end = time.monotonic() + SECONDS
    while time.monotonic() < end:
        done, status = os.waitpid(process, os.WNOHANG)
        if done:
            return status != 0
        time.sleep(0.05)
    os.killpg(process, signal.SIGKILL)
    os.waitpid(process, 0)
    return True


def table() -> None:
    """What came of all runs, as Markdown."""
    print("| package | changes | noticed at first | noticed now |\n| --- | --- | --- | --- |")
    for file in sorted(KEPT.glob("*.jsonl")):
        rows = [json.loads(line) for line in file.read_text().splitlines()]
        first = sum(row["noticed"] for row in rows)
        now = sum(row["noticed"] or row.get("noticed_now", False) for row in rows if not row.get("gone"))
        left = sum(not row.get("gone") for row in rows)
        print(f"| {file.stem} | {len(rows)} | {first} | {now} of {left} |")


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("verb", choices=["map", "run", "again", "table"])
    parser.add_argument("package", nargs="?", default="")
    parser.add_argument("--changes", type=int, default=40)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--tests", nargs="*", default=["tests"])
    given = parser.parse_args()
    if given.verb == "map":
        make_map()
    elif given.verb == "run":
        run(given.package, given.changes, given.seed)
    elif given.verb == "again":
        again(given.package, given.tests)
    else:
        table()
