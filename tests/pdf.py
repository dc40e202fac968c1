"""What a PDF says, read by a library that did not write it."""

from pathlib import Path

import pypdf


def text_of(file: Path) -> str:
    """The text of all pages, in the order in which it stands there."""
    return "\n".join(page.extract_text() for page in pypdf.PdfReader(file).pages)
