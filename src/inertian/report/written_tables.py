"""Tables as CSV and as workbooks: numbers as numbers, and no cell that a spreadsheet would run."""

from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from inertian.quantities.errors import Refusal

EPOCH = datetime(2000, 1, 1, tzinfo=UTC)  # of a workbook, so that equal results are equal bytes
WRITTEN_AS = (".csv", ".xlsx")


def check_ending(out: Path) -> None:
    """Check that a table can be written under that name. Raises Refusal."""
    if out.suffix.casefold() not in WRITTEN_AS:
        raise Refusal(f"{out}: results are written as NAME.csv or NAME.xlsx.")


def write_table(out: Path, titles: Sequence[str], rows: Sequence[Sequence[Any]]) -> None:
    """Write a table as CSV, or as a workbook where the name ends in .xlsx; None is an empty cell.
    Raises OSError, or Refusal for another ending.
    """
    check_ending(out)
    writer = _write_workbook if out.suffix.casefold() == ".xlsx" else _write_csv
    writer(out, titles, rows)


def _write_csv(out: Path, titles: Sequence[str], rows: Sequence[Sequence[Any]]) -> None:
    import csv
    import io

    from inertian.project.saving import write_whole

    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow([safe(title) for title in titles])
    writer.writerows([["" if v is None else safe(v) for v in row] for row in rows])
    write_whole(out, text.getvalue().encode())


def safe(value: Any) -> Any:
    """Return a cell of a table; text that a spreadsheet would take for a formula is quoted."""
    if isinstance(value, float):
        return repr(value)
    if isinstance(value, str) and value[:1] in ("=", "+", "-", "@", "\t"):
        return f"'{value}"
    return value


def _write_workbook(out: Path, titles: Sequence[str], rows: Sequence[Sequence[Any]]) -> None:
    import io

    import xlsxwriter

    from inertian.project.saving import write_whole

    content = io.BytesIO()
    book = xlsxwriter.Workbook(content, {"in_memory": True, "strings_to_formulas": False})
    book.set_properties({"created": EPOCH})
    sheet = book.add_worksheet("results")
    bold = book.add_format({"bold": True})
    for column, title in enumerate(titles):
        sheet.write_string(0, column, title, bold)
    for number, row in enumerate(rows, 1):
        for column, value in enumerate(row):
            if isinstance(value, float):
                sheet.write_number(number, column, value)
            elif value is not None:
                sheet.write_string(number, column, str(value))
    sheet.freeze_panes(1, 2)
    book.close()
    write_whole(out, content.getvalue())
