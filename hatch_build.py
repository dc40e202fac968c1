"""The catalogues of reports: extracted from the code, checked, and compiled when Dokima is built.

Hatch calls `Catalogues`, for a wheel as for an editable install. ``python hatch_build.py`` brings the ``.po`` files
up to date with the code (new texts come in empty, texts that are gone leave) and compiles them.
"""

from __future__ import annotations

import sys
from pathlib import Path
from string import Formatter
from typing import Any

from babel.messages.catalog import Catalog, Message
from babel.messages.extract import extract_from_dir
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

try:
    from hatchling.builders.hooks.plugin.interface import BuildHookInterface
except ImportError:  # run by hand, where nothing is built
    BuildHookInterface = object

ROOT = Path(__file__).parent
LOCALES = ROOT / "src" / "dokima" / "reports" / "locale"
KEYWORDS = {"_": None, "N_": None, "N_n": (1, 2), "counted": (2, 3), "Said": None}
"""The calls whose texts are translated, and which of their arguments those are."""


class Catalogues(BuildHookInterface):  # type: ignore[misc,valid-type]
    """Compiles the catalogues into what is built."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:  # noqa: ARG002 (Hatch names them)
        """Compile all catalogues; a text without a translation stops the build."""
        compile_catalogues()


def extracted() -> Catalog:
    """Every text of the code that is for people."""
    catalogue = Catalog(project="Dokima", charset="utf-8")
    folder = ROOT / "src" / "dokima"
    for file, line, text, _comments, _context in extract_from_dir(folder, [("**.py", "python")], keywords=KEYWORDS):
        if text and text != ("", ""):
            catalogue.add(text, locations=[(file, line)])
    return catalogue


def compile_catalogues() -> None:
    """Compile each catalogue beside its source.

    Raises:
        ValueError: A text has no translation, or one with other facts in braces.
    """
    wanted = extracted()
    for source in sorted(LOCALES.glob("*/LC_MESSAGES/dokima.po")):
        with source.open("rb") as file:
            catalogue = read_po(file, locale=source.parent.parent.name)
        for message in wanted:
            if message.id:
                _check(catalogue, message, source)
        with source.with_suffix(".mo").open("wb") as file:
            write_mo(file, catalogue)


def _check(catalogue: Catalog, message: Message, source: Path) -> None:
    found = catalogue.get(message.id)
    texts = [] if found is None else found.string if isinstance(found.string, tuple) else [found.string]
    if not texts or not all(texts):
        raise ValueError(f"{source}: expected a translation of {message.id!r}")
    known = _facts(message.id if isinstance(message.id, str) else message.id[1])
    for text in texts:
        if _facts(text) != known:
            raise ValueError(f"{source}: expected the facts {sorted(known)} in {text!r}")


def _facts(text: str) -> set[str]:
    """The names in braces, those in doubled braces too, which are filled in a second step."""
    inner = text.replace("{{", "{").replace("}}", "}")
    return {name for once in (text, inner) for _, name, _, _ in Formatter().parse(once) if name}


def update() -> None:
    """Bring the sources of all catalogues up to date with the code."""
    wanted = extracted()
    for source in sorted(LOCALES.glob("*/LC_MESSAGES/dokima.po")):
        with source.open("rb") as file:
            catalogue = read_po(file, locale=source.parent.parent.name)
        wanted.creation_date = catalogue.creation_date
        catalogue.update(wanted, no_fuzzy_matching=True)
        catalogue.obsolete.clear()
        with source.open("wb") as file:
            write_po(file, catalogue, width=120, no_location=True, omit_header=False)


if __name__ == "__main__":
    update()
    try:
        compile_catalogues()
    except ValueError as error:
        sys.exit(str(error))
