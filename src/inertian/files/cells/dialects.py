"""How a text is cut into cells: the delimiter by what it yields, quotes, comments, aligned
columns.
"""

import csv
import io
import math
import re
from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

from inertian.files.cells.number_parsing import is_missing, looks_numeric
from inertian.files.cells.time_stamps import is_moment

WHITESPACE = "whitespace"
CANDIDATES = (
    "\t",
    ";",
    "|",
    ",",
    WHITESPACE,
    "&",
    "~",
    "^",
    "!",
    "::",
    ":",
    "/",
    "@",
    "$",
    "\x1f",
    "\x1e",
    "¦",
    "_",
)
NAMES = {"\t": "tab", ";": "semicolon", ",": "comma", "|": "bar", WHITESPACE: "spaces"}
_SAMPLE = 240  # lines that the choice rests on
_LONGEST_QUOTE = 60  # physical lines that one quoted cell may span
_LONGEST_LINE = 1_000_000
_COMMENT = re.compile(
    r"\s*(?:#+|%+|//+|!|--\s|\*\s|\*\*+|'|REM\b|;(?=[^0-9+\-.,;]*$))\s*", re.IGNORECASE
)
_QUOTED = re.compile(r'"([^"]*)"|([^\s"]+)')
_RULE = re.compile(r"[\s|+:;,\-=_*~.\t]*[-=_*~]{2}[\s|+:;,\-=_*~.\t]*$")


class Record(NamedTuple):
    """One line of a file, cut into cells; a quoted cell may hold line ends, so a record may span
    several lines.
    """

    line: int
    cells: tuple[str, ...]
    comment: bool = False

    @property
    def blank(self) -> bool:
        """Whether nothing is in it."""
        return not any(cell.strip() for cell in self.cells)


def is_reading(cell: str) -> bool:
    """Whether a cell can stand in a column of measurements: a number, a moment, or a word for
    missing.
    """
    return is_missing(cell) or looks_numeric(cell) or is_moment(cell)


def is_data(cells: Sequence[str]) -> bool:
    """Whether a line is a row of a table of measurements."""
    try:  # the usual case first: plain numbers only
        if math.isfinite(sum(map(float, cells))) and cells:
            return True
    except ValueError:
        pass
    filled = [cell for cell in cells if cell.strip()]
    real = sum(looks_numeric(cell) or is_moment(cell) for cell in filled)
    if not real:
        return False
    readings = sum(map(is_reading, filled))
    return readings == len(filled) or (readings >= 2 and readings >= 0.4 * len(filled))


def is_rule(line: str) -> bool:
    """Whether a line only draws a line, as under the titles of a table."""
    return (
        len(line.strip()) > 0
        and not any(c.isalnum() for c in line[:500])
        and _RULE.match(line[:500]) is not None
    )


def split_line(line: str, delimiter: str) -> tuple[str, ...]:
    """Cut one logical line into cells."""
    if delimiter == WHITESPACE:
        if line.count('"') > 1:  # blanks between quotes are part of a cell
            return tuple(a or b for a, b in _QUOTED.findall(line))
        return tuple(line.split())
    if '"' in line and len(delimiter) == 1:
        try:
            return tuple(
                next(csv.reader(io.StringIO(line), delimiter=delimiter, skipinitialspace=True), ())
            )
        except csv.Error:
            return tuple(cell.strip('" ') for cell in line.split(delimiter))
    return tuple(line.split(delimiter))


def choose_delimiter(lines: Sequence[str]) -> tuple[str, float]:
    """Return the delimiter under which most lines become rows of numbers, and how sure that is, 0
    to 1.
    """
    filled = [line for line in lines if line.strip() and len(line) < _LONGEST_LINE]
    middle = len(filled) // 2
    half = _SAMPLE // 2
    sample = filled if len(filled) <= _SAMPLE else filled[:half] + filled[middle : middle + half]
    for delimiter in CANDIDATES[:4]:
        if _perfect(sample, delimiter):
            return delimiter, 1.0
    scores = {
        d: _score(sample, d)
        for d in CANDIDATES
        if d == WHITESPACE or any(d in line for line in sample)
    }
    scores = {d: s for d, s in scores.items() if s > 0}
    if scores.get("\t", 0.0) > 0.5 * scores.get(WHITESPACE, 0.0) and sum(
        "\t" in x for x in sample
    ) > 0.8 * len(sample):
        scores.pop(WHITESPACE, None)  # blanks inside cells are no delimiters where there are tabs
    if not scores:
        return ",", 0.0
    best = max(scores, key=lambda d: (round(scores[d], 6), -CANDIDATES.index(d)))
    others = [s for d, s in scores.items() if d != best and not {d, best} <= {"\t", WHITESPACE}]
    return best, 1.0 - 0.5 * (max(others, default=0.0) / scores[best]) ** 4


def _perfect(lines: Sequence[str], delimiter: str) -> bool:
    """Whether nearly all lines are rows of plain numbers under a delimiter, as many in each, with
    none left over.
    """
    width = rows = 0
    for line in lines:
        cells = line.split(delimiter)
        if len(cells) < 2:
            continue
        try:
            for cell in cells:
                float(cell)
        except ValueError:
            continue
        rows += 1
        width = width or len(cells)
        if len(cells) != width:
            return False
    return rows >= 0.9 * len(lines) - 3 and rows > 2


def _score(lines: Sequence[str], delimiter: str) -> float:
    widths: Counter[int] = Counter()
    worth: dict[int, float] = {}
    for line in lines:
        if comment_prefix(line):
            continue
        cells = split_line(line, delimiter)
        while cells and not cells[-1].strip():
            cells = cells[:-1]
        if len(cells) < 2 or not is_data(cells):
            continue
        share = sum(map(is_reading, cells)) / len(cells)
        widths[len(cells)] += 1
        worth[len(cells)] = worth.get(len(cells), 0.0) + share**2
    if not widths:
        return 0.0
    mode = max(widths, key=lambda w: worth[w])
    return worth[mode] + 0.5 * (sum(worth.values()) - worth[mode])


def comment_prefix(line: str) -> str:
    """Return the comment sign at the start of a line, or "" if it is no comment."""
    if line[:1].isdigit():
        return ""
    match = _COMMENT.match(line)
    return match[0] if match else ""


def records_of(lines: Sequence[str], delimiter: str) -> list[Record]:
    """Cut all lines; quotes left open take in the lines after, within bounds."""
    found: list[Record] = []
    framed = delimiter == "|" and _framed(lines)
    place, quoted = 0, delimiter != WHITESPACE and any('"' in line for line in lines)
    wrapped = quoted and _wrapped(lines, delimiter)
    while place < len(lines):
        line, number = lines[place], place + 1
        place += 1
        if framed:
            line = line.strip().removeprefix("|").removesuffix("|")
        if wrapped and line.strip().startswith('"') and line.strip().endswith('"'):
            line = line.strip()[1:-1].replace('""', '"')
        elif quoted and line.count('"') % 2 and delimiter in line + delimiter:
            line, place = _closed_quote(lines, place - 1)
        prefix = comment_prefix(line)
        if not prefix:
            found.append(Record(number, split_line(line, delimiter)))
        else:
            found.append(Record(number, split_line(line[len(prefix) :], delimiter), True))
    return found


def _framed(lines: Sequence[str]) -> bool:
    """Whether bars stand at both ends of each line too, as in tables that are drawn with them."""
    filled = [line.strip() for line in lines[:100] if "|" in line]
    return sum(s.startswith("|") and s.endswith("|") for s in filled) > 0.8 * len(filled)


def _wrapped(lines: Sequence[str], delimiter: str) -> bool:
    """Whether each line as a whole stands in quotes, as some spreadsheets write it."""
    filled = [line.strip() for line in lines[:50] if line.strip()]
    return bool(filled) and all(
        s.startswith('"') and s.endswith('"') and s.count('"') == 2 and delimiter in s
        for s in filled
    )


def _closed_quote(lines: Sequence[str], start: int) -> tuple[str, int]:
    """Join lines until the quotes are balanced; if they never are, the line stands alone with its
    quotes taken off.
    """
    whole = lines[start]
    for end in range(start + 1, min(start + _LONGEST_QUOTE, len(lines))):
        whole += "\n" + lines[end]
        if whole.count('"') % 2 == 0:
            return whole, end + 1
    return lines[start].replace('"', ""), start + 1


def align(records: list[Record], lines: Sequence[str], width: int) -> list[Record]:
    """Put the cells of aligned lines that lack some under the columns they stand in, by the places
    of full lines.

    Records of `width` cells tell where each column is; if their places overlap, nothing is changed.
    """
    starts, ends = [10**9] * width, [0] * width
    for record in records:
        plain = lines[record.line - 1].split() == list(record.cells)
        if plain and len(record.cells) == width and not record.comment and is_data(record.cells):
            for column, match in enumerate(re.finditer(r"\S+", lines[record.line - 1])):
                starts[column], ends[column] = (
                    min(starts[column], match.start()),
                    max(ends[column], match.end()),
                )
    if any(a >= b for a, b in zip(ends[:-1], starts[1:], strict=True)) or ends[-1] == 0:
        return records
    mended = []
    for record in records:
        if 0 < len(record.cells) < width and not record.comment and is_data(record.cells):
            cells = [""] * width
            for match in re.finditer(r"\S+", lines[record.line - 1]):
                overlaps = [
                    min(match.end(), e) - max(match.start(), s)
                    for s, e in zip(starts, ends, strict=True)
                ]
                cells[overlaps.index(max(overlaps))] = match[0]
            record = Record(record.line, tuple(cells))
        mended.append(record)
    return mended
