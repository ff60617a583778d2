"""Numbers written as lists of a programming language, a matrix, blocks of names and values, or
columns that touch: each as lines of a table.
"""

import re
from collections.abc import Iterator, Sequence

from inertian.files.cells.dialects import Record, is_reading
from inertian.quantities.units import kind_of

_NUMBER = r"[-+]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][-+]?\d+)?"
_ROW = re.compile(rf"[\[({{]\s*({_NUMBER}f?(?:\s*[,;\s]\s*{_NUMBER}f?)+)\s*,?\s*[\])}}]")
_MATRIX_START = re.compile(r"^\s*(?:[A-Za-z_]\w*\s*=)?\s*\[")
_TOUCHING = re.compile(r"(?<=\.\d)(\d*)(?=[-+]\d*\.\d)")
_LONGEST_ROW = 4000  # characters of a line that are looked at for lists
_BLOCK_LINE = re.compile(r"^\s*(?:-\s+)?([^\W\d][\w .()/²µ\[\]°-]{0,40}?)\s*[:=]\s*(\S.*?)?\s*$")
_BLOCK_END = re.compile(r"^\s*(?:---|\.\.\.|===+|\[[^\]]*\]|-\s+.*)?\s*$")
_LEAST_ROWS = 3


def bracketed_rows(lines: Sequence[str]) -> list[str] | None:
    """Return the rows of numbers that stand in brackets of their own, one a line, or None if there
    are hardly any: {0.1f, 0.2f}, (0.1, 0.2), [0.1 0.2].

    Lines keep their numbers: the rows of a line with several follow in the lines after the last.
    """
    found: list[str] = []
    single = True
    for line in lines:
        rows = [_cells(m[1]) for m in _ROW.finditer(line)] if len(line) <= _LONGEST_ROW else []
        single = single and len(rows) <= 1
        found.append(rows[0] if len(rows) == 1 else "")
    if single:
        return found if sum(map(bool, found)) >= _LEAST_ROWS else None
    every = [_cells(m[1]) for line in lines for m in _ROW.finditer(line)]
    return every if len(every) >= _LEAST_ROWS else None


def _cells(row: str) -> str:
    return " ".join(cell.rstrip("fF") for cell in re.split(r"[,;\s]+", row.strip()) if cell)


def matrix_rows(lines: Sequence[str]) -> list[str] | None:
    """Return the rows of a matrix in one pair of square brackets, apart by semicolons or lines; or
    None.
    """
    start = next((n for n, line in enumerate(lines) if _MATRIX_START.match(line)), None)
    if start is None or not any("]" in line for line in lines[start:]):
        return None
    rows = list(lines)
    rows[start] = _MATRIX_START.sub("", rows[start])
    whole = rows[start].count(";") > 1
    for place in range(start, len(rows)):
        ended = "]" in rows[place]
        rows[place] = rows[place].replace("]", "").rstrip().removesuffix("...").rstrip("; ")
        if ended:
            rows[place + 1 :] = [""] * (len(rows) - place - 1)
            break
    return [*rows[:start], *(r.strip() for r in rows[start].split(";"))] if whole else rows


def touching_columns(lines: Sequence[str]) -> list[str] | None:
    """Return lines with a blank before each sign that stands right behind digits, or None if there
    is none: columns of fixed width whose negative numbers fill them.
    """
    apart = [_TOUCHING.sub(r"\1 ", line) for line in lines]
    changed = sum(a != b for a, b in zip(apart, lines, strict=True))
    return apart if changed >= _LEAST_ROWS else None


def block_records(lines: Sequence[str]) -> tuple[list[Record], dict[str, str]] | None:
    """Return blocks of lines with a name and a value each as one record a block, and the units that
    a block of units states; None if the text is none of that.

    A block ends where a name comes again, at a line of dashes, at a title in square brackets or at
    the dash of a list.
    """
    blocks = list(_blocks(lines))
    if len(blocks) < _LEAST_ROWS:
        return None
    keys: dict[str, int] = {}
    for _, block in blocks:
        for key, value in block.items():
            keys[key] = keys.get(key, 0) + is_reading(value)
    titles = tuple(k for k, count in keys.items() if count >= 0.6 * (len(blocks) - 1))
    if len(titles) < 2:
        return None
    units: dict[str, str] = {}
    records = [Record(0, titles)]
    for number, block in blocks:
        cells = tuple(block.get(k, "") for k in titles)
        if any(map(is_reading, filter(None, cells))):
            records.append(Record(number, cells))
        else:
            units |= {k: v for k, v in block.items() if kind_of(v)}
    return (records, units) if len(records) > _LEAST_ROWS else None


def _blocks(lines: Sequence[str]) -> Iterator[tuple[int, dict[str, str]]]:
    block: dict[str, str] = {}
    first = 0
    for number, line in enumerate(lines, start=1):
        match = _BLOCK_LINE.match(line) if len(line) <= _LONGEST_ROW else None
        again = match is not None and match[1] in block
        if (_BLOCK_END.match(line) or again or line.lstrip().startswith("- ")) and block:
            yield first, block
            block = {}
        if match is not None:
            first = first if block else number
            block[match[1]] = (match[2] or "").strip("\"'")
    if block:
        yield first, block
