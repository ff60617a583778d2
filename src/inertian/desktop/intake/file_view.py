"""The file as it is on disk, its columns washed in the colour of the body they will feed."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QSyntaxHighlighter,
    QTextCharFormat,
    QTextCursor,
)
from PyQt6.QtWidgets import QPlainTextEdit, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.theme import font
from inertian.desktop.look.tokens import SMALL, Theme
from inertian.desktop.state.timers import once_after

if TYPE_CHECKING:
    from inertian.files.interpretation.grid_interpretation import TableView
    from inertian.files.interpretation.parsed_file import ParsedFile

# Of a file; what is longer is shown in part, and cannot be typed into
SHOWN_LINES, SHOWN_BYTES = (3000, 2_000_000)
WASH = 58  # alpha of a column's colour
TYPING_PAUSE_MS = 250  # longer than between two keys, shorter than one waits for


class _Wash(QSyntaxHighlighter):
    """Washes the cells of each line; lines that could not be used are struck in the alarm
    colour.
    """

    def __init__(self, view: "FileView") -> None:
        super().__init__(view.document())
        self._view = view

    def highlightBlock(self, text: str | None) -> None:
        """Qt: format one line."""
        view, line = self._view, self.currentBlock().blockNumber() + 1
        text = text or ""
        if line in view.unusable:
            bad = QTextCharFormat()
            bad.setForeground(QColor(view.theme.alarm))
            bad.setFontStrikeOut(True)
            self.setFormat(0, len(text), bad)
            return
        if line < view.first_line:
            soft = QTextCharFormat()
            soft.setForeground(QColor(view.theme.soft_ink))
            if line != view.title_line:
                self.setFormat(0, len(text), soft)
                return
        for place, (start, length) in enumerate(cells_of(text, view.delimiter)):
            colour = view.colours.get(place)
            shape = QTextCharFormat()
            if colour is not None:
                wash = QColor(colour)
                wash.setAlpha(WASH)
                shape.setBackground(wash)
            elif place in view.left_out:
                shape.setForeground(QColor(view.theme.soft_ink))
            if line == view.title_line:
                shape.setFontWeight(600)
            self.setFormat(start, length, shape)


def cells_of(text: str, delimiter: str) -> list[tuple[int, int]]:
    """Return start and length of each cell of a line; quoted delimiters are part of their cell."""
    found, start, quoted = [], 0, False
    if delimiter == " ":
        place = 0
        for part in text.split():
            place = text.index(part, place)
            found.append((place, len(part)))
            place += len(part)
        return found
    for place, letter in enumerate(text):
        if letter == '"':
            quoted = not quoted
        elif letter == delimiter and not quoted:
            found.append((start, place - start))
            start = place + 1
    found.append((start, len(text) - start))
    return found


class _Numbers(QWidget):
    """Line numbers beside the text."""

    def __init__(self, view: "FileView") -> None:
        super().__init__(view)
        self._view = view

    def sizeHint(self) -> QSize:
        """Qt: as wide as the view leaves."""
        return QSize(self._view.number_width(), 0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Qt: paint the numbers of the lines in view."""
        self._view.paint_numbers(self, event)


class FileView(QPlainTextEdit):
    """Shows a file line by line. `retyped` carries the text after a pause, where it can be
    changed.
    """

    retyped = pyqtSignal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setObjectName("fileView")
        self.setAccessibleName(words.FILE_VIEW)
        self.setReadOnly(True)
        self.setLineWrapMode(self.LineWrapMode.NoWrap)
        self.setFrameShape(self.Shape.NoFrame)
        self.setFont(font())
        self.setTabStopDistance(9 * self.fontMetrics().averageCharWidth())
        self.colours: dict[int, str] = {}
        self.left_out: set[int] = set()
        self.unusable: set[int] = set()
        self.first_line, self.title_line, self.delimiter = 1, 0, ","
        self._shown: object = None
        self._known = ""
        self.offset = 0
        self._wash = _Wash(self)
        self._numbers = _Numbers(self)
        self._pause = once_after(self, TYPING_PAUSE_MS, self._retyped)
        self.blockCountChanged.connect(lambda _n: self._make_room())
        self.updateRequest.connect(self._scroll_numbers)
        self.textChanged.connect(self._typed)
        self._make_room()

    def show_file(self, parsed: "ParsedFile | None", editable: bool, table: int = 0) -> None:
        """Show a file with what was understood of it."""
        if parsed is None:
            if not editable:
                self._put("", None)
            self.colours, self.unusable, self.left_out = {}, set(), set()
            self.setReadOnly(not editable)
            self._wash.rehighlight()
            return
        shown = parsed.tables[min(table, len(parsed.tables) - 1)] if parsed.tables else None
        self._learn(parsed, shown)
        fresh = False
        if not (editable and self.hasFocus()):
            fresh = self._put(
                self._text_of(parsed, shown, editable),
                (parsed.sha256, parsed.file, _raw(parsed) or id(shown)),
            )
        whole = len(parsed.content) <= SHOWN_BYTES and parsed.content.count(b"\n") < SHOWN_LINES
        self.setReadOnly(not (editable and whole))
        if not fresh:
            self._wash.rehighlight()

    def _put(self, text: str, shown: object) -> bool:
        """Show a text, washed as it comes in, unless it is there already; return whether it was put
        there.
        """
        if shown is None or shown != self._shown:
            self._shown = shown
            self.blockSignals(True)
            longest = max(
                (len(c) for line in text.split("\n", 40)[:40] for c in line.split("\t")[:-1]),
                default=0,
            )
            self.setTabStopDistance(
                (min(max(longest, 7), 24) + 2) * self.fontMetrics().averageCharWidth() * 1.15
            )
            self.setPlainText(text)
            self._known = self.toPlainText()
            self.blockSignals(False)
            self._make_room()
            return True
        return False

    def _learn(self, parsed: "ParsedFile", table: "TableView | None") -> None:
        fed = parsed.bodies_fed(table) if table else {}
        self.colours, self.left_out = {}, set()
        for view in table.columns if table else ():
            if view.why:
                self.left_out.add(view.place)
            elif view.place in fed:
                self.colours[view.place] = self.theme.bodies[
                    fed[view.place] % len(self.theme.bodies)
                ]
            elif view.role in ("time", "frame"):
                self.colours[view.place] = self.theme.strong_fill
        raw, first = _raw(parsed), table.first_line if table else 1
        self.unusable = {u.line for t in parsed.trials for u in t.unusable} if raw else set()
        self.delimiter = (parsed.delimiter or "\t") if raw else "\t"
        self.first_line = first if raw else 2
        self.offset = 0 if raw else first - 2  # so that rows of a sheet have their own numbers
        titled = bool(table and any(table.titles))
        self.title_line = (_title_line(parsed, first) if raw else 1) if titled else 0

    def _text_of(self, parsed: "ParsedFile", table: "TableView | None", editable: bool) -> str:
        if _raw(parsed):
            from inertian.files.formats.text_decoding import decode

            text = decode(parsed.file, parsed.content[:SHOWN_BYTES])
            cut = len(text.lines) > SHOWN_LINES or len(parsed.content) > SHOWN_BYTES
            return "\n".join(text.lines[:SHOWN_LINES]) + (
                "\n" if text.ended and editable and not cut else ""
            )
        if table is None:
            return ""
        lines = ["\t".join(t or f"column {n}" for n, t in enumerate(table.titles, start=1))]
        return "\n".join(lines + ["\t".join(row) for row in table.rows])

    def _typed(self) -> None:
        """Formatting counts as a change of text for Qt; only another text is one."""
        if not self.isReadOnly() and self.toPlainText() != self._known:
            self._pause.start()

    def _retyped(self) -> None:
        self._known = self.toPlainText()
        self.retyped.emit(self._known)

    def go_to(self, line: int) -> None:
        """Show one line, in the middle."""
        block = self.document().findBlockByNumber(
            min(max(line - self.offset, 1), self.blockCount()) - 1
        )
        cursor = QTextCursor(block)
        cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock, QTextCursor.MoveMode.KeepAnchor)
        self.setTextCursor(cursor)
        self.centerCursor()

    # -- line numbers ------------------------------------------------------------------------------

    def number_width(self) -> int:
        """Return how wide the numbers are, in px."""
        return 20 + self.fontMetrics().horizontalAdvance("9") * max(2, len(str(self.blockCount())))

    def _make_room(self) -> None:
        self.setViewportMargins(self.number_width(), 0, 0, 0)
        self._place_numbers()

    def _place_numbers(self) -> None:
        box = self.contentsRect()
        self._numbers.setGeometry(QRect(box.left(), box.top(), self.number_width(), box.height()))

    def _scroll_numbers(self, box: QRect, by: int) -> None:
        if by:
            self._numbers.scroll(0, by)
        else:
            self._numbers.update(0, box.y(), self._numbers.width(), box.height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Qt: keep the numbers beside the text."""
        super().resizeEvent(event)
        self._place_numbers()

    def _numbered(self, number: int) -> str:
        return str(number + self.offset) if number + self.offset > 0 else ""

    def paint_numbers(self, widget: QWidget, event: QPaintEvent | None) -> None:
        """Paint the numbers of the lines in view."""
        painter = QPainter(widget)
        painter.setFont(font(SMALL))
        block = self.firstVisibleBlock()
        top = self.blockBoundingGeometry(block).translated(self.contentOffset()).top()
        while block.isValid() and top <= widget.height():
            height = self.blockBoundingRect(block).height()
            number = block.blockNumber() + 1
            painter.setPen(
                QColor(self.theme.alarm if number in self.unusable else self.theme.soft_ink)
            )
            where = QRect(0, int(top), widget.width() - 10, int(height))
            painter.drawText(
                where,
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                self._numbered(number),
            )
            block, top = block.next(), top + height


def _raw(parsed: "ParsedFile") -> bool:
    """Whether the file is a text that can be shown as it is; else its table is shown."""
    return parsed.kind == "text" and parsed.delimiter is not None


def _title_line(parsed: "ParsedFile", first: int) -> int:
    """The line above the rows that has the titles: the nearest one that holds the first of them."""
    titles = [t for t in parsed.tables[0].titles if t.strip()]
    if not titles:
        return 0
    from inertian.files.formats.text_decoding import decode

    lines = (
        decode(parsed.file, parsed.content[:200_000]).lines[: first - 1]
        if parsed.content[:2] != b"\x1f\x8b"
        else []
    )
    word = titles[-1].split()[-1]
    return next((n for n in range(len(lines), 0, -1) if word in lines[n - 1]), 0)
