"""The language of reports: gettext catalogues for what Dokima says, and the locale that numbers and dates follow.

Catalogues are under ``locale/``; ``hatch_build.py`` extracts and compiles them when Dokima is built.
"""

from __future__ import annotations

import datetime
import gettext
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from decimal import Decimal
from functools import cache
from importlib import resources
from string import Formatter
from typing import Any

from dokima.errors import DokimaError
from dokima.model.said import Said

LANGUAGES = ("en", "de", "fr", "nl")
"""The languages of reports; any other gets English words."""
MINUS = "\u2212"

_locale: ContextVar[str] = ContextVar("locale", default="")
"""How numbers and dates are written; blank for plain digits with a point and ISO dates."""


def use_locale(locale: str) -> None:
    """Write words, numbers and dates as a locale does (``de_DE``, ``en-GB``), with the data of Unicode CLDR.

    Raises:
        DokimaError: There is no such locale.
    """
    from babel import Locale, UnknownLocaleError

    try:
        if locale:
            Locale.parse(locale.replace("-", "_"))
    except (UnknownLocaleError, ValueError):
        raise DokimaError(f"expected a locale such as de_DE or en_GB (got '{locale}')") from None
    _locale.set(locale.replace("-", "_"))


@contextmanager
def speaking(locale: str) -> Iterator[None]:
    """Speak as a locale does for a while.

    Raises:
        DokimaError: There is no such locale.
    """
    before = _locale.get()
    use_locale(locale)
    try:
        yield
    finally:
        _locale.set(before)


def locale() -> str:
    """The locale in which reports speak; blank for English words and plain numbers."""
    return _locale.get()


def language() -> str:
    """The code of the language in which reports speak."""
    code = _locale.get().partition("_")[0].lower()
    return code if code in LANGUAGES else "en"


@cache
def _catalogue(code: str) -> gettext.NullTranslations:
    if code == "en":
        return gettext.NullTranslations()
    place = resources.files("dokima.reports") / "locale" / code / "LC_MESSAGES" / "dokima.mo"
    try:
        with place.open("rb") as file:
            return gettext.GNUTranslations(file)
    except FileNotFoundError:
        told = f"the texts for '{code}' have not been compiled; install Dokima with pip, which compiles them"
        raise DokimaError(told) from None


def _(text: str) -> str:
    """A text of ours in the language of reports."""
    return _catalogue(language()).gettext(text) if text else ""


def N_(text: str) -> str:
    """Marks a text for the catalogues that is said later."""
    return text


def N_n(one: str, many: str) -> tuple[str, str]:
    """Marks a text for one and for several for the catalogues, to be counted later."""
    return one, many


def counted(count: int, one: str, many: str) -> str:
    """``1 order``, ``2 orders``: a template with ``{count}`` for one, and for several."""
    return _catalogue(language()).ngettext(one, many, count).format(count=number(Decimal(count)))


def told(text: str) -> str:
    """A text of the core in the language of reports; the texts of a rulebook are its own."""
    if not isinstance(text, Said):
        return text
    return _IN_WORDS.vformat(_(text.template), (), text.facts) if text.facts else _(text.template)


class _InWords(Formatter):
    """The facts of a text as reports write them."""

    def format_field(self, value: Any, format_spec: str) -> str:
        if value is None:
            return _("blank")
        if isinstance(value, bool):
            return _("true") if value else _("false")
        if isinstance(value, Decimal):
            return signed(value) if format_spec == "+" else number(value)
        return (
            date(value) if isinstance(value, datetime.date) else told(value) if isinstance(value, str) else str(value)
        )


_IN_WORDS = _InWords()


def number(value: Decimal) -> str:
    """A number with its places, marks as the locale has them."""
    text = format(value, "f")
    if locale := _locale.get():
        from babel.numbers import format_decimal

        places = len(text.partition(".")[2])
        pattern = f"#,##0.{'0' * places}" if places else "#,##0"
        text = format_decimal(value, pattern, locale, decimal_quantization=False)
    return text.replace("-", MINUS)


def signed(value: Decimal) -> str:
    """A variance: a number with its sign."""
    return f"+{number(value)}" if value > 0 else number(value if value else abs(value))


def date(value: datetime.date) -> str:
    """A date: ISO 8601, or in words of the locale asked for."""
    if not (locale := _locale.get()):
        return value.isoformat()
    from babel.dates import format_date

    return format_date(value, "medium", locale)
