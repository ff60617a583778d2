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
    key_value_records,
    records_of,
    split_line,
)
from inertian.files.cells.findings import Code, Finding
from inertian.files.cells.grids import Grid
from inertian.files.cells.recipes import Recipe
from inertian.files.formats.text_decoding import Text


def text_grid(text: Text, recipe: Recipe | None) -> Grid:
    """Cut a text into cells, by its recipe or by what its lines yield."""
    pairs = key_value_records(text.lines)
    if pairs is not None and not (recipe and recipe.delimiter):
        return Grid("", pairs, None, text.ended)
    lines = double_quoted(text.lines)
    delimiter, certainty = choose_delimiter(lines)
    if recipe is not None and recipe.delimiter:
        delimiter, certainty = recipe.delimiter, 1.0
    records = records_of(lines, delimiter)
    findings: list[Finding] = []
    widths = Counter(len(r.cells) for r in records if not r.comment and is_data(r.cells))
    if not widths:
        return Grid("", records, delimiter, text.ended, certainty=certainty)
    usual = max(widths, key=lambda w: (widths[w], w))
    if delimiter == WHITESPACE:
        records = align(records, lines, usual) if len(widths) > 1 else records
    else:
        records, mended = _mend_delimiters(records, lines, delimiter, usual)
        if mended:
            said = f"Lines with another delimiter than the rest, read with it: {len(mended)}."
            findings.append(Finding(Code.MIXED_DELIMITER, said, tuple(mended)))
    return Grid("", records, delimiter, text.ended, findings=tuple(findings), certainty=certainty)


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
