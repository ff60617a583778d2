"""The titles above a table: which lines they are, and the units in them."""

from collections.abc import Sequence
from dataclasses import dataclass

from inertian.files.cells.column_titles import Role, read_title, split_unit
from inertian.files.cells.dialects import WHITESPACE, Record, is_rule
from inertian.files.cells.number_parsing import looks_numeric
from inertian.quantities.units import kind_of

_PROSE = 120  # characters, from which on a cell is no title


def _numbered(rows: Sequence[Record]) -> bool:
    """Whether rows begin with their number, from 0 or 1."""
    first = [r.cells[0].strip(" \"'") for r in rows[:50] if r.cells]
    return len(first) > 2 and first in (
        [str(n) for n in range(len(first))],
        [str(n) for n in range(1, len(first) + 1)],
    )


def trimmed(cells: tuple[str, ...]) -> tuple[str, ...]:
    """Return cells without the empty ones at the end."""
    while cells and not cells[-1].strip():
        cells = cells[:-1]
    return cells


def is_number_title(
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
    return len(trimmed(records[place].cells)) < width


def titles_before(between: list[Record]) -> list[Record]:
    """The lines at the end of what stands between two blocks that belong to the second: its title,
    comments, blanks.
    """
    start = len(between)
    while start > 0:
        start -= 1
        if between[start].blank:
            return between[start:]
    return between[start:]


def known_word(cells: Sequence[str]) -> bool:
    """Whether some cell is a title of time or carries a unit, which prose hardly does."""
    titles = [read_title(c) for c in cells if c.strip()]
    return any(t.role in (Role.TIME, Role.FRAME) or (t.unit and kind_of(t.unit)) for t in titles)


def is_header(
    record: Record, width: int, delimiter: str, blocks: Sequence[object], above: Sequence[Record]
) -> bool:
    """Whether a line after rows begins a new block: it repeats an earlier header, or is one by its
    words.
    """
    cells = trimmed(record.cells)
    if any(trimmed(r.cells) == cells for r in above if len(cells) > 1 or width == 1):
        return True
    fitted = _fit_header(cells, width, delimiter)
    return (
        len(cells) >= 2
        and fitted is not None
        and known_word(fitted)
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
            and cell.casefold().split()[:1] in (["x"], ["y"], ["z"], ["position"], ["time"])
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
class Header:
    """Titles and units of the columns of a table, and how many lines above it they take."""

    titles: tuple[str, ...]
    units: tuple[str, ...]
    used: int  # how many of the lines above belong to it


def header_of(
    above: Sequence[Record], width: int, delimiter: str, rows: Sequence[Record]
) -> Header | None:
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
        cells = trimmed(record.cells)
        fitted = _fit_header(cells, width, delimiter) or (
            _fit_header(record.cells, width, delimiter)
        )
        if fitted is None and len(cells) == width - 1 and _numbered(rows):
            fitted = ("", *cells)  # the names of rows have no title
        if fitted is None or all(len(c) > _PROSE for c in fitted if c.strip()):
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
        if len(named) == 1 < width and fitted[0].strip() and not known_word(fitted):
            break  # a line of text above the table, filled up with blank cells
        single = width == 1 and record.comment
        doubtful = record.comment or (delimiter == WHITESPACE and back > 0)
        if (doubtful and not known_word(fitted) and not any(units)) or (
            single and not known_word(fitted)
        ):
            continue
        upper = filled[-back - 2] if back + 2 <= len(filled) else None
        two = _two_rows(fitted, upper, width)
        return Header(two or fitted, units, back + 1 + bool(two))
    if any(units):
        return Header(("",) * width, units, used)
    return None


def _counted(cells: Sequence[str]) -> bool:
    """Whether numbers among titles are names of bodies or columns: time, 1, 2."""
    numeric = [c.strip() for c in cells if looks_numeric(c)]
    return len(numeric) < len(cells) and all(c.isdigit() and len(c) < 3 for c in numeric)


def _two_rows(lower: tuple[str, ...], upper: Record | None, width: int) -> tuple[str, ...] | None:
    """Join a row of bodies above a row of quantities, if the lower row alone does not tell the
    columns apart.
    """
    if upper is None or upper.comment or len(trimmed(upper.cells)) > width:
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


def is_spoilt_row(record: Record, width: int, delimiter: str) -> bool:
    """Whether a line among rows is one of them with a cell spoilt: as many cells, and some of them
    numbers.
    """
    cells = record.cells
    if record.comment or delimiter == WHITESPACE or len(cells) != width or width < 2:
        return False
    return looks_numeric(cells[0]) and not known_word([c for c in cells if not looks_numeric(c)])
