"""JSON Schema (2020-12) of a rulebook and of its orders, and the reference page of all settings."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from dokima.model.fields import DELIVERY_FIELDS, PAYMENT_FIELDS, Field
from dokima.pricing.program import Program
from dokima.rulebook.adapters import model_of
from dokima.rulebook.sections import RulebookSections

DIALECT = "https://json-schema.org/draft/2020-12/schema"
_NUMBER = {"anyOf": [{"type": "number"}, {"type": "string", "pattern": r"^[+-]?\d+(\.\d+)?$"}]}
"""Numbers of a JSON text are read exactly as they are written; text is safe from readers that make floats of them."""
_OF_KIND: Mapping[str, Mapping[str, Any]] = {
    "text": {"type": ["string", "integer"]},
    "decimal": _NUMBER,
    "integer": _NUMBER,
    "date": {"type": "string", "format": "date", "pattern": r"^\d{4}-\d{2}-\d{2}$"},
    "flag": {"type": "boolean"},
}


def rulebook_schema() -> dict[str, Any]:
    """The JSON Schema of ``rulebook.toml``, with what every setting says, so that editors complete and check it."""
    schema = model_of(RulebookSections).model_json_schema(by_alias=True)
    for model in (schema, *schema["$defs"].values()):
        _without_titles(model)
    return {"$schema": DIALECT, "title": "A rulebook of Dokima", **schema}


def order_schema(program: Program) -> dict[str, Any]:
    """The JSON Schema of the orders that a rulebook reads.

    Args:
        program: The rulebook.
    """
    fields = program.fields
    line = _object(fields.line)
    line["properties"]["number"] = {"type": ["string", "integer"], "description": "10, or 10/20 for a sub-line"}
    header = _object(fields.header)
    records = {"type": "array", "items": {"type": "object"}}
    header["properties"] |= {
        "lines": {"type": "array", "items": line},
        "deliveries": _records(fields.records["delivery"], DELIVERY_FIELDS),
        "payments": _records(fields.records["payment"], PAYMENT_FIELDS),
        **dict.fromkeys(("terms", "links", "acknowledgements", "pending"), records),
    }
    return {"$schema": DIALECT, "title": f"An order of the rulebook {program.definition.name}", **header}


def _object(fields: Mapping[str, Field]) -> dict[str, Any]:
    required = [name for name, field in fields.items() if field.required and field.default is None]
    properties = {name: _property(field) for name, field in fields.items()}
    return {"type": "object", "properties": properties, "required": required, "additionalProperties": False}


def _property(field: Field) -> dict[str, Any]:
    found: dict[str, Any] = dict(_OF_KIND[field.kind])
    if field.choices and field.kind == "text":
        found = {"enum": [*field.choices]}  # a number may be written in several ways
    if field.words:
        found = {"anyOf": [{"type": "array", "items": {"type": "string"}}, found]}
    if not field.required:
        found = {"anyOf": [found, {"type": "null"}]}
    return {**found, "description": field.shown} if field.label else found


def _records(own: Mapping[str, Field], standard: tuple[Field, ...]) -> dict[str, Any]:
    known = {field.name: field for field in standard} | dict(own)
    properties = {name: _property(field) for name, field in known.items()}
    return {"type": "array", "items": {"type": "object", "properties": properties}}


def _without_titles(model: dict[str, Any]) -> None:
    """Titles that only repeat the name of a key say nothing."""
    model.pop("title", None)
    for each in model.get("properties", {}).values():
        each.pop("title", None)


def settings_page() -> str:
    """The reference of all settings as Markdown."""
    schema = rulebook_schema()
    lines = [
        "# Settings of a rulebook",
        "",
        "Made by `dokima schema rulebook --format markdown`. All `*.toml` files of a folder form one rulebook.",
    ]
    for title, model in {"The sections": schema, **schema["$defs"]}.items():
        if "properties" in model:
            lines += ["", f"## {title}", "", model.get("description", ""), "", *_rows(model)]
    return "\n".join(lines) + "\n"


def _rows(model: Mapping[str, Any]) -> Iterator[str]:
    yield "| key | takes | if left out | |"
    yield "|---|---|---|---|"
    for key, each in model["properties"].items():
        needed = key in model.get("required", ())
        default = "must be there" if needed else _default(each.get("default"))
        yield f"| `{key}` | {_takes(each)} | {default} | {each.get('description', '')} |"


def _default(value: Any) -> str:
    return "" if value in (None, "", [], {}) or isinstance(value, dict) else f"`{value}`".lower()


def _takes(each: Mapping[str, Any]) -> str:
    """What a setting takes, in words."""
    if "enum" in each:
        return ", ".join(f"`{value}`" if value else "blank" for value in each["enum"])
    if "const" in each:
        return f"`{each['const']}`"
    if "$ref" in each:
        name = each["$ref"].rpartition("/")[2]
        return f"[{name}](#{name.lower()})"
    if "anyOf" in each:
        found = dict.fromkeys(_takes(part) for part in each["anyOf"] if part.get("type") != "null")
        if {"text", "true or false", "a whole number"} <= set(found):
            return "a formula" if "a date" not in found else "a value"
        return " or ".join(found)
    match each.get("type"):
        case "array":
            return f"a list of {_takes(each['items'])}"
        case "object":
            inner = each.get("additionalProperties")
            if inner is None:
                return "anything"
            return f"by name: {_takes(inner)}" if isinstance(inner, dict) else "by name: anything"
    words = {"string": "text", "boolean": "true or false", "integer": "a whole number", "number": "a number"}
    return "a date" if each.get("format") == "date" else words.get(str(each.get("type")), "anything")
