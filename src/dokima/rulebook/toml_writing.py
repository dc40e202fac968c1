"""A proposed rulebook as TOML, with what speaks for each setting beside it; and answers put into one."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

import tomlkit
from tomlkit.items import AoT, InlineTable, Table

from dokima.inference.proposal import LAYOUT, Proposal

_INLINE = ("key", "match", "window", "breaks", "files", "sheets")


def rulebook_text(made: Proposal) -> str:
    """The text of ``rulebook.toml``."""
    why = {guess.means: guess.why for guess in made.guesses}
    document = tomlkit.document()
    document.add(tomlkit.comment("Proposed by dokima init. A comment beside a column says what speaks for it."))
    document.add(
        tomlkit.comment("What could not be decided stands below as [[question]]; dokima check says what is open.")
    )
    document.add(tomlkit.nl())
    document.add("rulebook", _table(made.settings["rulebook"]))
    for level in ("header", "line"):
        for name, spec in made.settings.get(level, {}).items():
            document.setdefault(level, tomlkit.table(is_super_table=True)).add(name, _table(spec))
    for name, table in made.settings.get("table", {}).items():
        document.setdefault("table", tomlkit.table(is_super_table=True)).add(name, _price_table(table))
    document.add("layout", _layout(made.settings["layout"][LAYOUT], why))
    if made.settings.get("rule"):
        document.add("rule", _many(made.settings["rule"]))
    for name, routine in made.settings.get("routine", {}).items():
        document.setdefault("routine", tomlkit.table(is_super_table=True)).add(name, _routine(routine))
    for name, paper in made.settings.get("paper", {}).items():
        document.setdefault("paper", tomlkit.table(is_super_table=True)).add(name, _table(paper))
    document.add("question", _questions(made))
    return tomlkit.dumps(document)


def _in_a_line(text: str) -> str:
    """A text as a comment can hold it: cells of an export may have line breaks."""
    return re.sub(r"[\x00-\x1f\x7f]+", " ", text)


def _table(values: Mapping[str, Any]) -> Table:
    table = tomlkit.table()
    for name, value in values.items():
        table.add(name, toml_value(value))
    return table


def toml_value(value: Any) -> Any:
    """Plain data as TOML has it on one line: a mapping as an inline table, a list as an array."""
    if isinstance(value, Mapping):
        return inline_table(value)
    if isinstance(value, list | tuple):
        array = tomlkit.array()
        array.extend(toml_value(each) for each in value)
        return array
    return value


def inline_table(values: Mapping[str, Any]) -> InlineTable:
    """A mapping on one line."""
    table = tomlkit.inline_table()
    for name, value in values.items():
        table.add(name, toml_value(value))
    return table


def _price_table(values: Mapping[str, Any]) -> Table:
    table = tomlkit.table()
    for name, value in values.items():
        if name != "columns":
            table.add(name, toml_value(value))
    columns = {name: spec for name, spec in values.get("columns", {}).items() if spec}
    for name, spec in columns.items():
        table.add(tomlkit.key(["columns", name]), inline_table(spec))
    return table


def _layout(values: Mapping[str, Any], why: Mapping[str, str]) -> Table:
    layout = tomlkit.table()
    for name, value in values.items():
        if name not in ("header", "line"):
            layout.add(name, toml_value(value))
    for level in ("header", "line"):
        columns = tomlkit.table()
        for name, spec in values[level].items():
            item = tomlkit.item(toml_value(spec))
            if said := why.get(f"{level}.{name}"):
                item.comment(_in_a_line(said))
            columns.add(name, item)
        layout.add(level, columns)
    whole = tomlkit.table(is_super_table=True)
    whole.add(LAYOUT, layout)
    return whole


def _many(entries: Sequence[Mapping[str, Any]]) -> AoT:
    found = tomlkit.aot()
    for entry in entries:
        found.append(_table(entry))
    return found


def _routine(values: Mapping[str, Any]) -> Table:
    table = tomlkit.table()
    for name, value in values.items():
        if name != "step":
            table.add(name, toml_value(value))
    steps = tomlkit.array()
    steps.multiline(True)
    for step in values["step"]:
        steps.append(inline_table(step))
    table.add("step", steps)
    return table


def _questions(made: Proposal) -> AoT:
    found = tomlkit.aot()
    for question in made.questions:
        table = tomlkit.table()
        table.add("id", question.id)
        table.add("asks", question.asks)
        if question.choices:
            for name, values in question.choices.items():
                table.add(tomlkit.key(["choices", name]), inline_table(values))
        else:
            table.add("sets", question.sets)
        item = tomlkit.item("")
        if question.guess:
            item.comment(_in_a_line(f"until it is answered: {question.guess}"))
        table.add("answer", item)
        found.append(table)
    return found


def answered(text: str, answers: Mapping[str, str]) -> tuple[str, list[str]]:
    """The text of a rulebook with answers put in, everything else as it stands; and the ids of its questions."""
    document = tomlkit.parse(text)
    known: list[str] = []
    for question in document.get("question", []):
        name = str(question.get("id", ""))
        known.append(name)
        if name in answers:
            question["answer"] = answers[name]
    return tomlkit.dumps(document), known
