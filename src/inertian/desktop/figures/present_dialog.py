"""A figure as it will be on paper: texts changed in place, sized in mm, copied, written, dragged
out.
"""

import tempfile
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QByteArray, QMimeData, QPoint, QRect, QSize, Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QDrag, QImage, QMouseEvent, QPainter, QPaintEvent, QPixmap, QShowEvent
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QDialog,
    QDoubleSpinBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from inertian.desktop.look import words
from inertian.desktop.look.labels import DropDown, label
from inertian.desktop.look.messages import sized_within, tell
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.timers import once_after
from inertian.desktop.state.worker import Worker
from inertian.quantities.errors import InertianError
from inertian.report.figures.description import LEAST_MM, MOST_MM, FigureDescription
from inertian.report.figures.drawing import DrawnFigure, drawn
from inertian.report.figures.writing import write_figure

PREVIEW_DPI, PAUSE_MS = 170.0, 150
DRAG_FROM = 8  # px, that the mouse moves before a picture is dragged
PICTURES = {"png": "image/png", "svg": "image/svg+xml", "pdf": "application/pdf"}
LINE_HEIGHT = 24  # px, of a field over a text


class FigurePicture(QWidget):
    """The picture; a click on a text of it asks to change that."""

    text_wanted = pyqtSignal(str)
    dragged = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._picture = QPixmap()
        self.places: dict[str, tuple[float, float, float, float]] = {}
        self._pressed: QPoint | None = None
        self.setMouseTracking(True)
        self.setMinimumSize(QSize(320, 240))
        self.setAccessibleName(words.PRESENT_TITLE)

    def show_figure(self, made: DrawnFigure) -> None:
        """Show a figure that was drawn as a picture."""
        self._picture.loadFromData(made.content)
        self.places = made.places
        self.update()

    @property
    def area(self) -> QRect:
        """Where the picture stands."""
        size = self._picture.size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
        if size.width() > self._picture.width():
            size = self._picture.size()
        left = (self.width() - size.width()) // 2
        return QRect(QPoint(left, (self.height() - size.height()) // 2), size)

    def rect_of(self, place: str) -> QRect:
        """Return where a text stands."""
        area = self.area
        left, bottom, right, top = self.places[place]
        return QRect(
            QPoint(
                area.left() + int(left * area.width()), area.bottom() - int(top * area.height())
            ),
            QPoint(
                area.left() + int(right * area.width()),
                area.bottom() - int(bottom * area.height()),
            ),
        )

    def text_at(self, place: QPoint) -> str:
        """Return which text stands at a place, or ""."""
        for name in self.places:
            if self.rect_of(name).adjusted(-4, -4, 4, 4).contains(place):
                return name
        return ""

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Qt: paint the picture."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        if not self._picture.isNull():
            painter.drawPixmap(self.area, self._picture)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Qt: a text is clicked, or a drag begins."""
        self._pressed = event.position().toPoint()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Qt: drag the picture, or show that a text can be changed."""
        here = event.position().toPoint()
        if self._pressed is not None and event.buttons() & Qt.MouseButton.LeftButton:
            if (here - self._pressed).manhattanLength() > DRAG_FROM:
                self._pressed = None
                self.dragged.emit()
            return
        over = self.text_at(here)
        self.setCursor(Qt.CursorShape.IBeamCursor if over else Qt.CursorShape.OpenHandCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Qt: a click on a text."""
        name = self.text_at(event.position().toPoint()) if self._pressed is not None else ""
        self._pressed = None
        if name:
            self.text_wanted.emit(name)


class PresentDialog(QDialog):
    """Makes a figure ready to show."""

    def __init__(self, parent: QWidget, theme: Theme, figure: FigureDescription) -> None:
        super().__init__(parent)
        self.figure = figure
        self._worker = Worker()
        self.setWindowTitle(words.PRESENT_TITLE)
        sized_within(self, 760, 640)
        self.picture = FigurePicture()
        self.picture.text_wanted.connect(self.change_text)
        self.picture.dragged.connect(self._drag)
        self.field = QLineEdit(self.picture)
        self.field.hide()
        self.field.editingFinished.connect(self._text_done)
        self._changed = ""
        self.said = label(words.PRESENT_HELP, "soft")
        self.said.setWordWrap(True)
        self.width_mm, self.height_mm = self._size(figure.width), self._size(figure.height)
        self.width_mm.setAccessibleName(words.PRESENT_WIDTH)
        self.height_mm.setAccessibleName(words.PRESENT_HEIGHT)
        self.legend, self.caption = (
            QCheckBox(words.PRESENT_LEGEND),
            QCheckBox(words.PRESENT_CAPTION),
        )
        self.legend.setChecked(figure.legend)
        self.caption.setChecked(bool(figure.caption))
        self.legend.toggled.connect(lambda on: self._become(legend=on))
        self._text = figure.caption
        self.caption.toggled.connect(lambda on: self._become(caption=self._text if on else ""))
        self.kind = DropDown(theme)
        self.kind.setAccessibleName(words.PRESENT_DRAG)
        for kind in PICTURES:
            self.kind.addItem(kind.upper(), kind)
        self.copy, self.write, self.close_button = (
            QPushButton(text)
            for text in (words.PRESENT_COPY, words.PRESENT_WRITE, words.PRESENT_CLOSE)
        )
        self.copy.clicked.connect(self.copy_figure)
        self.write.clicked.connect(self._ask_where)
        self.close_button.clicked.connect(self.accept)
        self.close_button.setDefault(True)
        self._lay_out()
        self._pause = once_after(self, PAUSE_MS, self._draw)
        self._folder: tempfile.TemporaryDirectory[str] | None = None  # of what is dragged
        self.finished.connect(self._leave)

    def _size(self, value: float) -> QDoubleSpinBox:
        box = QDoubleSpinBox()
        box.setRange(LEAST_MM, MOST_MM)
        box.setDecimals(0)
        box.setSuffix(words.MM)
        box.setValue(value)
        box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        box.valueChanged.connect(self._resized)
        return box

    def _lay_out(self) -> None:
        row = QHBoxLayout()
        for part in (
            label(words.PRESENT_WIDTH, "soft"),
            self.width_mm,
            label(words.PRESENT_HEIGHT, "soft"),
            self.height_mm,
            self.legend,
            self.caption,
        ):
            row.addWidget(part)
        row.addStretch(1)
        below = QHBoxLayout()
        below.addWidget(label(words.PRESENT_DRAG, "soft"))
        below.addWidget(self.kind)
        below.addStretch(1)
        for button in (self.copy, self.write, self.close_button):
            below.addWidget(button)
        column = QVBoxLayout(self)
        column.setSpacing(8)
        column.addLayout(row)
        column.addWidget(self.picture, 1)
        column.addWidget(self.said)
        column.addLayout(below)

    # -- changing ----------------------------------------------------------------------------------

    def _become(self, **changes: object) -> None:
        self.figure = replace(self.figure, **changes)  # type: ignore[arg-type]
        self._pause.start()

    def _resized(self) -> None:
        self._become(width=self.width_mm.value(), height=self.height_mm.value())

    def showEvent(self, event: QShowEvent) -> None:
        """Qt: draw the figure."""
        super().showEvent(event)
        self._draw()

    def _leave(self) -> None:
        self._worker.stop()
        if self._folder is not None:
            self._folder.cleanup()
        self.deleteLater()

    def _draw(self) -> None:
        figure = self.figure
        self._worker.run(
            "picture",
            lambda: drawn(figure, "png", PREVIEW_DPI),
            self.picture.show_figure,
            self._failed,
        )

    @staticmethod
    def _failed(error: BaseException) -> None:
        raise error

    def change_text(self, place: str) -> None:
        """Put a field over a text, to change it in place."""
        self._changed = place
        area = self.picture.rect_of(place)
        wide = max(area.width() + 40, 260)
        left = max(0, min(area.left() - 4, self.picture.width() - wide))
        top = max(0, min(area.center().y() - LINE_HEIGHT // 2, self.picture.height() - LINE_HEIGHT))
        self.field.setGeometry(left, top, wide, LINE_HEIGHT + 4)
        self.field.setText(self.figure.texts[place].replace("\n", " "))
        self.field.setAccessibleName(place)
        self.field.show()
        self.field.setFocus()
        self.field.selectAll()

    def _text_done(self) -> None:
        place, text = self._changed, self.field.text()
        self.field.hide()
        if not place:
            return
        self._changed = ""
        if place.startswith("y"):
            number = int(place[1:])
            panels = tuple(
                replace(p, y_title=text) if k == number else p
                for k, p in enumerate(self.figure.panels)
            )
            self._become(panels=panels)
            return
        name = {"title": "title", "x": "x_title", "caption": "caption"}[place]
        if place == "caption":
            self._text = text
        self._become(**{name: text})

    # -- taking it elsewhere -----------------------------------------------------------------------

    def mime_data(self, kinds: tuple[str, ...]) -> QMimeData:
        """Return the figure for the clipboard, or for a drop: as bytes of each kind, and the first
        of them as a file.
        """
        data = QMimeData()
        for kind in kinds:
            content = drawn(self.figure, kind).content
            data.setData(PICTURES[kind], QByteArray(content))
            if kind == "png":
                image = QImage()
                image.loadFromData(content)
                data.setImageData(image)
        return data

    def copy_figure(self) -> None:
        """Copy the figure as a picture and as SVG."""
        QApplication.clipboard().setMimeData(self.mime_data(("png", "svg")))
        self.said.setText(words.PRESENT_COPIED)

    def _drag(self) -> None:
        drag = QDrag(self)
        drag.setMimeData(self.dragged_data())
        drag.setPixmap(self.picture._picture.scaledToWidth(160))
        drag.exec(Qt.DropAction.CopyAction)

    def dragged_data(self) -> QMimeData:
        """Return what is dragged: a file of the chosen kind, and its bytes."""
        kind = self.kind.currentData()
        data = self.mime_data((kind,))
        if self._folder is None:
            self._folder = tempfile.TemporaryDirectory(prefix="inertian-figure-")
        path = Path(self._folder.name) / f"{file_name(self.figure.name)}.{kind}"
        write_figure(self.figure, path)
        data.setUrls([QUrl.fromLocalFile(str(path))])
        return data

    def _ask_where(self) -> None:
        name, kind = QFileDialog.getSaveFileName(
            self, words.PRESENT_WRITE, f"{file_name(self.figure.name)}.png", words.PRESENT_KINDS
        )
        if name:
            ending = kind.rpartition("*")[2].rstrip(")")
            path = Path(name)
            self.write_to(path if path.suffix else path.with_suffix(ending))

    def write_to(self, path: Path) -> None:
        """Write the figure to a file."""
        try:
            write_figure(self.figure, path)
        except (InertianError, OSError) as error:
            why = str(error) if isinstance(error, InertianError) else error.strerror or str(error)
            tell(
                self,
                words.PRESENT_TITLE,
                words.TABLE_NOT_WRITTEN.format(name=path.name, why=why),
            )
            return
        self.said.setText(words.PRESENT_WRITTEN.format(name=path.name))

    def wait(self) -> None:
        """Wait until the picture is drawn; for tests."""
        self._worker.wait()


def file_name(text: str) -> str:
    """Return a text as the name of a file."""
    kept = "".join(c if c.isalnum() or c in " -_.()" else "-" for c in text)
    return " ".join(kept.split())[:80] or "figure"
