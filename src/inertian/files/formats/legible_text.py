"""Text without what nobody sees or means: colours of a terminal, unseen marks, digits and brackets
in other scripts, signs of quoting and typesetting at the ends of lines.

The general categories and decimal values of characters are those of Unicode Standard Annex 44.
"""

import re
import unicodedata
from collections.abc import Callable

_TERMINAL = re.compile(r"\x1b\[[0-9;?]*[A-Za-z]|\x1b\][^\x07]*\x07")
_UNSEEN = dict.fromkeys(
    [*range(0x200B, 0x2010), *range(0x202A, 0x202F), *range(0x2060, 0x2065), 0xFEFF, 0x061C, 0xAD]
)
_WIDE = {wide: wide - 0xFEE0 for wide in range(0xFF01, 0xFF5F)}
_MARKS = {
    0x066B: ".", 0x066C: "'", 0x3000: " ", 0x3001: ",",
    0x3010: "[", 0x3011: "]", 0x300C: "[", 0x300D: "]", 0x300E: "[", 0x300F: "]",
    0x3014: "[", 0x3015: "]", 0x3008: "[", 0x3009: "]", 0x300A: "[", 0x300B: "]",
}  # fmt: skip
_LOOKED_AT = 200  # lines that tell whether every line carries a sign
_MOST = 0.6  # of the lines, from which on a sign is one of the whole text


def legible(text: str) -> str:
    """Return a text without unseen marks and colours, with ASCII digits and brackets."""
    if "\x1b" in text:
        text = _TERMINAL.sub("", text)
    if text.isascii():
        return text
    table: dict[int, int | str | None] = {}
    for sign in set(text):
        code = ord(sign)
        if code < 0x80:
            continue
        if code in _UNSEEN:
            table[code] = None
        elif code in _WIDE:
            table[code] = _WIDE[code]
        elif code in _MARKS:
            table[code] = _MARKS[code]
        elif unicodedata.category(sign) == "Nd":
            table[code] = str(unicodedata.decimal(sign))
    return text.translate(table) if table else text


_TYPESET = (
    r"^\s*\\(?:begin|end|[a-z]*line|[a-z]*rule).*$"
    r"|\\\\\s*(?:\[[^\]]*\])?\s*(?:\\[a-z]*(?:line|rule)\b\S*)?\s*$|\$"
)
_NUMBERED = re.compile(r"^[A-Za-z]+\s?\d+\s?[:.)]\s+(?=[-+]?[\d.])")  # "sample 1: "
_SIGNS: tuple[tuple[re.Pattern[str], Callable[[str], bool]], ...] = (
    (re.compile(r"^(?:>\s?)+"), lambda line: line.startswith(">")),  # a quoted message
    (re.compile(_TYPESET), lambda line: "\\\\" in line),
    (re.compile(r"(?<=\w)\*[0-9A-F]{2}\s*$"), lambda line: line.startswith("$")),  # a checksum
    (_NUMBERED, lambda line: _NUMBERED.match(line) is not None),
)


def without_line_signs(lines: list[str]) -> list[str]:
    """Return lines without what most of them begin or end with and is part of no cell: signs of
    quoting, line ends of typesetting, checksums, "sample 1:".
    """
    sample = [line for line in lines[:_LOOKED_AT] if line.strip()]
    for pattern, carries in _SIGNS:
        if sample and sum(map(carries, sample)) >= _MOST * len(sample):
            lines = [pattern.sub("", line) for line in lines]
            sample = [pattern.sub("", line) for line in sample]
    return lines
