"""The trends stage: the table of results above, or beside, the figure."""

from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from inertian.analysis.results.formula_columns import unit_size
from inertian.desktop.figures.present_dialog import PresentDialog
from inertian.desktop.look import words
from inertian.desktop.look.labels import DropDown, label, tight_column
from inertian.desktop.look.tokens import Theme
from inertian.desktop.look.view_strip import ViewStrip
from inertian.desktop.state.document import Document
from inertian.desktop.state.timers import once_after
from inertian.desktop.state.trends_state import TrendsState
from inertian.desktop.trends.laid_over_plot import LaidOverPlot
from inertian.desktop.trends.repeats_view import RepeatsView
from inertian.desktop.trends.results_view import ResultsView
from inertian.desktop.trends.table_actions import TableActions
from inertian.desktop.trends.trend_plot import TrendPlot
from inertian.project.trend_edits import (
    trend_chosen,
    with_trends,
)
from inertian.project.trend_requests import Column
from inertian.report.figures.description import capital
from inertian.report.results import (
    unit_of_column,
)
from inertian.report.trend import si_unit
from inertian.report.trend_figure import trend_figure

WIDE = 1100  # px, from which table and figure stand side by side
TABLE_SHARE, FIGURE_SHARE = 42, 58
FILTER_PAUSE_MS, FILTER_WIDTH, CHOICE_WIDTH = 250, 150, 150


class TrendsStage(QStackedWidget):
    """All trials together."""

    spoken = pyqtSignal(str)
    trial_wanted = pyqtSignal(str)
    recordings_wanted = pyqtSignal()
    bench_wanted = pyqtSignal()

    def __init__(self, document: Document, theme: Theme, state: TrendsState) -> None:
        super().__init__()
        self._document, self._theme, self.state = document, theme, state
        self.table = ResultsView(document, theme)
        self.plot = TrendPlot(theme)
        self.repeats = RepeatsView(document, theme, state)
        self.laid = LaidOverPlot(document, theme, state)
        self.table_actions = TableActions(document, state, self.table)
        self.table_actions.spoken.connect(self.spoken)
        self._build()
        state.table_changed.connect(self.refresh)
        state.row_changed.connect(self._show_row)
        state.trend_changed.connect(self._show_trend)
        state.progress.connect(self._show_progress)
        document.selected.connect(self._show_chosen)
        for signal in (self.table.trial_wanted, self.plot.wanted, self.laid.chosen):
            signal.connect(self.trial_wanted)
        for signal in (self.table.trial_chosen, self.plot.chosen):
            signal.connect(document.select)
        self.table.spoken.connect(self.spoken)
        self.table.axis_wanted.connect(self.show_axis)
        self.table.formula_wanted.connect(self.table_actions.change_formula)
        self.plot.hand_moved.connect(self._hand_moved)

    # -- building ----------------------------------------------------------------------------------

    def _build(self) -> None:
        self.parts = QSplitter(Qt.Orientation.Vertical)
        self.parts.setChildrenCollapsible(False)
        self.parts.addWidget(self._build_table())
        self.parts.addWidget(self._build_figure())
        self.parts.setStretchFactor(0, TABLE_SHARE)
        self.parts.setStretchFactor(1, FIGURE_SHARE)
        self.parts.setSizes([TABLE_SHARE * 8, FIGURE_SHARE * 8])
        self.addWidget(self.parts)
        self.empty, self.empty_text, self.empty_button = (
            QWidget(),
            label("", "heading"),
            QPushButton(),
        )
        self.empty_text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty_text.setWordWrap(True)
        self.empty_button.clicked.connect(self._help)
        column = QVBoxLayout(self.empty)
        column.addStretch(2)
        column.addWidget(self.empty_text)
        column.addSpacing(12)
        column.addWidget(self.empty_button, alignment=Qt.AlignmentFlag.AlignHCenter)
        column.addStretch(3)
        self.addWidget(self.empty)

    def _build_table(self) -> QWidget:
        part = QWidget()
        row = QHBoxLayout()
        row.setContentsMargins(8, 6, 8, 4)
        row.setSpacing(6)
        self.choose_columns, self.new_variable, self.new_formula = (
            QPushButton(text)
            for text in (words.TABLE_COLUMNS, words.ADD_VARIABLE, words.ADD_FORMULA)
        )
        for button, tip, then in (
            (self.choose_columns, words.COLUMNS_TIP, self.table_actions.ask_columns),
            (self.new_variable, words.ADD_VARIABLE_TIP, self.table_actions.ask_variable),
            (self.new_formula, words.ADD_FORMULA_TIP, self.table_actions.ask_formula),
        ):
            button.setToolTip(tip)
            button.clicked.connect(lambda _checked, then=then: then())
            row.addWidget(button)
        self.rows_said = label("", "soft")
        self.filter = QLineEdit()
        self.filter.setPlaceholderText(words.FILTER_HINT)
        self.filter.setAccessibleName(words.FILTER_HINT)
        self.filter.setFixedWidth(FILTER_WIDTH)
        self.filter.setClearButtonEnabled(True)
        self._filter_pause = once_after(self, FILTER_PAUSE_MS, self._filter)
        self.filter.textEdited.connect(lambda _text: self._filter_pause.start())
        row.addStretch(1)
        row.addWidget(self.rows_said)
        row.addWidget(self.filter)
        column = tight_column(part)
        column.addLayout(row)
        column.addWidget(self.table, 1)
        return part

    def _build_figure(self) -> QWidget:
        part = QWidget()
        self.strip = ViewStrip(
            (
                (words.TREND_VIEW, words.TREND_VIEW_TIP, self.plot),
                (words.REPEATS_VIEW, words.REPEATS_VIEW_TIP, self.repeats),
                (words.LAID_VIEW, words.LAID_VIEW_TIP, self.laid),
            )
        )
        self.strip.chosen.connect(self.show_view)
        self.views, self.view_buttons, row = self.strip.stack, self.strip.buttons, self.strip.row
        row.addSpacing(8)
        self.up, self.across = DropDown(self._theme), DropDown(self._theme)
        self.against = label(words.AGAINST, "soft")
        for choice, name, axis in (
            (self.up, words.UP_NAME, "y"),
            (self.across, words.ACROSS_NAME, "x"),
        ):
            choice.setAccessibleName(name)
            choice.setMinimumWidth(CHOICE_WIDTH)
            choice.setSizeAdjustPolicy(
                choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
            )
            choice.setToolTip(name)
            choice.activated.connect(
                lambda _k, choice=choice, axis=axis: self.show_axis(axis, choice.currentData())
            )
        for widget, stretch in ((self.up, 1), (self.against, 0), (self.across, 1)):
            row.addWidget(widget, stretch)
        row.addStretch(0)
        column = tight_column(part)
        column.addWidget(self.strip)
        column.addWidget(self.views, 1)
        return part

    # -- for Qt ------------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent) -> None:
        """Qt: work out what is not known yet."""
        super().showEvent(event)
        self.state.show()
        self.refresh()

    def hideEvent(self, event: QHideEvent) -> None:
        """Qt: nobody looks."""
        super().hideEvent(event)
        self.state.hide()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Qt: side by side where there is room."""
        super().resizeEvent(event)
        wide = self.width() >= WIDE
        wanted = Qt.Orientation.Horizontal if wide else Qt.Orientation.Vertical
        if self.parts.orientation() != wanted:
            self.parts.setOrientation(wanted)
            self.parts.setSizes([TABLE_SHARE * 10, FIGURE_SHARE * 10])

    def restyle(self) -> None:
        """Wear the theme as it is now."""
        self.plot.restyle()
        self.laid.restyle()
        self.table.viewport().update()

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show table and figure as they are now."""
        table, project = self.state.table, self._document.project
        missing = len(project.entries) < 2 or (table is not None and not table.offered)
        if missing or table is None:
            few = len(project.entries) < 2
            self.empty_text.setText(
                words.NO_TRENDS if few else words.NO_RESULTS if missing else words.WAIT_TRENDS
            )
            self.empty_button.setText(words.NO_TRENDS_BUTTON if few else words.NO_RESULTS_BUTTON)
            self.empty_button.setVisible(missing)
            self.setCurrentWidget(self.empty)
            return
        self.setCurrentWidget(self.parts)
        self.table.rows.show_table(table, project.trends)
        self.table.show_rows()
        if not self.filter.hasFocus():
            self.filter.setText(project.trends.contains)
        self._show_count()
        self._show_choices()
        self._show_chosen()
        self.repeats.refresh()
        self.laid.refresh()

    def _show_count(self) -> None:
        lines = self.table.rows.lines
        shown = sum(self.table.rows.row_at(k) is not None for k in range(len(lines)))
        rows = self.state.table.rows
        said = words.ROWS_SAID.format(count=len(rows)) if len(rows) != 1 else words.ROWS_ONE
        if shown != len(rows):
            said = words.ROWS_SHOWN.format(shown=shown, count=len(rows))
        apart = sum(row.entry.apart is not None for row in rows)
        self.rows_said.setText(words.ROWS_APART.format(said=said, apart=apart) if apart else said)

    def _show_progress(self, done: int, of: int) -> None:
        if done < of:
            said = words.WORKING.format(done=done, of=of)
            self.rows_said.setText(said)
            if self.currentWidget() is self.empty and len(self._document.project.entries) > 1:
                self.empty_text.setText(said)

    def _show_row(self, trial: str) -> None:
        self.table.rows.replace_row(self.state.table, trial)

    def _show_choices(self) -> None:
        table = self.state.table
        names = [
            name
            for name in table.offered
            if any(r.values[name].scalar is not None for r in table.rows if name in r.values)
        ]
        titles = {c.name: c.title for c in self.table.rows.columns if c.title}
        for choice, wanted in (
            (self.up, self.state.request.y),
            (self.across, self.state.request.x),
        ):
            if [choice.itemData(k) for k in range(choice.count())] != names:
                choice.clear()
                for name in names:
                    choice.addItem(titles.get(name, name), name)
            choice.setCurrentIndex(choice.findData(wanted))
            choice.setToolTip(wanted)

    def _column(self, name: str) -> Column:
        return next((c for c in self.table.rows.columns if c.name == name), Column(name))

    def _show_trend(self) -> None:
        made, table = self.state.trend, self.state.table
        if made is None or table is None:
            self.plot.show_trend(None)
            return
        factors, titles, unit = [], [], ""
        for name, own_unit in zip((made.request.x, made.request.y), made.units, strict=True):
            column = self._column(name)
            shown = unit_of_column(table, column)
            size, own = unit_size(shown)
            fits = own == unit_size(own_unit)[1]
            factors.append(1.0 / size if column.unit and fits else 1.0)
            unit = shown if column.unit and fits else si_unit(own_unit)
            title = column.title or name
            titles.append(capital(f"{title} ({unit})" if unit else title))
        entry = self._document.entry
        trial = entry.trial.id if entry is not None else ""
        away = f"{words.RESIDUAL_AXIS} ({unit})" if unit else words.RESIDUAL_AXIS
        shown_titles = (titles[0], titles[1], away)
        self.plot.show_trend(made, (factors[0], factors[1]), shown_titles, trial)

    def _show_chosen(self) -> None:
        entry = self._document.entry
        if entry is None or not self.isVisible():
            return
        self.table.choose_trial(entry.trial.id)
        self._show_trend()

    def show_view(self, name: str) -> None:
        """Show the trend, the repeats, or the trials laid over one another."""
        view = self.strip.show_view(name)
        for part in (self.up, self.against, self.across):
            part.setVisible(view is self.plot)
        self.strip.row.setStretch(self.strip.row.count() - 1, 0 if view is self.plot else 1)
        self.repeats.refresh()
        self.laid.refresh()

    # -- asking ------------------------------------------------------------------------------------

    def _help(self) -> None:
        few = len(self._document.project.entries) < 2
        (self.recordings_wanted if few else self.bench_wanted).emit()

    def show_axis(self, axis: str, name: str) -> None:
        """Show another column across, "x", or up, "y"."""
        request = self.state.request
        request = replace(request, x=name) if axis == "x" else replace(request, y=name)
        if request != self.state.request:
            request = replace(request, expected="", hand=None)
        self._document.do(trend_chosen(self._document.committed, request, words.TREND_VIEW))

    def _hand_moved(self, ends: tuple[float, float, float, float]) -> None:
        request = replace(self.state.request, hand=ends)
        self._document.do(trend_chosen(self._document.committed, request, words.HAND_LINE))

    def _filter(self) -> None:
        trends = replace(self._document.committed.trends, contains=self.filter.text().strip())
        self._document.do(with_trends(self._document.committed, trends, words.FILTER_HINT))

    def set_trial_aside(self, trial: str) -> None:
        """Ask why a trial does not count."""
        self.table.choose_trial(trial)
        self.table.set_aside()

    def present(self) -> None:
        """Make the figure ready to show."""
        dialog = self.presented()
        if dialog is None:
            self.spoken.emit(words.PRESENT_NOTHING)
        else:
            dialog.exec()

    def presented(self) -> PresentDialog | None:
        """Return the window in which the figure is made ready to show; None where there is none."""
        made = self.state.trend
        if made is None:
            return None
        titles = {c.name: c.title for c in self.table.rows.columns if c.title}
        return PresentDialog(self, self._theme, trend_figure(made, titles))
