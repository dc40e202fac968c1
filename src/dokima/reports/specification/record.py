"""The record that a specification carries in each of its forms: a digest of each part, and one of the document itself.

In HTML, Markdown and PDF the record is one text of JSON, and its seal is the SHA-256 of the whole file with zeros in
the place of the seal. In Word documents it is a custom XML part (ISO/IEC 29500-1) with a seal of the texts, since a
document that is only saved again says what it said. In JSON the seal is that of the data without it.
"""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from dokima.errors import DokimaError
from dokima.model.content import canonical_json, digest_of
from dokima.reports.extras import needed
from dokima.reports.specification.content import SEAL, Specification

OPEN_SEAL = "0" * 64
"""What stands in the place of the seal while the file is digested."""
NAMESPACE = "urn:dokima:specification"
_RECORD = re.compile(rb'\{"dokima_specification": 1, [^\r\n]*?"seal": "([0-9a-f]{64})"\}')
_IN_WORD = re.compile(rf'<record xmlns="{NAMESPACE}">(.*)</record>', re.DOTALL)


@dataclass(frozen=True)
class Record:
    """What a specification recorded when it was made.

    Attributes:
        title: The rulebook that it is of.
        date: The date of the specification; blank if it says none.
        parts: A digest of each part of the rulebook and of each case, by kind and name.
        is_intact: Whether the document is as it was made.
    """

    title: str
    date: str
    parts: Mapping[str, str]
    is_intact: bool


def record_text(spec: Specification, seal: str = OPEN_SEAL) -> str:
    """The record as JSON in one line of ASCII that means nothing to HTML, Markdown, XML or PDF.

    Args:
        spec: The specification.
        seal: Its seal; open if the file is still to be digested.
    """
    said = {"dokima_specification": 1, "title": spec.title, "date": spec.date, "parts": dict(spec.parts), SEAL: seal}
    text = json.dumps(said)
    for sign in "<>&-`":
        text = text.replace(sign, f"\\u{ord(sign):04x}")
    return text


def sealed(content: bytes) -> bytes:
    """A file with its seal in the record, instead of zeros."""
    return content.replace(_field(OPEN_SEAL), _field(_digest(content)))


def sealed_text(text: str) -> str:
    """The same of a text."""
    return sealed(text.encode()).decode()


def _field(seal: str) -> bytes:
    return f'"{SEAL}": "{seal}"}}'.encode()


def _digest(content: bytes) -> str:
    return hashlib.sha256(content).hexdigest()


def word_seal(texts: Iterable[str]) -> str:
    """The seal of a Word document: of its paragraphs, one after the other."""
    return digest_of("\n".join(texts))


# -- reading ----------------------------------------------------------------------------------------------------------


def read_record(path: Path) -> Record:
    """The record in a specification.

    Raises:
        DokimaError: The file cannot be read, or it is no specification that carries a record.
    """
    try:
        content = path.read_bytes()
    except OSError as error:
        raise DokimaError(f"{path}: {error.strerror or error}") from None
    match path.suffix.lower():
        case ".docx":
            found = _of_word(content)
        case ".json":
            found = _of_json(content)
        case ".pdf":
            found = _of_text(content)
        case _:
            found = _of_text(content.replace(b"\r\n", b"\n"))
    if found is None:
        raise DokimaError(
            f"{path}: expected a specification that 'dokima spec --out' has written (got a file without its record)"
        )
    return found


def _of_text(content: bytes) -> Record | None:
    found = _RECORD.search(content)
    if found is None:
        return None
    seal = found[1].decode()
    blank = content.replace(_field(seal), _field(OPEN_SEAL))
    return _record(_read(found[0]), is_intact=seal == _digest(blank))


def _of_json(content: bytes) -> Record | None:
    said = _read(content)
    seal = said.pop(SEAL, "")
    facts = said.get("facts")
    date = facts.get("date", "") if isinstance(facts, dict) else ""
    try:
        is_intact = digest_of(canonical_json(said)) == seal
    except ValueError:  # half a character, as nothing of ours writes it
        is_intact = False
    return _record({**said, "date": date}, is_intact=is_intact)


def _of_word(content: bytes) -> Record | None:
    import io
    import zipfile
    import zlib

    docx = needed("docx", "specifications as Word documents", "docx")
    try:
        document = docx.Document(io.BytesIO(content))
        blobs = [part.blob for part in document.part.package.iter_parts() if "/customXml/" in str(part.partname)]
        texts = texts_of(document)
    except (zipfile.BadZipFile, zlib.error, KeyError, ValueError, AttributeError, SyntaxError, EOFError):
        return None  # no archive, no document in it, or no XML
    found = next(filter(None, (_IN_WORD.search(blob.decode("utf-8", "replace")) for blob in blobs)), None)
    said = {} if found is None else _read(found[1])
    return _record(said, is_intact=said.get(SEAL) == word_seal(texts))


def _read(text: str | bytes) -> dict[str, Any]:
    """An object of JSON; an empty one for anything else."""
    try:
        said = json.loads(text)
    except (ValueError, RecursionError):
        return {}
    return said if isinstance(said, dict) else {}


def _record(said: Mapping[str, Any], *, is_intact: bool) -> Record | None:
    """The record that some data is; None if it is none, whatever else it may be."""
    title, date, parts = said.get("title"), said.get("date"), said.get("parts")
    if not isinstance(title, str) or not isinstance(date, str) or not isinstance(parts, dict):
        return None
    return Record(title, date, parts, is_intact)


def texts_of(document: Any) -> list[str]:
    """The texts of a Word document, paragraph by paragraph, those in tables too."""
    from docx.oxml.ns import qn

    return [
        "".join(text.text or "" for text in paragraph.iter(qn("w:t")))
        for paragraph in document.element.body.iter(qn("w:p"))
    ]
