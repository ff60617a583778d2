"""Tables in a run of records: where the rows are, which lines are titles and units, what stands
between.
"""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field

from inertian.files.cells.column_titles import Role, read_title, split_unit
from inertian.files.cells.dialects import WHITESPACE, Record, is_data, is_reading, is_rule
from inertian.files.cells.findings import Code, Finding, Unusable, shown_line
from inertian.files.cells.number_parsing import looks_numeric
from inertian.quantities.units import kind_of

_WIDEST = 2000  # columns


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
    their own.
    """
    data = [not r.comment and is_data(r.cells) for r in records]
    if not any(data):
        return []
    width = _usual_width(records, data)
    blocks: list[tuple[list[Record], list[Record], list[Record]]] = []  # above, rows, between
    above: list[Record] = []
    rows: list[Record] = []
    between: list[Record] = []
    for place, (record, is_row) in enumerate(zip(records, data, strict=True)):
        if (
            is_row
            and (rows or blocks or not _is_number_title(records, data, place, width, delimiter))
        ) or (rows and is_spoilt_row(record, width, delimiter)):
            rows.append(record)
        elif not rows:
            above.append(record)
        elif (
            not record.blank
            and _is_header(record, width, delimiter, blocks, above)
            and _rows_follow(data, place)
        ):
            titles = _titles_before(between)
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
    return [_table(b, delimiter, ended or b is not kept[-1]) for b in kept]


def _usual_width(records: Sequence[Record], data: Sequence[bool]) -> int:
    """The usual number of cells of a row; blank ones at the end count, as a column of remarks is
    mostly blank.
    """
    widths = Counter(len(r.cells) for r, d in zip(records, data, strict=True) if d)
    return max(widths, key=lambda w: (widths[w], w))


def _trimmed(cells: tuple[str, ...]) -> tuple[str, ...]:
    while cells and not cells[-1].strip():
        cells = cells[:-1]
    return cells


def _is_number_title(
    records: Sequence[Record], data: Sequence[bool], place: int, width: int, delimiter: str
) -> bool:
    """Whether a lone line of numbers above the titles is no row: it stands apart from the rows, or
    is far narrower.
    """
    following = [i for i in range(place + 1, min(place + 4, len(records))) if not records[i].blank]
    if (
        not following
        or data[following[0]]
        or is_spoilt_row(records[following[0]], width, delimiter)
    ):
        return False
    return len(_trimmed(records[place].cells)) < width


def is_spoilt_row(record: Record, width: int, delimiter: str) -> bool:
    """Whether a line among rows is one of them with a cell spoilt: as many cells, and some of them
    numbers.
    """
    cells = record.cells
    if record.comment or delimiter == WHITESPACE or len(cells) != width or width < 2:
        return False
    return looks_numeric(cells[0]) and not _known_word([c for c in cells if not looks_numeric(c)])


def _rows_follow(data: Sequence[bool], place: int) -> bool:
    return any(data[place + 1 : place + 4])


def _titles_before(between: list[Record]) -> list[Record]:
    """The lines at the end of what stands between two blocks that belong to the second: its title,
    comments, blanks.
    """
    start = len(between)
    while start > 0:
        start -= 1
        if between[start].blank:
            return between[start:]
    return between[start:]


def _known_word(cells: Sequence[str]) -> bool:
    """Whether some cell is a title of time or carries a unit, which prose hardly does."""
    titles = [read_title(c) for c in cells if c.strip()]
    return any(t.role in (Role.TIME, Role.FRAME) or (t.unit and kind_of(t.unit)) for t in titles)


def _is_header(
    record: Record, width: int, delimiter: str, blocks: Sequence[object], above: Sequence[Record]
) -> bool:
    """Whether a line after rows begins a new block: it repeats an earlier header, or is one by its
    words.
    """
    cells = _trimmed(record.cells)
    if any(_trimmed(r.cells) == cells for r in above if len(cells) > 1 or width == 1):
        return True
    fitted = _fit_header(cells, width, delimiter)
    return (
        len(cells) >= 2
        and fitted is not None
        and _known_word(fitted)
        and not any(map(looks_numeric, fitted))
    )


def _fit_header(cells: Sequence[str], width: int, delimiter: str) -> tuple[str, ...] | None:
    """Return cells as titles of `width` columns, or None; words of aligned titles are put together
    as needed.
    """
    if len(cells) == width:
        return tuple(cells)
    if delimiter != WHITESPACE:
        if 2 <= len(cells) < width and len(cells) >= width - 2:
            return (*cells, *[""] * (width - len(cells)))
        if len(cells) > width and not any(c.strip() for c in cells[width:]):
            return tuple(cells[:width])
        return None
    for join in (_with_brackets, _with_units_in_words, _with_axes):
        if len(cells) != width:
            cells = join(cells)
    return tuple(cells) if len(cells) == width else None


def _with_brackets(cells: Sequence[str]) -> list[str]:
    """Words of aligned titles put together with the bracket or slash behind them: "heavy",
    "(m)".
    """
    joined: list[str] = []
    for cell in cells:
        open_end = bool(joined) and (
            joined[-1].endswith("/") or ("(" in joined[-1]) != (")" in joined[-1])
        )
        if joined and (open_end or cell.startswith(("(", "[", "{", "<", "/"))):
            joined[-1] += f" {cell}"
        else:
            joined.append(cell)
    return joined


def _with_units_in_words(cells: Sequence[str]) -> list[str]:
    """The same for "time", "in", "s"."""
    joined: list[str] = []
    place = 0
    while place < len(cells):
        wide = place + 2 < len(cells) and cells[place + 1] == "in" and kind_of(cells[place + 2])
        joined.append(" ".join(cells[place : place + 3]) if wide else cells[place])
        place += 3 if wide else 1
    return joined


def _with_axes(cells: Sequence[str]) -> list[str]:
    """The same for a body and its axis: "heavy", "x"."""
    joined: list[str] = []
    for cell in cells:
        if (
            joined
            and cell.split()[0].casefold() in ("x", "y", "z", "position", "time")
            and joined[-1].isalnum()
        ):
            joined[-1] += f" {cell}"
        else:
            joined.append(cell)
    return joined


def _is_units_row(cells: Sequence[str]) -> bool:
    """Whether a line only holds units: bare, or in brackets."""
    filled = [c.strip(" \t'\"") for c in cells if c.strip()]
    bare = [c[1:-1].strip() if c[:1] in "([{<" and c[-1:] in ")]}>" else c for c in filled]
    kinds = ("time", "length", "speed", "acceleration", "force")  # "t" alone is a time, not a tonne
    known = [
        bool(kind_of(c)) or c in ("-", "1", "", "n/a", "frame", "#", "unit", "units") for c in bare
    ]
    return (
        len(filled) >= 1
        and any(kind_of(c) in kinds for c in bare)
        and sum(known) >= 0.6 * len(known)
        and all(len(c) < 12 for c in bare)
        and not any(c in ("x", "y", "v", "a", "t") for c in bare)
    )


def _unbracketed(cell: str) -> str:
    bare = cell.strip(" \t'\"")
    bare = (
        bare[1:-1].strip()
        if bare[:1] in ("(", "[", "{", "<") and bare[-1:] in (")", "]", "}", ">")
        else bare
    )
    return bare if kind_of(bare) else ""


@dataclass
class _Header:
    titles: tuple[str, ...]
    units: tuple[str, ...]
    used: int  # how many of the lines above belong to it


def _header_of(
    above: Sequence[Record], width: int, delimiter: str, rows: Sequence[Record]
) -> _Header | None:
    """Find titles and units in the lines above the rows, nearest first; rules between them are
    passed over.
    """
    filled = [
        r
        for r in above
        if not r.blank
        and not is_rule(delimiter.join(r.cells) if delimiter != WHITESPACE else " ".join(r.cells))
    ]
    units: tuple[str, ...] = ("",) * width
    used = 0
    for back, record in enumerate(reversed(filled[-4:])):
        cells = _trimmed(record.cells)
        fitted = _fit_header(cells, width, delimiter) or (
            _fit_header(record.cells, width, delimiter)
        )
        if fitted is None or any(len(c) > 120 for c in fitted):
            if back == 0:
                continue
            break
        if not any(units) and _is_units_row(fitted) and back < 2:
            units = tuple(_unbracketed(c) for c in fitted)
            used = back + 1
            continue
        if any(looks_numeric(c) for c in fitted) and not _counted(fitted):
            break
        named = [c for c in fitted if c.strip()]
        if len(named) < max(1, width // 2) and width > 1:
            break
        if len(named) == 1 < width and fitted[0].strip() and not _known_word(fitted):
            break  # a line of text above the table, filled up with blank cells
        single = width == 1 and record.comment
        doubtful = record.comment or (delimiter == WHITESPACE and back > 0)
        if (doubtful and not _known_word(fitted) and not any(units)) or (
            single and not _known_word(fitted)
        ):
            continue
        upper = filled[-back - 2] if back + 2 <= len(filled) else None
        two = _two_rows(fitted, upper, width)
        return _Header(two or fitted, units, back + 1 + bool(two))
    if any(units):
        return _Header(("",) * width, units, used)
    return None


def _counted(cells: Sequence[str]) -> bool:
    """Whether numbers among titles are names of bodies or columns: time, 1, 2."""
    numeric = [c.strip() for c in cells if looks_numeric(c)]
    return len(numeric) < len(cells) and all(c.isdigit() and len(c) < 3 for c in numeric)


def _two_rows(lower: tuple[str, ...], upper: Record | None, width: int) -> tuple[str, ...] | None:
    """Join a row of bodies above a row of quantities, if the lower row alone does not tell the
    columns apart.
    """
    if upper is None or upper.comment:
        return None
    cells = tuple(c.strip() for c in upper.cells)
    cells = (*cells[:width], *[""] * (width - len(cells)))
    filled = [c for c in cells if c]
    names = [split_unit(c)[0].casefold() for c in lower if c.strip()]
    told_apart = (
        not filled
        or any(map(looks_numeric, filled))
        or len(upper.cells) < 2
        or len(set(names)) == len(names)
    )
    axes = len(filled) == len(names) == width and all(_is_axis(c) for c in lower[1:])
    grouped = (
        not cells[0] and bool(filled) and not any(read_title(c).body for c in lower if _is_axis(c))
    )
    grouped = grouped and any(map(_is_axis, lower)) and not any(map(looks_numeric, filled))
    if told_apart and not axes and not grouped:
        return None
    joined, group = [], ""
    for top, bottom in zip(cells, lower, strict=True):
        role = read_title(bottom).role
        group = top or group
        alone = role in (Role.TIME, Role.FRAME, Role.INDEX) and not top
        joined.append(
            bottom if alone or not group or group == bottom else f"{group} {bottom}".strip()
        )
    return tuple(joined)


def _is_axis(title: str) -> bool:
    return split_unit(title)[0].casefold() in ("x", "y", "z")


def _table(
    block: tuple[list[Record], list[Record], list[Record]], delimiter: str, ended: bool
) -> Table:
    above, rows, between = block
    width, header = _width_and_header(above, rows, delimiter)
    unusable = _between_rows(between, delimiter)
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
) -> tuple[int, "_Header | None"]:
    """How many columns a table has, and its titles; titles may tell of columns that rows lack."""
    width = min(_usual_width(rows, [True] * len(rows)), _WIDEST)
    header = _header_of(above, width, delimiter, rows)
    if header is None and delimiter != WHITESPACE:
        wider = [len(_trimmed(r.cells)) for r in above if not r.blank][-1:]
        if wider and width < wider[0] <= max(len(r.cells) for r in rows):
            return wider[0], _header_of(above, wider[0], delimiter, rows)
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


def _ragged(rows: list[Record], width: int) -> list[Finding]:
    """What is to be said of rows with another number of cells."""
    extra = [r.line for r in rows if len(_trimmed(r.cells)) > width]
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
