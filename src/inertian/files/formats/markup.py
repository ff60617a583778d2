"""Tables in pages (HTML) and repeated elements in XML, as grids.

XML 1.0 lets a document define texts that unfold into others without end; a document that defines
any is refused.
"""

import re
from collections import Counter
from collections.abc import Iterator
from html.parser import HTMLParser
from xml.etree import ElementTree

from inertian.files.cells import size_limits
from inertian.files.cells.dialects import Record
from inertian.files.cells.findings import Code, UnreadableFileError
from inertian.files.cells.grids import Grid

_LEAST_ROWS = 2


class _Tables(HTMLParser):
    """Collects the cells of every table, with the line each row begins in."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.tables: list[list[Record]] = []
        self._cells: list[str] | None = None
        self._text: list[str] | None = None
        self._line = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag == "table":
            self.tables.append([])
        elif tag == "tr":
            self._close_row()
            self._cells, self._line = [], self.getpos()[0]
        elif tag in ("td", "th") and self._cells is not None:
            self._close_cell()
            self._text = []

    def handle_endtag(self, tag: str) -> None:
        if tag in ("td", "th"):
            self._close_cell()
        elif tag in ("tr", "table"):
            self._close_row()

    def handle_data(self, data: str) -> None:
        if self._text is not None:
            self._text.append(data)

    def _close_cell(self) -> None:
        if self._text is not None and self._cells is not None:
            self._cells.append(" ".join("".join(self._text).split()))
        self._text = None

    def _close_row(self) -> None:
        self._close_cell()
        if self._cells and self.tables:
            self.tables[-1].append(Record(self._line, tuple(self._cells)))
        self._cells = None


def grids_of_page(file: str, text: str) -> list[Grid]:
    """Return the tables of a page. Raises UnreadableFileError if there is none."""
    reader = _Tables()
    reader.feed(text)
    reader.close()
    tables = [t for t in reader.tables if len(t) > _LEAST_ROWS]
    if not tables:
        why = (
            "this is a web page without a table of numbers, perhaps an error message in place of a "
            "download. Download the data itself, as CSV or as a spreadsheet."
        )
        raise UnreadableFileError(file, Code.NO_TABLE, why)
    return [Grid("", t, "\t") for t in tables]


def grids_of_xml(file: str, text: str) -> list[Grid]:
    """Return the elements that repeat most as the rows of a table, their attributes and parts as
    its columns. Raises UnreadableFileError if the document is broken, unsafe or holds no such rows.
    """
    if len(text) > size_limits.STRUCTURED:
        why = "this XML file is too large. Save the table as CSV."
        raise UnreadableFileError(file, Code.TOO_LARGE, why)
    if re.search(r"<!(?:ENTITY|DOCTYPE)", text, re.IGNORECASE):
        why = "this XML file defines texts of its own (DOCTYPE), which is not read. Save it as CSV."
        raise UnreadableFileError(file, Code.UNSAFE_CONTENT, why)
    try:
        root = ElementTree.fromstring(re.sub(r"^\s*<\?xml[^>]*\?>", "", text))
    except (ElementTree.ParseError, RecursionError, ValueError) as error:
        why = f"this is XML that breaks off or has a mistake ({error}). Save or export it again."
        raise UnreadableFileError(file, Code.CORRUPT, why) from error
    rows = _repeated(root)
    titles: dict[str, None] = {}
    units: dict[str, str] = {}
    cells = []
    for element in rows:
        row = dict(_leaves(element, units))
        titles.update(dict.fromkeys(row))
        cells.append(row)
    if len(rows) < _LEAST_ROWS or len(titles) < 2:
        why = "no element of this XML file repeats as the rows of a table do. Save it as CSV."
        raise UnreadableFileError(file, Code.NO_TABLE, why)
    records = [
        Record(n, tuple(row.get(t, "") for t in titles)) for n, row in enumerate(cells, start=1)
    ]
    return [Grid("", [Record(0, tuple(titles)), *records], units=units)]


def _repeated(root: ElementTree.Element) -> list[ElementTree.Element]:
    """The elements of the name that most often has attributes or parts."""
    counts = Counter(e.tag for e in root.iter() if len(e) or e.attrib)
    best = max(counts, key=lambda tag: counts[tag], default="")
    if counts[best] <= _LEAST_ROWS:
        return []
    parents = {e.tag for e in root.iter() if len(e) and counts[e.tag] == counts[best]}
    tag = next((e.tag for e in root.iter() if e.tag in parents), best)
    return [e for e in root.iter() if e.tag == tag]


def _leaves(element: ElementTree.Element, units: dict[str, str]) -> Iterator[tuple[str, str]]:
    for name, value in element.attrib.items():
        yield _local(name), value
    for part in element:
        name = _local(part.tag)
        unit = part.attrib.get("unit") or part.attrib.get("units")
        if unit:
            units.setdefault(name, unit)
        if part.text and part.text.strip():
            yield name, part.text.strip()
        yield from ((f"{name} {_local(k)}", v) for k, v in part.attrib.items() if v != unit)


def _local(name: str) -> str:
    return name.rpartition("}")[2]
