"""Spreadsheets: the cells of each visible sheet, with what a plain look at the values would
miss.
"""

import re
from datetime import date, datetime, time, timedelta
from io import BytesIO

from inertian.files.cells import size_limits
from inertian.files.cells.findings import Code, Finding, UnreadableFileError
from inertian.files.cells.grids import Grid, records_of_rows
from inertian.files.formats.archives import member_bytes, open_zip
from inertian.files.formats.file_types import FileType

_UNCACHED = re.compile(rb"<c\b[^>]*>\s*<f\b[^>]*(?:/>|>[^<]*</f>)\s*(?:<v\s*/>|<v></v>)?\s*</c>")
_PLACE = re.compile(rb"<c\b[^>]*?\br=\"([A-Z]{1,3})(\d{1,7})\"")
_REPEATED = re.compile(rb"number-(?:rows|columns)-repeated=\"(\d{5,})\"[^>]*?(?:value|formula)=")
_REPEATED_ROW = re.compile(
    rb"number-rows-repeated=\"(\d{5,})\"[^>]*>\s*<table:table-cell[^>]*?office:value"
)
_UNCACHED_ODS = re.compile(
    rb"<table:table-cell\b(?=[^>]*table:formula=)(?![^>]*office:(?:value|string-value|date-value|time-value|boolean-value)=)[^>]*(?:/>|>\s*</table:table-cell>)"
)


def grids_of_workbook(file: str, content: bytes, kind: FileType) -> list[Grid]:
    """Return the visible sheets of an xlsx or ods file as grids. Raises UnreadableFileError."""
    uncached = _look_inside(file, content, kind)
    from python_calamine import CalamineError, CalamineWorkbook, SheetVisibleEnum

    try:
        book = CalamineWorkbook.from_filelike(BytesIO(content))
        visible: list[str] = []
        hidden: list[str] = []
        findings: list[Finding] = []
        for sheet in book.sheets_metadata:
            (visible if sheet.visible == SheetVisibleEnum.Visible else hidden).append(sheet.name)
        if hidden:
            names = ", ".join(f"“{n}”" for n in hidden[:6])
            findings.append(Finding(Code.HIDDEN_SHEET, f"Hidden sheets were not read: {names}."))
        if uncached:
            said = (
                f"{uncached} formulas have no stored result. Open the file in a spreadsheet "
                "program and save it there."
            )
            findings.append(Finding(Code.FORMULA_UNCACHED, said))
        grids = []
        for name in visible:
            rows = book.get_sheet_by_name(name).to_python(skip_empty_area=False)
            shared, findings = tuple(findings), []
            grids.append(
                Grid(
                    name,
                    records_of_rows([[_plain(v) for v in row] for row in rows]),
                    findings=shared,
                )
            )
    except (CalamineError, ValueError, OSError, KeyError) as error:
        why = "this spreadsheet is damaged. Open it in a spreadsheet program and save it again."
        raise UnreadableFileError(file, Code.CORRUPT, why) from error
    except BaseException as error:  # a panic of the reader is no Exception
        if isinstance(error, (KeyboardInterrupt, SystemExit)):
            raise
        why = "this spreadsheet is damaged. Open it in a spreadsheet program and save it again."
        raise UnreadableFileError(file, Code.CORRUPT, why) from None
    return grids


def _plain(value: object) -> object:
    """Dates and times as text that is read like any other; durations as seconds of a clock."""
    if isinstance(value, datetime):
        return value.isoformat(sep=" ")
    if isinstance(value, (date, time)):
        return value.isoformat()
    if isinstance(value, timedelta):
        seconds = value.total_seconds()
        whole = int(seconds)
        clock = f"{whole // 3600:02d}:{whole // 60 % 60:02d}:{whole % 60:02d}"
        return clock + f"{seconds - whole:.6f}"[1:]
    return value


def _look_inside(file: str, content: bytes, kind: FileType) -> int:
    """Check the parts of a workbook before a reader trusts them; return how many formulas have no
    stored result.
    """
    uncached = 0
    with open_zip(file, content) as archive:
        for name in archive.namelist():
            sheet = (
                name.startswith("xl/worksheets/")
                if kind is FileType.XLSX
                else name == "content.xml"
            )
            if not sheet and not name.endswith((".xml", ".rels")):
                continue
            part = member_bytes(file, archive, name, len(content))
            if b"<!DOCTYPE" in part[:4096] or b"<!ENTITY" in part[:65536]:
                why = (
                    "this spreadsheet defines entities, as harmful files do, and was not read. "
                    "Save it again as CSV."
                )
                raise UnreadableFileError(file, Code.UNSAFE_CONTENT, why)
            if sheet:
                _check_extent(file, part, kind)
                uncached += len(
                    (_UNCACHED if kind is FileType.XLSX else _UNCACHED_ODS).findall(part)
                )
    return uncached


def _check_extent(file: str, part: bytes, kind: FileType) -> None:
    """A single cell far away would make a reader fill all the empty cells before it."""
    if kind is FileType.XLSX:
        places = _PLACE.findall(part)
        rows = max((int(r) for _, r in places), default=0)
        width = max((_column_number(c) for c, _ in places), default=0)
        cells = rows * width
        wasteful = cells > size_limits.SHEET_CELLS or (
            cells > 2_000_000 and cells > 50 * len(places)
        )
    else:
        wasteful = _REPEATED.search(part) is not None or _REPEATED_ROW.search(part) is not None
    if wasteful:
        why = "a sheet of it is far larger than a recording. Copy the table into a new sheet."
        raise UnreadableFileError(file, Code.TOO_LARGE, why)


def _column_number(letters: bytes) -> int:
    number = 0
    for letter in letters:
        number = 26 * number + letter - 64
    return number
