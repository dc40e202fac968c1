"""What is wrong with the shape of a rulebook's settings, in the words of who writes one."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

from pydantic import ValidationError

from dokima.errors import RulebookProblem, nearest
from dokima.model.fields import Field
from dokima.rulebook.adapters import known_keys, settings_of
from dokima.rulebook.sections import RulebookSections

_EXPECTED: Mapping[str, str] = {
    "string_type": "a text",
    "bool_type": "true or false",
    "bool_parsing": "true or false",
    "int_type": "a whole number",
    "int_parsing": "a whole number",
    "int_from_float": "a whole number",
    "is_instance_of": "a number",  # of all classes only Decimal is asked for
    "decimal_type": "a number",
    "decimal_parsing": "a number",
    "date_type": "a date",
    "date_parsing": "a date",
    "date_from_datetime_parsing": "a date",
    "list_type": "a list",
    "dict_type": "entries by name",
}
"""What was expected where a value is of a wrong kind, by the kind of the error."""
_SETTINGS = ("dataclass_type", "model_type", "model_attributes_type")
_OF_FIELDS = frozenset(each.metadata["key"] or each.name for each in settings_of(Field))
"""Keys by which a field is declared; a layout takes few of them."""
_USER = re.compile(r"://[^\s'\"]*@")
MOST_KEYS = 3
"""Keys named where settings were expected."""


def wrong_settings(error: ValidationError, data: Any) -> list[RulebookProblem]:
    """A problem for each place of a rulebook's data that has a wrong shape, whatever may stand there in one list.

    Args:
        error: What pydantic says.
        data: What it was given.
    """
    found: dict[tuple[str, str], list[str]] = {}
    for each in map(dict, error.errors()):
        if _is_other_way(each):
            continue
        place, wanted = _dotted(_path(each), data), _wanted(each)
        if wanted is None:
            found.setdefault((place, _message(each)), [])
        else:
            found.setdefault((place, _came(each)), []).append(wanted)
    return [
        RulebookProblem("", place, f"expected {_in_words(wanted)} (got {said})" if wanted else said)
        for (place, said), wanted in found.items()
    ]


def _path(error: Mapping[str, Any]) -> list[int | str]:
    return [part for part in error["loc"] if not str(part).startswith(("function-", "tagged-", "literal[", "dict["))]


def _wanted(error: Mapping[str, Any]) -> str | None:
    """What was expected where a value is of a wrong kind; None for any other problem."""
    if error["type"] in _SETTINGS:
        keys = known_keys(RulebookSections, [*_path(error), ""])[:MOST_KEYS]
        return f"settings such as {{ {', '.join(f'{key} = ...' for key in keys)} }}" if keys else "settings"
    if error["type"] == "list_type" and isinstance(error.get("input"), Mapping):
        return f"a list of entries, each begun by [[{'.'.join(map(str, _path(error)))}]]"
    return _EXPECTED.get(error["type"])


def _in_words(wanted: Sequence[str]) -> str:
    """What may stand at a place: ``a text, true or false, a number``."""
    every = dict.fromkeys(wanted)
    if "a number" in every:
        every.pop("a whole number", None)
    return ", ".join(every)


def _message(error: Mapping[str, Any]) -> str:
    path, kind = _path(error), error["type"]
    if kind == "extra_forbidden":
        return f"expected a known key (got '{path[-1]}'{_hint(path)})"
    if kind == "missing":
        return "expected this key (it is missing)"
    message: str = error["msg"].removeprefix("Value error, ")
    if kind == "value_error":
        return message
    return f"{message[0].lower()}{message[1:]} (got {_came(error)})".replace("input should be", "expected")


def _came(error: Mapping[str, Any]) -> str:
    """What came, as far as it may be told: where a URL belongs, anything may be one with a password."""
    if _path(error)[:1] == ["source"]:
        return f"a value of the kind {type(error.get('input')).__name__}"
    return f"{_USER.sub('://***@', repr(error.get('input'))):.60}"


def _hint(path: Sequence[int | str]) -> str:
    """Where a key that is not known belongs, or the one that is nearest to it."""
    if path[0] == "layout" and len(path) > 4 and path[-1] in _OF_FIELDS:
        return f"; what a field holds is said in [{path[2]}.{path[3]}]"
    return nearest(str(path[-1]), known_keys(RulebookSections, path))


def _is_other_way(error: Mapping[str, Any]) -> bool:
    """Whether a problem is about the one of two ways of saying something that was not chosen."""
    last = str(error["loc"][-1]) if error["loc"] else ""
    came = error.get("input")
    return (last.startswith("literal[") and isinstance(came, Mapping)) or (
        last.startswith("dict[") and isinstance(came, str)
    )


def _dotted(path: Sequence[int | str], data: Any) -> str:
    """The path as people read it: rules by id, steps by name; parts that pydantic adds for unions are left out."""
    parts: list[str] = []
    for part in path:
        if isinstance(data, Mapping):
            if part not in data and part != path[-1]:
                continue
            data = data.get(part)
            parts.append(str(part))
        elif isinstance(data, Sequence) and not isinstance(data, str) and isinstance(part, int) and part < len(data):
            data = data[part]
            name = data.get("id") or data.get("name") if isinstance(data, Mapping) else None
            parts.append(str(name or part))
    return ".".join(parts)
