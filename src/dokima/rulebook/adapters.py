"""From definitions to strict pydantic models, and back: what a rulebook may say is declared once, by definitions."""

from __future__ import annotations

import datetime
import inspect
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import MISSING, Field, fields, is_dataclass
from decimal import Decimal
from functools import cache
from types import NoneType, UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin, get_type_hints

import pydantic
from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, WithJsonSchema, create_model

from dokima.exact import MODES
from dokima.model.databases import DatabaseUrl
from dokima.model.settings import Reads, is_setting
from dokima.pricing.kinds import BUILT_IN

# -- single values --------------------------------------------------------------------------------------------


def _no_float(value: Any) -> Any:
    if isinstance(value, float):
        raise ValueError(f"expected an exact number, as text or Decimal (got the binary float {value!r})")
    return value


def _exact(value: Any) -> Any:
    """An exact number, from text or TOML."""
    _no_float(value)
    if isinstance(value, str | int) and not isinstance(value, bool):
        try:
            return Decimal(value)
        except ArithmeticError:
            raise ValueError(f"expected a number such as 0.05 (got {value!r})") from None
    return value


def _not_negative(value: Any) -> Any:
    value = _exact(value)
    if isinstance(value, Decimal) and not value >= 0:
        raise ValueError(f"expected a number of 0 or more (got {value})")
    return value


def _above_zero(value: Any) -> Any:
    value = _exact(value)
    if isinstance(value, Decimal) and not value > 0:
        raise ValueError(f"expected a number above 0 (got {value})")
    return value


def _day(value: Any) -> Any:
    if isinstance(value, datetime.date) and not isinstance(value, datetime.datetime):
        return value
    try:
        return datetime.date.fromisoformat(value)
    except (TypeError, ValueError):
        raise ValueError(f'expected a day such as "2026-04-01" (got {value!r})') from None


def _as_list(value: Any) -> Any:
    return [value] if isinstance(value, str) else value


def _as_spoken(value: Any) -> Any:
    if isinstance(value, Mapping) and not value:
        raise ValueError("expected a text, or texts by language")
    for language in value if isinstance(value, Mapping) else ():
        if not re.fullmatch("[a-z]{2,3}", str(language)):
            raise ValueError(f"expected a language such as en or de (got '{language}')")
    return {"": value} if isinstance(value, str) else value


def _as_heading(value: Any) -> Any:
    return {"from": value} if isinstance(value, str) else value


def _as_break(value: Any) -> Any:
    return value if isinstance(value, Mapping) else {"of": value}


def _mode(value: str) -> str:
    if value not in MODES:
        raise ValueError(f"expected a rounding mode: {', '.join(MODES)} (got '{value}')")
    return value


def _name(value: str) -> str:
    if not value.isidentifier():
        raise ValueError(f"expected a name of letters, digits and '_' (got '{value}')")
    return value


def _locale(value: str) -> str:
    if not value:
        return value
    from babel import Locale, UnknownLocaleError

    try:
        return str(Locale.parse(value.replace("-", "_")))
    except (UnknownLocaleError, ValueError):
        raise ValueError(f"expected a locale such as de_DE or en_GB (got '{value}')") from None


_KINDS_OF_STEPS = {"type": "string", "enum": [kind.name for kind in BUILT_IN]}
_READERS: Mapping[str, Any] = {
    "above zero": Annotated[Decimal, BeforeValidator(_above_zero)],
    "anything exact": Annotated[Any, BeforeValidator(_no_float)],
    "character": Annotated[str, pydantic.Field(min_length=1, max_length=1)],
    "day": Annotated[datetime.date, BeforeValidator(_day)],
    "days": Annotated[int, pydantic.Field(ge=0, le=3650)],
    "formula": Annotated[str | bool | int | Decimal, BeforeValidator(_no_float)],
    # A kind of one's own is not known to editors; what it takes is checked when the routine is built.
    "kind of step": Annotated[str, WithJsonSchema(_KINDS_OF_STEPS)],
    "locale": Annotated[str, AfterValidator(_locale)],
    "mode": Annotated[str, AfterValidator(_mode)],
    "name": Annotated[str, AfterValidator(_name)],
    "not negative": Annotated[Decimal, BeforeValidator(_not_negative)],
    "places": Annotated[int, pydantic.Field(ge=0, le=30)],
    "row": Annotated[int, pydantic.Field(ge=1, le=1000)],
    "places of currency": Annotated[int, pydantic.Field(ge=0, le=12)],
    "spoken": Annotated[dict[str, str], BeforeValidator(_as_spoken, json_schema_input_type=str | dict[str, str])],
    "texts": Annotated[list[str], BeforeValidator(_as_list, json_schema_input_type=str | list[str])],
    "thousands": Annotated[str, pydantic.Field(max_length=1)],
    "url": Annotated[str, AfterValidator(DatabaseUrl), WithJsonSchema({"type": "string"})],
    "value": Annotated[bool | int | Decimal | datetime.date | str, BeforeValidator(_no_float)],
}

# -- models ---------------------------------------------------------------------------------------------------


class _Model(BaseModel):
    """Base of all models: an unknown key is a problem, and values are not bent into other kinds."""

    model_config = ConfigDict(extra="forbid", strict=True, populate_by_name=True, frozen=True, defer_build=True)


class _OpenModel(_Model):
    """A model whose unknown keys are kept, for whoever knows them."""

    model_config = ConfigDict(extra="allow", json_schema_extra={"additionalProperties": False})

    @pydantic.model_validator(mode="after")
    def _exact(self) -> _OpenModel:
        for value in (self.model_extra or {}).values():
            _no_float(value)
        return self


@cache
def model_of(definition: Any) -> type[BaseModel]:
    """The strict model of a definition.

    Args:
        definition: A dataclass whose settings are made with `setting`.
    """
    hints = _hints(definition)
    settings: dict[str, Any] = {each.name: _setting(each, hints[each.name]) for each in settings_of(definition)}
    base = _OpenModel if _rest(definition) else _Model
    about = inspect.cleandoc(definition.__doc__ or "").partition("\n\n")[0]
    name = re.sub(r"(?<=.)(Definition|Terms)$", "", definition.__name__)
    validators: dict[str, Any] = {}
    if hasattr(definition, "wrong"):
        validators["_together"] = pydantic.model_validator(mode="after")(_together(definition))
    return create_model(name, __base__=base, __doc__=about, __validators__=validators, **settings)


@cache
def _hints(definition: Any) -> dict[str, Any]:
    """The types of a definition's fields. They are text in the source, and evaluating it takes longer than to load."""
    return get_type_hints(definition, include_extras=True)


@cache
def settings_of(definition: Any) -> list[Field[Any]]:
    """The fields of a definition that a rulebook may set."""
    return [each for each in fields(definition) if is_setting(each)]


def key_of(each: Field[Any]) -> str:
    """What a setting is called in a rulebook."""
    return str(each.metadata["key"] or each.name)


def _together(definition: Any) -> Callable[[Any], Any]:
    """A validator that asks the definition what is wrong with its settings together."""

    def check(model: Any) -> Any:
        if said := definition.wrong(model):
            raise ValueError(said)
        return model

    return check


def _rest(definition: Any) -> str:
    """The field that takes unknown keys, blank for none."""
    return next((each.name for each in fields(definition) if each.metadata.get("rest")), "")


def _setting(each: Field[Any], hint: Any) -> tuple[Any, Any]:
    """The type and the field of a setting's model."""
    notes = {"description": each.metadata["says"], "alias": each.metadata["key"] or None}
    takes = _type(hint)
    if each.metadata.get("optional"):
        return takes | None, pydantic.Field(None, **notes)
    if each.metadata.get("needed") or (each.default is MISSING and each.default_factory is MISSING):
        return takes, pydantic.Field(..., **notes)
    if each.default_factory is not MISSING:
        made: Any = each.default_factory()
        if is_dataclass(made):
            part: Any = type(made)
            return takes, pydantic.Field(default_factory=model_of(part), **notes)
        return takes, pydantic.Field(default_factory=dict, **notes)
    default = list(each.default) if isinstance(each.default, tuple) else each.default
    return takes, pydantic.Field(default, **notes)


def _type(hint: Any) -> Any:
    """The type of a definition's field as a model reads it."""
    origin, inner = get_origin(hint), get_args(hint)
    if origin is Annotated:
        how = next(each.how for each in inner if isinstance(each, Reads))
        if how == "heading":
            column = model_of(inner[0])
            return Annotated[column, BeforeValidator(_as_heading, json_schema_input_type=str | column)]
        if how == "break":
            each_break = model_of(inner[0])
            takes = _READERS["formula"] | each_break
            return Annotated[each_break, BeforeValidator(_as_break, json_schema_input_type=takes)]
        return _READERS[how]
    if origin in (Union, UnionType):
        return Union[tuple(_type(each) for each in inner)]  # noqa: UP007 (made from a list of types)
    if origin is not None and origin is not Literal and issubclass(origin, Mapping):
        return dict[_type(inner[0]), _type(inner[1])]  # type: ignore[misc]
    if origin is not None and origin is not Literal and issubclass(origin, Sequence):
        return list[_type(inner[0])]  # type: ignore[misc]
    part: Any = hint
    return model_of(part) if is_dataclass(hint) else hint


# -- from a model to a definition -----------------------------------------------------------------------------


def defined(definition: Any, model: BaseModel, **known: Any) -> Any:
    """The definition that a model holds: what was given, and for all else what the definition itself says.

    Args:
        definition: The dataclass.
        model: An instance of `model_of` it.
        known: Fields that are no settings, such as a name that stands before the section.
    """
    given = {}
    hints = _hints(definition)
    for each in settings_of(definition):
        if each.name in model.model_fields_set:
            given[each.name] = _value(hints[each.name], getattr(model, each.name))
    if rest := _rest(definition):
        given[rest] = dict(model.model_extra or {})
    if hasattr(definition, "completed"):
        given = definition.completed(given)
    return definition(**known, **given)


def _value(hint: Any, value: Any) -> Any:
    """A value of a model as the definition's field has it."""
    definition = part_of(hint)
    if isinstance(value, BaseModel):
        return defined(definition, value)
    if isinstance(value, list):
        return tuple(_value(definition, each) for each in value)
    if isinstance(value, dict):
        named = definition is not None and any(
            each.name == "name" and not is_setting(each) for each in fields(definition)
        )
        return {
            key: defined(definition, each, **({"name": key} if named else {})) if isinstance(each, BaseModel) else each
            for key, each in value.items()
        }
    return value


def part_of(hint: Any) -> Any:
    """The definition that a setting holds, alone, in a list or by name; None if it holds plain values."""
    if is_dataclass(hint) and not isinstance(hint, Reads):
        return hint
    for inner in get_args(hint):
        if inner is not NoneType and (found := part_of(inner)) is not None:
            return found
    return None


def known_keys(definition: Any, path: Sequence[int | str]) -> list[str]:
    """The keys that may stand beside the last part of a path, its own before those of what it inherits from.

    Args:
        definition: The whole.
        path: Keys, places in lists, and names of entries, such as the name of a table.
    """
    part: Any = definition
    for at in path[:-1]:
        hints = _hints(part)
        below = next((hints[each.name] for each in settings_of(part) if key_of(each) == at), None)
        if below is not None:  # else it is a place in a list, or the name of an entry
            part = part_of(below)
        if part is None:
            return []
    own = vars(part).get("__annotations__", {})
    return [key_of(each) for each in sorted(settings_of(part), key=lambda each: each.name not in own)]
