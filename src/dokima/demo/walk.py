"""``dokima demo``: copies Quillmere to a folder and does the whole job on it, step by step."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from importlib import resources
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console

from dokima import DokimaError
from dokima.cli.main import app

STEPS: Sequence[tuple[str, str, Sequence[str]]] = (
    (
        "Check the orders",
        "The rules in rulebook.toml are asked about every order. SQ-2043 is not ready to be saved.",
        ["check", "orders"],
    ),
    (
        "Price one order",
        "Each step of each line is a figure; tax is rounded per category and rate on the document.",
        ["price", "orders/SQ-2041.json"],
    ),
    (
        "Ask why",
        "Why 44.25? The table row that won, and the one reason why each other row lost.",
        ["explain", "orders/SQ-2041.json", "10"],
    ),
    (
        "See what a change costs",
        "The same order with four panes more, one vent less, and a bench: only what changed is listed.",
        ["variance", "orders/SQ-2041.json", "changed/SQ-2041.json"],
    ),
    (
        "Freeze the order, and change a copy",
        "A change order is measured against the order as it was; the original stays untouched until it is approved.",
        ["change", "open", "SQ-2041", "--reason", "more panes, and a bench"],
    ),
    (
        "Say what changes",
        "The same rules as in any edit; below it what was, what will be, and what each line does to the total.",
        [
            *("change", "edit", "SQ-2041-C1", "--set", "10.quantity=40", "--set", "20.quantity=3"),
            *("--add", "item=BENCH-K,quantity=1"),
        ],
    ),
    ("Hand it in", "From here on the figures are frozen.", ["change", "submit", "SQ-2041-C1"]),
    (
        "See where the order stands",
        "Original, approved changes, current sum; the change is pending until `dokima change approve SQ-2041-C1`.",
        ["change", "ledger", "SQ-2041"],
    ),
    (
        "Look over the tables",
        "Without any order: rows that never win, discounts on top of agreed prices, each with an example to try.",
        ["audit", "--severity", "warning", "--today", "2026-03-12"],
    ),
    (
        "Read other people's files",
        "An export with its own headings, decimal commas and codes. Two of its orders are faulty; the others go on.",
        ["check", "exports/depot_2026.csv", "--layout", "depot"],
    ),
)


def copy_demo(target: Path) -> Path:
    """Copy the demo data to a new folder.

    Raises:
        DokimaError: The folder exists, or cannot be made.
    """
    if target.exists():
        raise DokimaError(f"'{target}' exists already; name a folder that does not, so that nothing is overwritten")
    with resources.as_file(resources.files("dokima.demo") / "quillmere") as source:
        try:
            shutil.copytree(source, target)
        except OSError as error:
            shutil.rmtree(target, ignore_errors=True)  # half a demo would be taken for one
            said = error.strerror or str(error.args[0][0][2]).partition(": ")[0]  # of the first file
            raise DokimaError(f"'{target}' cannot be made: {said}") from None
    return target


def demo(
    folder: Annotated[Path, typer.Argument(help="A new folder for the demo.")] = Path("quillmere"),
) -> None:
    """Copy the demo (Quillmere Glasshouses) to a folder and walk through it, command by command."""
    console = Console(highlight=False)
    target = copy_demo(folder)
    console.print(f"The demo is in {target}. Every step below is a command you can give yourself, from that folder:")
    console.print(f"    cd {target}", style="cyan")
    with _inside(target):
        for number, (title, why, arguments) in enumerate(STEPS, start=1):
            console.print()
            console.rule(f"{number}. {title}", align="left", style="dim")
            console.print(why)
            console.print(f"    dokima {' '.join(arguments)}", style="cyan")
            console.print()
            status = app(list(arguments), standalone_mode=False)
            if status:
                console.print(f"(exit status {status})", style="dim")
    console.print()
    console.print("Next: change a price in tables/agreed_prices.csv or a rule in rulebook.toml, and ask again.")


@contextmanager
def _inside(folder: Path) -> Iterator[None]:
    """Work in a folder for a while, as the reader would."""
    before = Path.cwd()
    os.chdir(folder)
    try:
        yield
    finally:
        os.chdir(before)
