"""Bytes into text: encodings, marks, NUL bytes and line ends."""

import re
from dataclasses import dataclass

from inertian.files.cells.findings import Code, Finding, UnreadableFileError
from inertian.files.formats.file_types import wide_text
from inertian.files.formats.legible_text import legible

_MARKS = (
    (b"\xef\xbb\xbf", "utf-8-sig"),
    (b"\xff\xfe\0\0", "utf-32"),
    (b"\0\0\xfe\xff", "utf-32"),
    (b"\xff\xfe", "utf-16"),
    (b"\xfe\xff", "utf-16"),
)
_C1 = re.compile(rb"[\x80-\x9f]")


@dataclass(frozen=True)
class Text:
    """A decoded file: its lines without line ends, the encoding it was in, and what was odd about
    it.
    """

    lines: list[str]
    encoding: str
    ended: bool  # whether the last line had a line end
    findings: tuple[Finding, ...] = ()


def decode(file: str, content: bytes, encoding: str | None = None) -> Text:
    """Return the text of a file; `encoding` is tried first if given.

    UTF-8, UTF-16 and UTF-32 are told by their mark, UTF-16 also by its NUL bytes; what is not UTF-8
    is Windows-1252 if it uses the places that Latin-1 leaves to control characters, else Latin-1.
    Line ends may be LF, CRLF, CR, or mixed. Raises UnreadableFileError if nothing is in it.
    """
    text, used = _decoded(content, encoding)
    findings = []
    if "\0" in text:
        findings.append(
            Finding(Code.NUL_BYTES, f"{text.count(chr(0))} NUL bytes were left out of the text.")
        )
        text = text.replace("\0", "")
    # The end mark that some old systems write
    text = legible(text.removeprefix("\ufeff").removesuffix("\x1a"))
    if not text.strip():
        raise UnreadableFileError(
            file, Code.EMPTY, "the file is empty: there is nothing but blank space in it."
        )
    if "\r" in text:
        text = text.replace("\r\n", "\n").replace("\r", "\n")
    for separator in ("\x0b", "\x0c", "\x85", "\u2028", "\u2029"):
        if separator in text and (separator != "\x85" or used == "utf-8"):
            text = text.replace(separator, "\n" if separator in "\u2028\u2029" else " ")
    ended = text.endswith("\n")
    lines = text.split("\n")
    if ended:
        lines.pop()
    return Text(lines, used, ended, tuple(findings))


def _decoded(content: bytes, encoding: str | None) -> tuple[str, str]:
    marked = next((name for mark, name in _MARKS if content.startswith(mark)), None)
    for name in (encoding, marked, wide_text(content[:4096]), "utf-8"):
        if name is None:
            continue
        try:
            return content.decode(name), "utf-8" if name == "utf-8-sig" else name
        except (UnicodeDecodeError, LookupError):
            continue
    if marked == "utf-16":
        return content.decode("utf-16", errors="replace"), "utf-16"
    if marked == "utf-8-sig":
        return content.decode("utf-8-sig", errors="replace"), "utf-8"
    name = "windows-1252" if _C1.search(content) else "latin-1"
    return content.decode("cp1252" if name == "windows-1252" else name, errors="replace"), name
