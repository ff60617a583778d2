"""A text as a grid: cut by its recipe or by what its lines yield; lines cut otherwise than the rest
are mended.
"""

from collections import Counter
from collections.abc import Sequence

from inertian.files.cells.dialects import (
    WHITESPACE,
    Record,
    align,
    choose_delimiter,
    is_data,
    records_of,
    split_line,
)
from inertian.files.cells.findings import Code, Finding
from inertian.files.cells.grids import Grid
from inertian.files.cells.named_values import key_value_records
from inertian.files.cells.number_parsing import looks_numeric
from inertian.files.cells.recipes import Recipe
from inertian.files.cells.time_stamps import is_moment
from inertian.files.formats.legible_text import without_line_signs
from inertian.files.formats.text_decoding import Text
from inertian.files.formats.written_lists import (
    block_records,
    bracketed_rows,
    matrix_rows,
    touching_columns,
)


def text_grid(text: Text, recipe: Recipe | None) -> Grid:
    """Cut a text into cells, by its recipe or by what its lines yield."""
    fixed = recipe.delimiter if recipe is not None else None
    lines = without_line_signs(text.lines)
    pairs = None if fixed else key_value_records(lines)
    if pairs is not None:
        return Grid("", pairs, None, text.ended)
    grid = _cut(double_quoted(lines), fixed, text.ended)
    if _has_rows(grid.records):
        return grid
    blocks = block_records(lines)
    if blocks is not None:
        return Grid("", blocks[0], None, text.ended, units=blocks[1])
    for written in (bracketed_rows, matrix_rows, touching_columns):
        other = written(lines)
        if other is not None:
            cut = _cut(other, fixed, text.ended)
            if _has_rows(cut.records):
                return cut
    return grid


def _has_rows(records: Sequence[Record]) -> bool:
    """Whether at least two lines are rows with two numbers or moments."""
    rows = (
        r
        for r in records
        if not r.comment and sum(looks_numeric(c) or is_moment(c) for c in r.cells) > 1
    )
    return next(rows, None) is not None and next(rows, None) is not None


def _cut(lines: list[str], fixed: str | None, ended: bool) -> Grid:
    """Cut lines by a delimiter that is fixed, or else the best."""
    delimiter, certainty = (fixed, 1.0) if fixed else choose_delimiter(lines)
    records = records_of(lines, delimiter)
    findings: list[Finding] = []
    widths = Counter(len(r.cells) for r in records if not r.comment and is_data(r.cells))
    if not widths:
        return Grid("", records, delimiter, ended, certainty=certainty)
    usual = max(widths, key=lambda w: (widths[w], w))
    if delimiter == WHITESPACE:
        records = align(records, lines, usual) if len(widths) > 1 else records
    else:
        records, mended = _mend_delimiters(records, lines, delimiter, usual)
        if mended:
            said = f"Lines with another delimiter than the rest, read with it: {len(mended)}."
            findings.append(Finding(Code.MIXED_DELIMITER, said, tuple(mended)))
    return Grid("", records, delimiter, ended, findings=tuple(findings), certainty=certainty)


def double_quoted(lines: list[str]) -> list[str]:
    """Return lines whose cells stand in single quotes with double ones; else the lines as they
    are.
    """
    filled = [line.strip() for line in lines[:100] if line.strip()]
    single = sum(
        line[0] == "'" == line[-1] and len(line) > 2 and "'" in line[1:-1] for line in filled
    )
    if not filled or single < 0.8 * len(filled):
        return lines
    return [line.replace("'", '"') for line in lines]


def _mend_delimiters(
    records: list[Record], lines: Sequence[str], delimiter: str, width: int
) -> tuple[list[Record], list[int]]:
    """Cut lines that have too few cells by another delimiter, if that makes full rows of numbers of
    them.
    """
    if width < 2:
        return records, []
    mended: list[int] = []
    result = []
    for record in records:
        if len(record.cells) < width and not record.comment and not record.blank and record.line:
            cells = _cut_otherwise(lines[record.line - 1], delimiter, width)
            if cells is not None:
                record = Record(record.line, cells)
                mended.append(record.line)
        result.append(record)
    return result, mended


def _cut_otherwise(line: str, delimiter: str, width: int) -> tuple[str, ...] | None:
    for other in ("\t", ";", ",", "|", WHITESPACE):
        if other != delimiter:
            cells = split_line(line, other)
            full = (
                len(cells) == width and is_data(cells) and sum(c.strip() != "" for c in cells) >= 2
            )
            if full and not any(c.strip().isalpha() for c in cells):
                return cells
    return None
