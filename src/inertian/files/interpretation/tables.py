"""Tables in a run of records: where the rows are, which lines are titles and units, what stands
between.
"""

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field

from inertian.files.cells import size_limits
from inertian.files.cells.column_titles import Role, read_title
from inertian.files.cells.dialects import WHITESPACE, Record, is_data, is_reading, is_rule
from inertian.files.cells.findings import (
    Code,
    Finding,
    UnreadableFileError,
    Unusable,
    shown_line,
)
from inertian.files.cells.number_parsing import looks_numeric, value_of
from inertian.files.interpretation.table_titles import (
    Header,
    header_of,
    is_header,
    is_number_title,
    is_spoilt_row,
    titles_before,
    trimmed,
)

_PAGE = re.compile(
    r"\b(?:page|seite|página|pagina|side|strona|sivu)\W{0,3}\d+(?:\s*(?:/|of|von)\s*\d+)?"
)
_RUN_TOGETHER = 0.1  # of the rows: more with too many cells are the way the table is
_PAGE_GAP = 3.0  # steps of time that may lie between two pages


@dataclass(frozen=True, eq=False)
class Table:
    """One block of rows: titles and units by column, cells by row with their physical lines, and
    the text above.
    """

    titles: tuple[str, ...]
    units: tuple[str, ...]
    rows: list[tuple[str, ...]]
    lines: Sequence[int]
    name: str = ""
    above: tuple[str, ...] = ()
    unusable: tuple[Unusable, ...] = ()
    findings: tuple[Finding, ...] = ()
    headed: bool = True
    # Rows that stand behind a blank line or a title
    apart: frozenset[int] = field(default_factory=frozenset)

    @property
    def width(self) -> int:
        """How many columns there are."""
        return len(self.titles)


def find_tables(records: Sequence[Record], delimiter: str, ended: bool) -> list[Table]:
    """Return the tables in some records, in order; blocks under a header of their own are tables of
    their own. Raises UnreadableFileError where there are too many columns.
    """
    data = [not r.comment and is_data(r.cells) for r in records]
    if not any(data):
        return []
    width = _usual_width(records, data)
    if width > size_limits.COLUMNS:
        why = (
            f"its table has {width} columns, more than a recording has. Cut out the time and the "
            "positions."
        )
        raise UnreadableFileError("", Code.TOO_LARGE, why)
    data = [
        d and not (len(r.cells) > width and not is_reading(r.cells[0]))
        for r, d in zip(records, data, strict=True)
    ]  # a title with numbers in it is wider than the rows and begins with a word
    blocks: list[tuple[list[Record], list[Record], list[Record]]] = []  # above, rows, between
    above: list[Record] = []
    rows: list[Record] = []
    between: list[Record] = []
    for place, (record, is_row) in enumerate(zip(records, data, strict=True)):
        if (
            is_row
            and (rows or blocks or not is_number_title(records, data, place, width, delimiter))
        ) or (rows and is_spoilt_row(record, width, delimiter)):
            rows.append(record)
        elif not rows:
            above.append(record)
        elif (
            not record.blank
            and is_header(record, width, delimiter, blocks, above)
            and _rows_follow(data, place)
        ):
            titles = titles_before(between)
            blocks.append((above, rows, [r for r in between if r not in titles]))
            above, rows, between = [*titles, record], [], []
        else:
            between.append(record)
    blocks.append((above, rows, between))
    largest = max(len(b[1]) for b in blocks)
    kept: list[tuple[list[Record], list[Record], list[Record]]] = []
    stray: list[Record] = []  # lines with numbers that are no table: they stand above the next one
    for block in blocks:
        if block[1] and (len(block[1]) >= 2 or len(block[1]) == largest):
            kept.append(([*stray, *block[0]], block[1], block[2]))
            stray = []
        else:
            stray += [*block[0], *block[1], *block[2]]
    kept = _pages_joined(kept)
    return [_table(b, delimiter, ended or b is not kept[-1]) for b in kept]


Block = tuple[list[Record], list[Record], list[Record]]  # above, rows, between


def _pages_joined(blocks: list[Block]) -> list[Block]:
    """Put blocks together that are the pages of one table: under the same titles, time goes on
    where the page before ended, and at most a number of the page tells what is above them apart.
    """
    joined: list[Block] = []
    for above, rows, between in blocks:
        if joined and _goes_on(joined[-1], above, rows):
            top, before, gone = joined[-1]
            joined[-1] = (top, [*before, *rows], [*gone, *between])
        else:
            joined.append((above, rows, between))
    return joined


def _goes_on(page: Block, above: list[Record], rows: list[Record]) -> bool:
    heads = [_head(page[0]), _head(above)]
    if heads[0] != heads[1] or len(page[1]) < 2:
        return False
    times = [value_of(r.cells[0], ".") for r in (*page[1][-2:], rows[0]) if r.cells]
    if len(times) < 3 or any(t is None for t in times):
        return False
    earlier, last, first = (t[0] for t in times if t is not None)
    return earlier < last < first <= last + _PAGE_GAP * (last - earlier)


def _head(above: list[Record]) -> list[str]:
    """The lines above a block, without the numbers of pages."""
    lines = [" ".join(" ".join(r.cells).split()).casefold() for r in above if not r.blank]
    return [_PAGE.sub("", line).strip() for line in lines]


def _usual_width(records: Sequence[Record], data: Sequence[bool]) -> int:
    """The usual number of cells of a row; blank ones at the end count, as a column of remarks is
    mostly blank.
    """
    widths = Counter(len(r.cells) for r, d in zip(records, data, strict=True) if d)
    return max(widths, key=lambda w: (widths[w], w))


def _rows_follow(data: Sequence[bool], place: int) -> bool:
    return any(data[place + 1 : place + 4])


def _table(
    block: tuple[list[Record], list[Record], list[Record]], delimiter: str, ended: bool
) -> Table:
    above, rows, between = block
    width, header = _width_and_header(above, rows, delimiter)
    unusable = _between_rows(between, delimiter)
    rows, together = _without_run_together(rows, width, delimiter)
    unusable = sorted([*unusable, *together], key=lambda u: u.line)
    findings = [skipped(unusable)] if unusable else []
    rows, cut = _without_cut_off(rows, width, ended)
    if cut is not None:
        unusable.append(cut)
        said = f"The last line is cut off: “{cut.text}”."
        findings.append(Finding(Code.TRUNCATED, said, (cut.line,)))
    findings += _ragged(rows, width)
    titles = header.titles if header else ()
    titles = (*titles[:width], *[""] * (width - len(titles)))
    used = header.used if header else 0
    texts = [r for r in above if not r.blank and not is_rule("".join(r.cells))]
    texts = texts[: len(texts) - used] if used else texts
    cells = [
        r.cells if len(r.cells) == width else (*r.cells[:width], *[""] * (width - len(r.cells)))
        for r in rows
    ]
    return Table(
        titles=tuple(t.strip() for t in titles),
        units=header.units if header else ("",) * width,
        rows=cells,
        lines=[r.line for r in rows],
        name=_block_name(texts),
        above=tuple(_as_line(r, delimiter).strip() for r in texts),
        unusable=tuple(unusable),
        findings=tuple(findings),
        headed=header is not None and any(t.strip() for t in titles),
        apart=_apart(rows, between),
    )


def _as_line(record: Record, delimiter: str) -> str:
    return (delimiter if len(delimiter) == 1 else " ").join(record.cells)


def _width_and_header(
    above: list[Record], rows: list[Record], delimiter: str
) -> tuple[int, "Header | None"]:
    """How many columns a table has, and its titles; titles may tell of columns that rows lack."""
    width = _usual_width(rows, [True] * len(rows))
    header = header_of(above, width, delimiter, rows)
    if header is None and delimiter != WHITESPACE:
        wider = [len(trimmed(r.cells)) for r in above if not r.blank][-1:]
        if wider and width < wider[0] <= max(len(r.cells) for r in rows):
            return wider[0], header_of(above, wider[0], delimiter, rows)
    return width, header


def _between_rows(between: list[Record], delimiter: str) -> list[Unusable]:
    """The lines between the rows that are none of them."""
    return [
        Unusable(
            r.line,
            shown_line(_as_line(r, delimiter)),
            "a comment between the rows" if r.comment else "not a row of numbers",
        )
        for r in between
        if not r.blank and not is_rule("".join(r.cells))
    ]


def _without_run_together(
    rows: list[Record], width: int, delimiter: str
) -> tuple[list[Record], list[Unusable]]:
    """Take off rows with more numbers than there are columns, unless many have them: two lines that
    ran together, of which no number can be trusted.
    """
    long = [r for r in rows if len(r.cells) > width and any(map(looks_numeric, r.cells[width:]))]
    if not long or len(long) > max(1, _RUN_TOGETHER * len(rows)) or len(rows) < 2 * len(long) + 2:
        return rows, []
    lines = {r.line for r in long}
    why = "more numbers than there are columns: perhaps two lines that ran together"
    return [r for r in rows if r.line not in lines], [
        Unusable(r.line, shown_line(_as_line(r, delimiter)), why) for r in long
    ]


def _ragged(rows: list[Record], width: int) -> list[Finding]:
    """What is to be said of rows with another number of cells."""
    extra = [r.line for r in rows if len(trimmed(r.cells)) > width]
    short = [r.line for r in rows if len(r.cells) < width]
    if not extra and not short:
        return []
    parts = [f"{len(short)} too few cells"] if short else []
    parts += [f"{len(extra)} too many"] if extra else []
    said = f"Rows with another number of cells than the others: {' and '.join(parts)}."
    return [Finding(Code.RAGGED_ROWS, said, tuple(sorted(extra + short)))]


def _apart(rows: list[Record], between: list[Record]) -> frozenset[int]:
    """The places of rows that stand behind a blank line."""
    blanks, lines = sorted(r.line for r in between if r.blank), [r.line for r in rows]
    return frozenset(
        i for i in range(1, len(lines)) if blanks and _any_between(blanks, lines[i - 1], lines[i])
    )


def _any_between(sorted_lines: Sequence[int], low: int, high: int) -> bool:
    from bisect import bisect_right

    place = bisect_right(sorted_lines, low)
    return place < len(sorted_lines) and sorted_lines[place] < high


def skipped(unusable: Sequence[Unusable]) -> Finding:
    """Return the finding that lists lines which are no rows."""
    count = len(unusable)
    said = (
        f"{count} {'line' if count == 1 else 'lines'} between the rows could not be used, first "
        f"“{unusable[0].text}”."
    )
    return Finding(Code.SKIPPED_LINES, said, tuple(u.line for u in unusable))


def _block_name(texts: Sequence[Record]) -> str:
    """The title right above a block, if it is one short line."""
    if not texts or texts[-1].comment:
        return ""
    for record in reversed(texts[-4:]):
        said = " ".join(c.strip() for c in record.cells if c.strip())
        words = said.replace(":", " ").split()
        if 1 < len(words) < 5 and read_title(words[0]).role is Role.TRIAL:
            return " ".join(words)
    filled = [c.strip() for c in texts[-1].cells if c.strip()]
    said = " ".join(filled)
    return (
        said.rstrip(":")
        if len(filled) == 1 or (len(texts[-1].cells) < 4 and len(said) < 40)
        else ""
    )


def _without_cut_off(
    rows: list[Record], width: int, ended: bool
) -> tuple[list[Record], Unusable | None]:
    """Take off a last row that was cut in the middle: no line end, and fewer cells or fewer digits
    than all others.
    """
    if ended or len(rows) < 3:
        return rows, None
    last, others = rows[-1].cells, rows[:-1]
    whole = sum(len(r.cells) == width for r in others) >= 0.9 * len(others)
    short = whole and len(last) < width
    if not short and len(last) == width and last[-1].strip():
        digits = {_decimals(r.cells[width - 1]) for r in others if len(r.cells) >= width}
        short = len(digits) == 1 and next(iter(digits)) > _decimals(last[-1]) and len(rows) > 5
        ends = [r.cells[width - 1] for r in others if len(r.cells) >= width]
        readings = all(map(is_reading, ends)) and 2 * sum(map(looks_numeric, ends)) > len(ends)
        short = short or (readings and not is_reading(last[-1]))
    if not short:
        return rows, None
    return rows[:-1], Unusable(
        rows[-1].line, shown_line(" ".join(last)), "cut off: the file ends in this line"
    )


def _decimals(cell: str) -> int:
    bare = cell.strip().replace(",", ".")
    return len(bare.rpartition(".")[2]) if "." in bare else 0
