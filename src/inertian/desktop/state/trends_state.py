"""The table of results and the trend beside the window: worked out on a thread of its own; while an
edge is dragged, the row of the trial in view follows at once.
"""

from functools import partial
from threading import Event
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.series_results import SeriesResult, with_trial_changed
from inertian.desktop.state.background_state import BackgroundState
from inertian.desktop.state.document import Document
from inertian.desktop.state.timers import once_after
from inertian.project.project import Entry, Project
from inertian.project.trend_requests import TrendRequest
from inertian.quantities.errors import InertianError

if TYPE_CHECKING:
    from inertian.analysis.results.results_table import ResultsTable
    from inertian.analysis.trends.laid_over import Anchor, LaidOver
    from inertian.analysis.trends.line_fit import TrendError
    from inertian.analysis.trends.repeats import Repeats
    from inertian.analysis.trends.trend_result import TrendResult
    from inertian.physics.definitions.requests import QuantityRef

PAUSE_MS = 120  # after a change, until the table is worked out anew


class TrendsState(BackgroundState):
    """The table and the trend of the open project. Signals: `table_changed`, `row_changed` for one
    row while something is dragged, `trend_changed`, `laid`, `pooled`, and `progress` with rows done
    and of how many.
    """

    table_changed = pyqtSignal()
    row_changed = pyqtSignal(str)
    trend_changed = pyqtSignal()
    laid = pyqtSignal(object)
    pooled = pyqtSignal(object)
    progress = pyqtSignal(int, int)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._evaluator, self._for = Evaluator(), document.evaluator
        self.table: ResultsTable | None = None
        self.trend: TrendResult | None = None
        self.request = TrendRequest()
        self.refused = ""  # why there is no trend
        self.known_for: Project | None = None
        self._pause = once_after(self, PAUSE_MS, self._ask)
        self.shown = False  # whether somebody looks
        self._dragged: tuple[Project, Evaluator, SeriesResult] | None = None
        document.changed.connect(self.ask)
        document.previewed.connect(self._follow_drag)

    def show(self) -> None:
        """Somebody looks: what is not known yet is worked out."""
        self.shown = True
        if self.known_for is not self._document.committed:
            self._ask()

    def hide(self) -> None:
        """Nobody looks any more."""
        self.shown = False

    def ask(self) -> None:
        """Work the table out again soon, if somebody looks."""
        if self.shown:
            self._pause.start()

    def _ask(self) -> None:
        if self._for is not self._document.evaluator:  # another project: let the last one go
            self._evaluator, self._for = Evaluator(), self._document.evaluator
            self.table = self.trend = None
        self._stopped.set()
        stopped = self._stopped = Event()
        project = self._document.committed
        work = partial(self._work, project, self._evaluator, self.table, stopped)
        self._worker.run("table", work, partial(self._came, project), self._failed)

    def _work(
        self,
        project: Project,
        evaluator: Evaluator,
        known: "ResultsTable | None",
        stopped: Event,
    ) -> "tuple[ResultsTable, TrendRequest, TrendResult | None, str] | None":
        # Not loaded before somebody looks
        from inertian.analysis.results.results_table import results_table

        def progress(done: int, of: int) -> bool:
            if done % 10 == 0 or done == of:
                self.progress.emit(done, of)
            return not stopped.is_set()

        table = results_table(project, evaluator, known, progress)
        if table is None:
            return None
        return (table, *worked_out(table, project.trends.request))

    def _came(self, project: Project, found: object) -> None:
        if found is None or project is not self._document.committed:
            return
        assert isinstance(found, tuple)
        self.table, self.request, self.trend, self.refused = found
        self.known_for = project
        self.table_changed.emit()
        self.trend_changed.emit()

    def _follow_drag(self) -> None:
        """The row of the trial in view follows a gesture; the others wait until it is over."""
        from inertian.analysis.results.results_table import made_row

        entry, table = self._document.entry, self.table
        if entry is None or table is None or not self.shown:
            return
        if not self._document.previewing:
            self._dragged = None
            self._ask()
            return
        if entry.trial.id not in table.by_trial:
            return
        row = made_row(self._document.project, entry, self._in_drag(entry))
        self.table = table.with_row(row)
        _, self.trend, self.refused = worked_out(self.table, self.request)
        self.row_changed.emit(entry.trial.id)
        self.trend_changed.emit()

    def _in_drag(self, entry: Entry) -> Evaluator:
        """An evaluator for the gesture under way, that knows what the other trials of the series
        tell: hundreds of them are not gone through at every move.
        """
        document, name = self._document, entry.series
        if self._dragged is None or self._dragged[0] is not document.committed:
            before = document.evaluator.series(document.committed, name)
            self._dragged = document.committed, document.evaluator.fork(), before
        _, evaluator, series = self._dragged
        model = document.project.series_named(name).motion
        now = with_trial_changed(evaluator, series, entry, model)
        evaluator.series_in_drag(document.project, name, now)
        return evaluator

    def pool(self, name: str, settings: str, series: tuple[str, ...]) -> None:
        """Pool repeats of a column by equal settings; `pooled` tells when."""
        table = self.table
        if table is None:
            return

        def work() -> "dict[str, Repeats | TrendError]":
            from inertian.analysis.trends.repeats import repeats_of
            from inertian.analysis.trends.trend_points import rows_of_trend

            return repeats_of(rows_of_trend(table, name, name, series), name, settings)

        self._worker.run("pooled", work, self.pooled.emit, self._failed)

    def lay_over(
        self,
        series: tuple[str, ...],
        shown: "QuantityRef",
        body: str,
        anchor: "Anchor",
        scaled: bool,
    ) -> None:
        """Lay the trials of some series, or of all, over one another; `laid` tells when."""
        project = self._document.committed
        entries = [
            e for e in project.entries if e.apart is None and (not series or e.series in series)
        ]

        def work() -> "LaidOver":
            from inertian.analysis.trends.laid_over import laid_over

            return laid_over(project, self._evaluator, entries, shown, body, anchor, scaled)

        self._worker.run("laid", work, self.laid.emit, self._failed)


def worked_out(
    table: "ResultsTable", chosen: TrendRequest
) -> "tuple[TrendRequest, TrendResult | None, str]":
    """Return the trend that was chosen, or the one the program finds; else why there is none."""
    from inertian.analysis.trends.trend_result import trend_result, usual_request

    request = usual_request(table, chosen)
    try:
        return request, trend_result(table, request), ""
    except InertianError as error:
        return request, None, str(error)
