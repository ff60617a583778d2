"""The main window: shelf, stage strip, stages, margin, menus and status line."""

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QMimeData, QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QCloseEvent,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
    QResizeEvent,
    QShowEvent,
)
from PyQt6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QPushButton,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from inertian.analysis.evaluation import Evaluator
from inertian.desktop.bench.bench import BenchStage
from inertian.desktop.bench.bench_actions import BenchActions
from inertian.desktop.intake.import_controller import ImportController
from inertian.desktop.intake.pattern_controller import PatternController
from inertian.desktop.ledger.ledger_stage import LedgerStage
from inertian.desktop.look import words
from inertian.desktop.look.fact_text import fact_size
from inertian.desktop.look.number_format import format_number
from inertian.desktop.look.theme import apply_theme
from inertian.desktop.look.tokens import ActiveTheme, Theme
from inertian.desktop.models.models_controller import ModelsController
from inertian.desktop.pages.formulas_page import FormulasPage
from inertian.desktop.pages.margin import Margin
from inertian.desktop.pages.readings_page import ReadingsPage
from inertian.desktop.pages.tidy_page import TidyPage
from inertian.desktop.pages.verdict_lines import VerdictLines
from inertian.desktop.shelf.shelf import Shelf
from inertian.desktop.shelf.shelf_verdicts import shelf_verdicts
from inertian.desktop.shell.empty_stage import EmptyStage
from inertian.desktop.shell.error_report import ErrorReports
from inertian.desktop.shell.margin_column import MarginColumn
from inertian.desktop.shell.prefetch import Prefetcher
from inertian.desktop.shell.project_files import ProjectFiles
from inertian.desktop.state.document import Document
from inertian.desktop.state.second_looks import SecondLooks
from inertian.desktop.state.timers import once_after
from inertian.desktop.state.worker import Worker
from inertian.desktop.trends.trends_controller import TrendsController
from inertian.project.project import Entry
from inertian.quantities.errors import InertianError

if TYPE_CHECKING:
    from inertian.analysis.second_look.notes import Note
    from inertian.desktop.models.models_stage import ModelsStage
    from inertian.desktop.state.trends_state import TrendsState
    from inertian.desktop.trends.trend_margin import TrendMargin
    from inertian.desktop.trends.trends_stage import TrendsStage
    from inertian.files.interpretation.parsed_file import ParsedFile

STATUS_MARGIN = 40  # px, between what is said and the line of the file
NARROW = 880  # px; below, the stage would have no room beside shelf and margin
FIRST_PICTURE_MS = 30  # until the first picture is painted; then results are worked out
# Alt numbers; 6 is kept for a stage to come
STAGE_KEYS = {words.INTAKE: 1, words.BENCH: 2, words.LEDGER: 3, words.TRENDS: 4, words.MODELS: 5}


class MainWindow(QMainWindow):
    """One window on one document."""

    panes_changed = pyqtSignal(set)
    stage_shown = pyqtSignal()

    def __init__(
        self, document: Document, theme: ActiveTheme, recovery_root: Path | None = None
    ) -> None:
        super().__init__()
        self.document, self.theme = document, theme
        self.menus: object = None  # made by the application, once the window is there
        self.worker = Worker()
        self.resize(1280, 800)
        self.setMinimumSize(640, 360)
        self.setAcceptDrops(True)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose, False)
        self._make_stages(document, theme)
        self._warm = False
        self.prefetcher = Prefetcher(
            document, self.worker, self.bench.view, self._derived, self._worker_failed
        )
        self._panes = {"shelf", "margin"}
        self._folded = False  # for want of room, not because somebody asked for it
        # Used on the worker's thread only
        self._background, self._background_for = (Evaluator(), document.evaluator)
        self.file_label, self.note_label = QLabel(), QLabel()
        for shower in (self.file_label, self.note_label):
            shower.setTextFormat(Qt.TextFormat.PlainText)
        self.import_controller = ImportController(self, self.say, self.show_stage, document, theme)
        self.pattern_controller = PatternController(self, self.say, document)
        self._lay_out()
        self.project_files = ProjectFiles(self, self.say, document, self.worker, recovery_root)
        self.project_files.receive = self.import_controller.receive
        self.error_reports = ErrorReports(self, self.project_files.keep_now)
        self.margin.read_again.connect(self.import_controller.read_again)
        self._connect_document()
        self._follow()

    def _make_stages(self, document: Document, theme: Theme) -> None:
        self.shelf = Shelf(document, theme)
        self.bench = BenchStage(document, theme)
        self.ledger = LedgerStage(document, theme, self.bench.view)
        self.looks = SecondLooks(document)
        self.margin = Margin(document, theme, self.looks)
        self.margin.note_wanted.connect(self.show_note)
        self.margin.spoken.connect(self.say)
        self.tidy = TidyPage(document, theme, self.bench.view, self.worker)
        self.readings = ReadingsPage(document, theme, self.bench.view, self.bench.rail.span_in_hand)
        self.formulas = FormulasPage(document, theme, self.bench.view)
        pages: dict[str, QWidget] = {
            words.PAGE_ACCOUNT: self.margin,
            words.PAGE_TIDY: self.tidy,
            words.PAGE_READINGS: self.readings,
        }
        pages[words.PAGE_FORMULAS] = self.formulas
        self.verdicts = VerdictLines(document)
        self.verdicts.chosen.connect(self.show_account)
        self.pages = MarginColumn(self.verdicts, pages)
        self.trends_controller = TrendsController(document, theme)
        self.models_controller = ModelsController(document, theme)
        self.bench_actions = BenchActions(
            document, self.bench, self.worker, lambda: self.show_stage(words.BENCH)
        )

    def _connect_document(self) -> None:
        document = self.document
        self.statusBar().addWidget(self.note_label, 1)
        self.following = QPushButton()
        self.following.setObjectName("following")
        self.following.setToolTip(words.FOLLOW_STOP)
        self.following.hide()
        self.following.clicked.connect(self.pattern_controller.stop_following)
        self.pattern_controller.followed.connect(self._show_followed)
        self.statusBar().addPermanentWidget(self.following)
        self.statusBar().addPermanentWidget(self.file_label)
        self.statusBar().setSizeGripEnabled(False)
        self.statusBar().messageChanged.connect(lambda _text: self._share_status_line())
        self._verdict_pause = once_after(self, 150, self._ask_verdicts)
        self.bench.mark_spans.connect(self.bench_actions.mark_spans)
        self.bench.spoken.connect(self.say)
        self.ledger.spoken.connect(self.say)
        for signal in (document.changed, document.selected, document.saved):
            signal.connect(self._follow)
        document.changed.connect(self._verdict_pause.start)
        document.changed.connect(self._look_ahead)
        document.selected.connect(self._look_ahead)
        self.bench.view.turned.connect(self._look_ahead)

    # -- layout ------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        strip = QWidget()
        strip.setObjectName("stageStrip")
        row = QHBoxLayout(strip)
        row.setContentsMargins(8, 0, 8, 0)
        row.setSpacing(0)
        self.stage_buttons: dict[str, QToolButton] = {}
        group = QButtonGroup(self)
        for name, key in STAGE_KEYS.items():
            button = QToolButton()
            button.setText(name)
            button.setCheckable(True)
            button.setToolTip(f"{name} (Alt+{key})")
            button.clicked.connect(lambda _checked, stage=name: self.show_stage(stage))
            group.addButton(button)
            self.stage_buttons[name] = button
            row.addWidget(button)
        row.addStretch(1)
        self.stages = QStackedWidget()
        self.stages.setObjectName("stage")
        self.stages.addWidget(self.bench)
        self.stages.addWidget(self.ledger)
        self.empty = EmptyStage()
        self.open_button, self.demo_button = self.empty.open_button, self.empty.demo_button
        self.open_button.clicked.connect(lambda: self.project_files.ask_open())
        self.demo_button.clicked.connect(lambda: self.project_files.open_demo())
        self.stages.addWidget(self.empty)
        middle = QVBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(strip)
        middle.addWidget(self.stages, 1)
        whole = QWidget()
        columns = QHBoxLayout(whole)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(0)
        columns.addWidget(self.shelf)
        columns.addLayout(middle, 1)
        columns.addWidget(self.pages)
        self._columns = columns
        self.setCentralWidget(whole)
        self._stage = words.BENCH

    def show_stage(self, name: str) -> None:
        """Put one stage in front."""
        self._stage = name
        self.stage_buttons[name].setChecked(True)
        self._follow()
        self.stage_shown.emit()

    def show_page(self, name: str) -> None:
        """Put the bench in front, with one page of the margin."""
        self.show_stage(words.BENCH)
        self.pages.show_page(name)

    @property
    def trends(self) -> "TrendsStage":
        """The trends stage; it is made when it is first needed."""
        controller = self.trends_controller
        if not controller.built:
            stage = controller.stage
            self.stages.addWidget(stage)
            self._columns.addWidget(controller.margin)
            stage.trial_wanted.connect(self.show_trial)
            stage.bench_wanted.connect(lambda: self.show_stage(words.BENCH))
            stage.recordings_wanted.connect(lambda: self.import_controller.ask_open())
            stage.spoken.connect(self.say)
        return controller.stage

    @property
    def trend_margin(self) -> "TrendMargin":
        """The margin beside the trends."""
        return self.trends_controller.margin

    @property
    def trends_state(self) -> "TrendsState":
        """The table and the trend as they are known."""
        return self.trends_controller.state

    @property
    def models(self) -> "ModelsStage":
        """The models stage; it is made when it is first needed."""
        controller = self.models_controller
        if not controller.built:
            stage = controller.stage
            self.stages.addWidget(stage)
            controller.actions.say = self.say
            self._columns.addWidget(controller.margin)
            stage.spoken.connect(self.say)
            stage.remove_wanted.connect(controller.actions.remove_model)
            self.bench.predictions = controller.state.predictions
            controller.state.fitted.connect(self.bench.refresh)
        return controller.stage

    def show_trial(self, trial: str) -> None:
        """Take a trial in hand and put the bench in front."""
        self.document.select(trial)
        self.show_stage(words.BENCH)

    def show_account(self, law: str) -> None:
        """Put the ledger in front, with the budget of one account."""
        self.show_stage(words.LEDGER)
        self.ledger.choose(law)

    def show_note(self, note: "Note") -> None:
        """Go to where a note of the second look lies: a stretch of time on the bench, else the
        account that shows it.
        """
        place, entry = note.place, self.document.entry
        if entry is None:
            return
        if place.ledger and not place.span:
            self.show_account(place.ledger)
            return
        self.show_stage(words.BENCH)
        self.bench.show_place(place.body, place.span, place.t0, place.t1)

    def _follow(self) -> None:
        """Follow the document: stage, title, status line and menus."""
        entry = self.document.entry
        intake = self._stage == words.INTAKE
        if intake:
            self._show_intake()
        else:
            if self._stage == words.TRENDS:
                stage: QWidget = self.trends
            elif self._stage == words.MODELS:
                stage = self.models
            else:
                stage = {words.BENCH: self.bench, words.LEDGER: self.ledger}[self._stage]
            self.stages.setCurrentWidget(stage if entry else self.empty)
        self.stage_buttons[self._stage].setChecked(True)
        self.shelf.setVisible("shelf" in self._panes)
        trends, models = self._stage == words.TRENDS, self._stage == words.MODELS
        beside = not intake and entry is not None and "margin" in self._panes
        self.pages.setVisible(beside and not trends and not models)
        if self.trends_controller.built:
            self.trend_margin.setVisible(beside and trends)
        if self.models_controller.built:
            self.models_controller.margin.setVisible(beside and models)
        self.pages.strip.setVisible(self._stage == words.BENCH)
        if self._stage != words.BENCH:
            self.pages.show_page(words.PAGE_ACCOUNT)
        if self.import_controller.built:
            self.import_controller.margin.setVisible(
                intake
                and bool(self.import_controller.desk.groups or self.import_controller.desk.editable)
                and "margin" in self._panes
            )
        self.setWindowTitle(f"{self.document.name}[*] – {words.PROGRAM}")
        self.setWindowModified(self.document.history.unsaved)
        reading = self.import_controller.desk.parsed if intake else None
        if intake:
            self._show_file_in_hand(reading)
        elif entry is not None:
            trial = entry.trial
            start, stop = (format_number(float(t), 4) for t in (trial.t[0], trial.t[-1]))
            count, many = len(trial.t), len(trial.bodies)
            bodies = words.ONE_BODY if many == 1 else words.MANY_BODIES.format(count=many)
            counted = words.SAMPLES if trial.recorded else words.MOMENTS
            said = counted.format(count=count, bodies=bodies, start=start, stop=stop)
            self.file_label.setText(
                words.STATUS_FILE.format(file=trial.provenance.file or trial.name, samples=said)
            )
            self.file_label.setToolTip("\n".join(trial.provenance.understood))
        else:
            self.file_label.setText("")
        self._share_status_line()

    def _show_file_in_hand(self, reading: "ParsedFile | None") -> None:
        """Say in the status line what file lies on the intake desk: name, size, SHA-256."""
        text = ""
        if reading is not None:
            size = fact_size(reading.size)
            text = words.SOURCE_LINE.format(
                file=reading.file, size=size, digest=reading.sha256[:12]
            )
        self.file_label.setText(text)
        self.file_label.setToolTip(reading.sha256 if reading is not None else "")

    def _show_intake(self) -> None:
        """Put the intake stage in front; it is made when it is first needed."""
        stage = self.import_controller.stage
        if self.stages.indexOf(stage) < 0:
            self.stages.addWidget(stage)
            self._columns.addWidget(self.import_controller.margin)
            self.import_controller.desk.changed.connect(self._follow)
            self.import_controller.desk.turned.connect(self._follow)
        self.stages.setCurrentWidget(stage)

    def _show_followed(self, text: str) -> None:
        self.following.setText(text and f"{text} · {words.FOLLOW_STOP}")
        self.following.setVisible(bool(text))

    def show_panes(self, names: set[str]) -> None:
        """Show these of the side panes "shelf" and "margin"; where there is room for one, the one
        asked for last.
        """
        if self.width() < NARROW and len(names) > 1:
            names = names - self._panes or {"margin"}
        self._panes = names
        self._follow()
        self.panes_changed.emit(names)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Qt: fold the shelf where there is no room for it, and bring it back where there is
        again.
        """
        super().resizeEvent(event)
        if self.width() < NARROW and len(self._panes) > 1:
            self._folded = True
            self.show_panes({"margin"})
        elif self.width() >= NARROW and self._folded:
            self._folded = False
            self.show_panes({"shelf", "margin"})

    def say(self, text: str) -> None:
        """Say something in the status line."""
        self.note_label.setText(text)
        self.note_label.setToolTip(text)
        self._share_status_line()

    def _share_status_line(self) -> None:
        """Give the file's line way to what is said, where there is no room for both."""
        bar = self.statusBar()
        text = bar.currentMessage() or self.note_label.text()
        room = bar.width() - self.file_label.sizeHint().width() - STATUS_MARGIN
        self.file_label.setVisible(not text or bar.fontMetrics().horizontalAdvance(text) <= room)

    # -- results -----------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent | None) -> None:
        """Qt: after the first picture, load what results need, on the worker."""
        super().showEvent(event)
        if not self._warm:
            self._warm = True
            self.bench.refresh()
            self.margin.refresh()
            QTimer.singleShot(FIRST_PICTURE_MS, self.prefetcher.first)

    def _look_ahead(self) -> None:
        if self.margin.results_ready:
            self.prefetcher.look()

    def _derived(self, entry: Entry | None) -> None:
        if not self.margin.results_ready:
            self._results_ready()
        elif entry is not None and entry is self.document.entry:
            for shower in (self.bench, self.margin, self.verdicts, self.readings):
                shower.refresh()

    def _results_ready(self) -> None:
        self.margin.results_ready = self.ledger.results_ready = self.bench.results_ready = True
        self.verdicts.results_ready = True
        self.bench.refresh()
        self.margin.refresh()
        self.verdicts.refresh()
        self.ledger.refresh()
        self._ask_verdicts()
        self.looks.ready = True
        self.looks.ask()
        self.project_files.offer_leftovers()

    def _ask_verdicts(self) -> None:
        project = self.document.committed
        if (
            self._background_for is not self.document.evaluator
        ):  # another project: let go of the last one's data
            self._background, self._background_for = Evaluator(), self.document.evaluator
        self.worker.run(
            "verdicts",
            partial(shelf_verdicts, project, self._background),
            self.shelf.trials.show_verdicts,
            self._worker_failed,
        )

    def _worker_failed(self, error: BaseException) -> None:
        if isinstance(error, InertianError):
            self.say(str(error))
        else:
            raise error

    # -- dropping, closing -------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Qt: files may be dropped anywhere."""
        if dropped_files(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        """Qt: say what a drop here would do."""
        pattern = self._pattern_under(event.position().toPoint())
        name = self.document.committed.entry(pattern).trial.name if pattern else ""
        self.say(words.DROP_TREATED.format(name=name) if pattern else "")

    def dragLeaveEvent(self, event: QDragLeaveEvent | None) -> None:
        """Qt: nothing would be dropped any more."""
        self.say("")

    def _pattern_under(self, place: QPoint) -> str:
        """The pattern of the series on the shelf at a place, or ""."""
        series = self.shelf.series_at(self.shelf.mapFrom(self, place))
        return self.pattern_controller.pattern_of_series(series)

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Qt: open what was dropped."""
        event.acceptProposedAction()
        self.say("")
        files = dropped_files(event.mimeData())
        pattern = self._pattern_under(event.position().toPoint())
        if pattern and not any(file.suffix.casefold() == ".inertian" for file in files):
            self.pattern_controller.treat(files, pattern)
        else:
            self.project_files.open_files(files)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Qt: ask about unsaved changes, then close."""
        if not self.import_controller.may_leave() or not self.project_files.may_leave():
            event.ignore()
            return
        self.import_controller.leave()
        self.pattern_controller.leave()
        self.looks.leave()
        self.trends_controller.leave()
        self.models_controller.leave()
        self.project_files.leave()
        self.error_reports.leave()
        event.accept()

    def use_theme(self, theme: Theme) -> None:
        """Change the theme of the whole window."""
        self.theme.become(theme)
        apply_theme(cast(QApplication, QApplication.instance()), self.theme)
        self.bench.restyle()
        self.ledger.refresh()
        if self.trends_controller.built:
            self.trends.restyle()
        if self.models_controller.built:
            self.models.restyle()
        if self.import_controller.built:
            self.import_controller.stage.restyle()
            self.import_controller.margin.refresh()
        for widget in self.findChildren(QWidget):
            widget.update()


def dropped_files(data: QMimeData) -> list[Path]:
    """Return the local files of a drop."""
    return [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
