"""How every benchmark measures: sides in turn, answers compared before any ratio, medians with their ranges.

A benchmark is a module with ``cases(given)``, which yields a `Case` for each thing it compares. Run alone it prints
them; ``all.py`` runs every one and keeps what they found in ``results.json``.
"""

from __future__ import annotations

import argparse
import gc
import json
import resource
import statistics
import subprocess
import sys
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

RUNS = 5


@dataclass
class Case:
    """One comparison: what was done, and how long each side took.

    Attributes:
        what: What was measured, in words.
        seconds: For each side the seconds of every run; the first side is ours.
        memory: For each side that was a process of its own, the most memory it had, in bytes.
        differing: How many answers of a side differ from ours. Only a side that is known to be inexact may have any.
        notes: What a reader must know.
    """

    what: str
    seconds: dict[str, list[float]]
    memory: dict[str, int] = field(default_factory=dict)
    differing: dict[str, int] = field(default_factory=dict)
    notes: str = ""

    def ratio(self, side: str) -> float:
        """How many times as long as ours a side took, by medians."""
        ours = next(iter(self.seconds.values()))
        return statistics.median(self.seconds[side]) / statistics.median(ours)

    def lines(self) -> Iterator[str]:
        """The case for a person: a line for each side."""
        yield self.what + (f" ({self.notes})" if self.notes else "")
        for side, seconds in self.seconds.items():
            ours = side == next(iter(self.seconds))
            more = "" if ours else f"   {self.ratio(side):.2f} times as long"
            memory = f"   {self.memory[side] / 2**30:.2f} GB" if side in self.memory else ""
            wrong = f"   {self.differing[side]:,} answers differ" if self.differing.get(side) else ""
            yield f"  {side:<24} {said(seconds)}{memory}{more}{wrong}"


def said(seconds: list[float]) -> str:
    """A median and its range, in the unit that suits it."""
    unit, factor = ("s", 1) if statistics.median(seconds) >= 0.1 else ("ms", 1000)
    middle, low, high = (of(seconds) * factor for of in (statistics.median, min, max))
    return f"{middle:.3g} {unit} ({low:.3g} to {high:.3g})"


def compared(
    what: str,
    sides: Mapping[str, Callable[[], Any]],
    *,
    runs: int = RUNS,
    inexact: tuple[str, ...] = (),
    once: tuple[str, ...] = (),
    notes: str = "",
    times: int = 1,
) -> Case:
    """Run the sides in turn, so that a slow moment of the machine meets all of them, and compare their answers.

    Args:
        what: What is measured.
        sides: For each side its work, which returns its answer; ours first.
        runs: How often each side runs.
        inexact: Sides whose answers may differ; it is counted how many do.
        once: Sides that take so long that they run once.
        notes: What a reader must know.
        times: How often the work is done in one run; its time is that of one.

    Raises:
        SystemExit: A side that must agree does not. No ratio is printed then.
    """
    seconds: dict[str, list[float]] = {side: [] for side in sides}
    answers: dict[str, Any] = {}
    for turn in range(runs):
        for side, work in sides.items():
            if side in once and turn:
                continue
            answers.pop(side, None)
            gc.collect()
            start = time.perf_counter()
            for _ in range(times):
                answers[side] = work()
            seconds[side].append((time.perf_counter() - start) / times)
    ours = answers[next(iter(sides))]
    differing = {side: how_many_differ(ours, answer) for side, answer in answers.items()}
    for side, count in differing.items():
        if count and side not in inexact:
            raise SystemExit(f"{what}: {count:,} answers of {side} differ; no ratio is printed")
    return Case(what, seconds, differing=differing, notes=notes)


def how_many_differ(ours: Any, theirs: Any) -> int:
    """How many entries of two answers differ; answers are arrays, dictionaries, or anything that can be compared."""
    if isinstance(ours, np.ndarray):
        return len(ours) if ours.shape != np.shape(theirs) else int((ours != theirs).sum())
    if isinstance(ours, dict):
        return sum(ours.get(key) != theirs.get(key) for key in {*ours, *theirs})
    return int(ours != theirs)


def in_processes(
    what: str, commands: Mapping[str, list[str]], same: Callable[[str], Any], runs: int = RUNS, notes: str = ""
) -> Case:
    """The same with a process for each run, which prints its seconds and its most memory as JSON; see `report_process`.

    Args:
        what: What is measured.
        commands: For each side the arguments after ``python``.
        same: Gives a side's answer after its last run.
        runs: How often each side runs.
        notes: What a reader must know.
    """
    seconds: dict[str, list[float]] = {side: [] for side in commands}
    memory = dict.fromkeys(commands, 0)
    for _ in range(runs):
        for side, command in commands.items():
            done = subprocess.run([sys.executable, *command], capture_output=True, text=True, check=False)
            if done.returncode:
                raise SystemExit(f"{what}, {side}: {done.stderr}")
            found = json.loads(done.stdout.splitlines()[-1])
            seconds[side].append(found["seconds"])
            memory[side] = max(memory[side], found["memory"])
    answers = {side: same(side) for side in commands}
    ours = next(iter(answers.values()))
    differing = {side: how_many_differ(ours, answer) for side, answer in answers.items()}
    if any(differing.values()):
        raise SystemExit(f"{what}: answers differ ({differing}); no ratio is printed")
    return Case(what, seconds, memory, differing, notes)


def report_process(seconds: float) -> None:
    """Print what `in_processes` reads: of several processes the memory of the one that had most."""
    of_others = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss * 1024
    print(json.dumps({"seconds": seconds, "memory": max(most_memory(), of_others)}))


def most_memory() -> int:
    """The most memory this process has had, in bytes (Linux). `getrusage` would count that of the process it was begun by."""
    status = Path("/proc/self/status").read_text()
    return int(status.split("VmHWM:")[1].split()[0]) * 1024


def parser(description: str | None, lines: int = 1_000_000) -> argparse.ArgumentParser:
    """What every benchmark can be told."""
    found = argparse.ArgumentParser(description=description)
    found.add_argument("--lines", type=int, default=lines)
    found.add_argument("--runs", type=int, default=RUNS)
    found.add_argument("--json", type=Path, help="also write what was found here")
    return found


def show(cases: Iterator[Case], given: argparse.Namespace) -> None:
    """Print each case as soon as it is there, and write them all where that was asked for."""
    kept = []
    for case in cases:
        kept.append(case.__dict__)
        print("\n".join(case.lines()), flush=True)
    if given.json:
        given.json.write_text(json.dumps(kept), encoding="utf-8")
