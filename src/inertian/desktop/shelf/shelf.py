"""The shelf: trials as cards, in series that fold."""

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QAbstractListModel, QModelIndex, QPoint, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF, QTransform
from PyQt6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from inertian.desktop.look import markers, words
from inertian.desktop.look.span_tints import tint_of
from inertian.desktop.look.theme import font
from inertian.desktop.look.tokens import (
    CARD_HEIGHT,
    LARGE,
    MANY_TRIALS,
    ROW_HEIGHT,
    SHELF_WIDTH,
    SMALL,
    Theme,
)
from inertian.desktop.state.document import Document
from inertian.motion.recording.trials import Trial
from inertian.physics.accounts.verdicts import SIGN, Verdict
from inertian.project.project import Entry
from inertian.quantities.memo import Memo

TRACE_POINTS = 60  # of a card's small picture
TRIAL_ROLE = Qt.ItemDataRole.UserRole


@dataclass(frozen=True)
class _Row:
    series: str
    trial: str | None  # None: the series' own line


class ShelfModel(QAbstractListModel):
    """Series and trials as rows; a series' line folds it."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self._folded: set[str] = set()
        self._rows: list[_Row] = []
        self.verdicts: dict[str, Verdict] = {}
        self.rebuild()

    def rebuild(self) -> None:
        """Follow the project, if trials or series came, went or were folded."""
        rows = []
        project = self._document.project
        for series in project.series:
            rows.append(_Row(series.name, None))
            if series.name not in self._folded:
                rows += [_Row(series.name, e.trial.id) for e in project.entries_of(series.name)]
        if rows != self._rows:
            self.beginResetModel()
            self._rows = rows
            self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        """Qt: how many rows there are."""
        return 0 if parent is not None and parent.isValid() else len(self._rows)

    def row(self, index: QModelIndex) -> _Row:
        """Return what a row stands for."""
        return self._rows[index.row()]

    def index_of(self, trial: str) -> QModelIndex:
        """Return where a trial stands, or an invalid index if it is folded away."""
        for place, row in enumerate(self._rows):
            if row.trial == trial:
                return self.index(place)
        return QModelIndex()

    def fold(self, series: str) -> None:
        """Fold a series, or unfold it."""
        self._folded ^= {series}
        self.rebuild()

    def folded(self, series: str) -> bool:
        """Whether a series is folded."""
        return series in self._folded

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        """Qt: text for display, for tooltips and for screen readers."""
        row = self.row(index)
        if role == TRIAL_ROLE:
            return row.trial
        if role not in (
            Qt.ItemDataRole.DisplayRole,
            Qt.ItemDataRole.AccessibleTextRole,
            Qt.ItemDataRole.ToolTipRole,
        ):
            return None
        if row.trial is None:
            return row.series
        trial = self._document.project.entry(row.trial).trial
        verdict = self.verdicts.get(row.trial)
        said = words.SIGN_TIP.format(verdict=words.VERDICT[verdict]) if verdict else ""
        if role == Qt.ItemDataRole.ToolTipRole:
            entry = self._document.project.entry(row.trial)
            if self._document.project.series_named(entry.series).pattern == row.trial:
                said = f"{said}\n{words.PATTERN_TIP}"
            return f"{trial.name}\n{said}".strip()
        return trial.name

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        """Qt: all rows can be reached with keys."""
        return Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable

    def show_verdicts(self, verdicts: dict[str, Verdict]) -> None:
        """Show the verdict signs that were worked out."""
        self.verdicts = verdicts
        if self._rows:
            self.dataChanged.emit(self.index(0), self.index(len(self._rows) - 1))


class _Card(QStyledItemDelegate):
    """Paints a row: name, small trace, spans and verdict signs."""

    def __init__(self, document: Document, theme: Theme, model: ShelfModel) -> None:
        super().__init__()
        self._document, self._theme, self._model = document, theme, model
        self._memo = Memo()

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        """Qt: cards, or lower rows when there are many."""
        if self._model.row(index).trial is None:
            return QSize(SHELF_WIDTH, ROW_HEIGHT)
        many = len(self._document.project.entries) > MANY_TRIALS
        return QSize(SHELF_WIDTH, ROW_HEIGHT if many else CARD_HEIGHT)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Qt: paint one row."""
        row, box = self._model.row(index), QRectF(option.rect)
        painter.save()
        chosen = (
            row.trial is not None
            and self._document.entry
            and self._document.entry.trial.id == row.trial
        )
        hovered = bool(option.state & QStyle.StateFlag.State_MouseOver)
        if chosen or hovered:
            painter.fillRect(box, QColor(self._theme.selection if chosen else self._theme.hover))
        if chosen:
            painter.fillRect(
                QRectF(box.left(), box.top(), 3, box.height()), QColor(self._theme.brass)
            )
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(QColor(self._theme.brass), 1, Qt.PenStyle.DotLine))
            painter.drawRect(box.adjusted(0, 0, -1, -1))
        if row.trial is None:
            self._paint_series(painter, box, row.series)
        else:
            self._paint_trial(painter, box, row.trial)
        painter.restore()

    def _paint_series(self, painter: QPainter, box: QRectF, series: str) -> None:
        painter.setFont(font(SMALL, font().Weight.DemiBold))
        painter.setPen(QColor(self._theme.soft_ink))
        x, y = box.left() + 14, box.center().y()
        points = (
            [(0, -3), (4, 0), (0, 3)] if self._model.folded(series) else [(-2, -2), (2, 2), (6, -2)]
        )
        painter.drawPolyline(QPolygonF([QPointF(x + a, y + b) for a, b in points]))
        painter.drawText(box.adjusted(26, 0, -12, 0), Qt.AlignmentFlag.AlignVCenter, series)
        count = words.SERIES_COUNT.format(count=len(self._document.project.entries_of(series)))
        painter.drawText(
            box.adjusted(26, 0, -12, 0),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
            count,
        )

    def _paint_trial(self, painter: QPainter, box: QRectF, trial_id: str) -> None:
        entry = self._document.project.entry(trial_id)
        low = box.height() <= ROW_HEIGHT
        painter.setPen(QColor(self._theme.ink))
        painter.setFont(font())
        beside = 112 if self._is_pattern(entry) else 60
        name_box = box.adjusted(14, 0 if low else 6, -beside, 0)
        name = painter.fontMetrics().elidedText(
            entry.trial.name, Qt.TextElideMode.ElideMiddle, int(name_box.width())
        )
        vertical = Qt.AlignmentFlag.AlignVCenter if low else Qt.AlignmentFlag.AlignTop
        painter.drawText(name_box, vertical | Qt.AlignmentFlag.AlignLeft, name)
        self._paint_marks(painter, box, trial_id, low)
        verdict = self._model.verdicts.get(trial_id)
        if verdict is not None:
            painter.setFont(font(LARGE, font().Weight.DemiBold))
            sign_box = QRectF(box.right() - 34, box.top(), 22, box.height() if low else 28)
            painter.drawText(sign_box, Qt.AlignmentFlag.AlignCenter, SIGN[verdict])
        if not low:
            self._paint_trace(
                painter, QRectF(box.left() + 14, box.top() + 27, box.width() - 28, 23), entry.trial
            )
            self._paint_spans(
                painter, QRectF(box.left() + 14, box.top() + 51, box.width() - 28, 2), entry
            )

    def _paint_marks(self, painter: QPainter, box: QRectF, trial_id: str, low: bool) -> None:
        """Small signs before the verdict: a cross where samples are set aside, a brass dot where a
        look is needed.
        """
        entry = self._document.project.entry(trial_id)
        x, y = box.right() - 42, box.top() + (0.5 * box.height() if low else 15)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if trial_id in self._document.doubts:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(self._theme.brass))
            painter.drawEllipse(QPointF(x, y), 4, 4)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            x -= 12
        if self._is_pattern(entry):
            painter.setFont(font(SMALL))
            painter.setPen(QColor(self._theme.soft_ink))
            place = QRectF(x - 50, y - 10, 50, 20)
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter, words.PATTERN_SIGN)
            x -= 58
        if any(step.on for step in entry.steps):
            painter.setPen(QPen(QColor(self._theme.soft_ink), 1.2))
            painter.drawLine(QPointF(x - 3, y - 3), QPointF(x + 3, y + 3))
            painter.drawLine(QPointF(x - 3, y + 3), QPointF(x + 3, y - 3))
        painter.setPen(QColor(self._theme.ink))

    def _is_pattern(self, entry: Entry) -> bool:
        return self._document.project.series_named(entry.series).pattern == entry.trial.id

    def _paint_trace(self, painter: QPainter, box: QRectF, trial: Trial) -> None:
        traces = self._memo.get(trial, "traces", lambda: _small_traces(trial))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        to_box = QTransform(box.width(), 0, 0, -box.height(), box.left(), box.bottom())
        for place, line in enumerate(traces):
            painter.setPen(QPen(markers.colour(self._theme, place), 1.2))
            painter.drawPolyline(to_box.map(line))

    def _paint_spans(self, painter: QPainter, box: QRectF, entry: Entry) -> None:
        t = entry.trial.t
        length = float(t[-1] - t[0])
        for span in entry.spans:
            left = box.left() + (span.start - t[0]) / length * box.width()
            tint = tint_of(self._theme, span.kind)
            painter.fillRect(
                QRectF(left, box.top(), span.length / length * box.width(), box.height()), tint
            )


def _small_traces(trial: Trial) -> list[QPolygonF]:
    """The first axis of each body, thinned, in the unit square; nothing of a trial without data."""
    if not trial.recorded:
        return []
    channels = [(*body.channels, *body.sensors)[0].si for body in trial.bodies]
    low, high = min(np.nanmin(c) for c in channels), max(np.nanmax(c) for c in channels)
    rows = np.linspace(0, len(trial.t) - 1, min(TRACE_POINTS, len(trial.t))).astype(int)
    t = (trial.t[rows] - trial.t[0]) / (trial.t[-1] - trial.t[0])
    lines = []
    for channel in channels:
        y = (channel[rows] - low) / ((high - low) or 1.0)
        lines.append(
            QPolygonF([QPointF(a, b) for a, b in zip(t, y, strict=True) if np.isfinite(b)])
        )
    return lines


class Shelf(QListView):
    """The list of trials at the left; choosing one takes it in hand."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("shelf")
        self.setFixedWidth(SHELF_WIDTH)
        self.setAccessibleName("Shelf")
        self.setMouseTracking(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(self.ScrollMode.ScrollPerPixel)
        self._document = document
        self.trials = ShelfModel(document)
        self._card = _Card(document, theme, self.trials)
        self.setModel(self.trials)
        self.setItemDelegate(self._card)
        self.clicked.connect(self._take)
        self.activated.connect(self._take)
        document.changed.connect(self._follow)
        document.selected.connect(self._follow)
        document.previewed.connect(self._show_preview)
        self._follow()

    def currentChanged(self, current: QModelIndex, previous: QModelIndex) -> None:
        """Qt: arrow keys take trials in hand as they go."""
        super().currentChanged(current, previous)
        if current.isValid() and self.hasFocus() and self.trials.row(current).trial:
            self._document.select(self.trials.row(current).trial)

    def _take(self, index: QModelIndex) -> None:
        row = self.trials.row(index)
        if row.trial is None:
            self.trials.fold(row.series)
        else:
            self._document.select(row.trial)

    def series_at(self, place: QPoint) -> str:
        """Return the series whose line or trials lie at a place of the shelf, or ""."""
        if not self.isVisible() or not self.rect().contains(place):
            return ""
        index = self.indexAt(self.viewport().mapFrom(self, place))
        return self.trials.row(index).series if index.isValid() else ""

    def _follow(self) -> None:
        self.trials.rebuild()
        entry = self._document.entry
        if entry is not None:
            self.setCurrentIndex(self.trials.index_of(entry.trial.id))
        self.viewport().update()

    def _show_preview(self) -> None:
        """Only the trial in hand changes while a gesture is under way."""
        if self._document.entry is not None:
            self.update(self.trials.index_of(self._document.entry.trial.id))

    def step(self, by: int) -> None:
        """Take the next or the previous trial in hand."""
        ids = [e.trial.id for e in self._document.project.entries]
        entry = self._document.entry
        if entry is not None:
            self._document.select(ids[(ids.index(entry.trial.id) + by) % len(ids)])
