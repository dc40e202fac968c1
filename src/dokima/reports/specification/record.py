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
from dokima.reports.specification.content import Specification

SEAL = "seal"
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
    return _record(found[0].decode(), is_intact=_digest(blank) == seal)


def _of_json(content: bytes) -> Record | None:
    try:
        said = json.loads(content)
    except ValueError:
        return None
    if not isinstance(said, dict) or not isinstance(said.get("parts"), dict) or not isinstance(said.get("title"), str):
        return None
    seal = said.pop(SEAL, "")
    facts = said.get("facts")
    date = str(facts.get("date", "")) if isinstance(facts, dict) else ""
    return Record(said["title"], date, said["parts"], digest_of(canonical_json(said)) == seal)


def _of_word(content: bytes) -> Record | None:
    import io
    import zipfile

    docx = needed("docx", "specifications as Word documents", "docx")
    try:
        document = docx.Document(io.BytesIO(content))
    except (zipfile.BadZipFile, KeyError, ValueError):
        return None
    for part in document.part.package.iter_parts():
        text = part.blob.decode("utf-8", "replace") if str(part.partname).startswith("/customXml/") else ""
        found = _IN_WORD.search(text)
        if found is not None:
            record = _record(found[1], is_intact=True)
            seal = json.loads(found[1])[SEAL]
            return Record(record.title, record.date, record.parts, word_seal(texts_of(document)) == seal)
    return None


def texts_of(document: Any) -> list[str]:
    """The texts of a Word document, paragraph by paragraph, those in tables too."""
    from docx.oxml.ns import qn

    return [
        "".join(text.text or "" for text in paragraph.iter(qn("w:t")))
        for paragraph in document.element.body.iter(qn("w:p"))
    ]


def _record(text: str, *, is_intact: bool) -> Record:
    said = json.loads(text)
    return Record(said["title"], said["date"], said["parts"], is_intact)
