"""Files treated like a trial that is a pattern: dropped, chosen, or appearing in a folder."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from threading import Event
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QWidget

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.followed_folders import FollowedFolder, all_files
from inertian.desktop.intake.import_controller import warmed
from inertian.desktop.intake.pattern_dialog import PatternDialog, counted
from inertian.desktop.look import words
from inertian.desktop.state.document import Document
from inertian.desktop.state.worker import Worker
from inertian.project.edits import pattern_set
from inertian.project.history import Edit
from inertian.project.project import Entry, Project

if TYPE_CHECKING:
    from inertian.analysis.batch_treatment import Doubt

POLL_MS = 1000  # between two looks at a folder that is followed
FEW_FILES = 6  # files that one process reads as fast as two, which have to start first
PROCESSES = 2


@dataclass(frozen=True, eq=False)
class Outcome:
    """What became of files: the edit that adds their trials, what is doubtful, who was refused."""

    before: Project
    edit: Edit
    doubts: "tuple[Doubt, ...]"
    refused: tuple[tuple[str, str], ...]
    known: Evaluator


def treat_files(
    project: Project,
    trial: str,
    paths: Sequence[Path],
    progress: Callable[[int], None],
    cancelled: Callable[[], bool],
    shown: str = "",
) -> Outcome | None:
    """Treat files like a trial, several processes at once where there are many; None when it is
    cancelled. `shown` is the trial in hand, which changes with its series.
    """
    from inertian.analysis.batch_treatment import doubts_of
    from inertian.analysis.pattern_files import pattern_of, treated_file, with_treated
    from inertian.analysis.processes import Processes

    pattern, treated = pattern_of(project, trial), []
    with Processes(PROCESSES if len(paths) > FEW_FILES else 1, pattern) as pool:
        for one in pool.each(treated_file, paths):
            treated.append(one)
            progress(len(treated))
            if cancelled():
                return None
    new, told = with_treated(project, pattern, treated)
    evaluator = warmed(new, project, shown or trial) if told else Evaluator()
    doubts = doubts_of(new, {t: problems for t, (_, problems) in told.items()}, Evaluator())
    refused = [(Path(o.file).name, o.refused.text) for o in treated if o.refused is not None]
    name = words.TREAT_FILES_EDIT.format(count=counted(len(told)), name=pattern.entry.trial.name)
    made = Edit(name, new if told else project)
    return None if cancelled() else Outcome(project, made, doubts, tuple(refused), evaluator)


class PatternController(QObject):
    """Everything between files and the trials that are treated like a pattern."""

    _progress = pyqtSignal(int)
    followed = pyqtSignal(str)  # the folder that is followed now; "" for none

    def __init__(self, window: QWidget, say: Callable[[str], None], document: Document) -> None:
        super().__init__(window)
        self._window, self._say, self._document = window, say, document
        self._worker = Worker()
        self._watch_worker = Worker()
        self._cancelled = Event()
        self.dialog: PatternDialog | None = None
        self._folder: Path | None = None
        self._trial = ""
        self._waiting: list[Path] = []  # files of the folder that are not treated yet
        self._busy = False
        self._timer = QTimer(self)
        self._timer.setInterval(POLL_MS)
        self._timer.timeout.connect(self._look_into_folder)
        self._watch: FollowedFolder | None = None
        self._knows = document.evaluator
        document.changed.connect(self._same_project)

    # -- the pattern -------------------------------------------------------------------------------

    def make_pattern(self) -> None:
        """Let the trial in hand be the pattern of its series."""
        entry = self._usable()
        if entry is not None:
            self._document.do(pattern_set(self._document.committed, entry.trial.id))
            self._say(words.PATTERN_MADE.format(name=entry.trial.name))

    def pattern_of_series(self, series: str) -> str:
        """Return the id of the trial that is the pattern of a series, or ""."""
        project = self._document.committed
        for one in project.series:
            if one.name == series and any(e.trial.id == one.pattern for e in project.entries):
                return one.pattern
        return ""

    def _usable(self) -> Entry | None:
        entry = self._document.entry
        if entry is None:
            self._say(words.NO_PATTERN)
        elif not entry.spans and entry.trial.followed:
            self._say(words.NOT_MARKED.format(name=entry.trial.name))
            return None
        return entry

    # -- files -------------------------------------------------------------------------------------

    def ask_files(self) -> None:
        """Ask for files to treat like the trial in hand."""
        entry = self._usable()
        if entry is None:
            return
        title = words.TREAT_FILES.replace("&", "").rstrip("…")
        names, _ = QFileDialog.getOpenFileNames(self._window, title, "", words.FILE_FILTER)
        if names:
            self.treat([Path(name) for name in names], entry.trial.id)

    def treat(self, paths: Sequence[Path], trial: str) -> None:
        """Treat files, and the files of folders, like a trial; one edit, with progress."""
        try:
            files = all_files(paths)
        except OSError as error:
            self._say(words.FOLDER_GONE.format(folder=error.filename))
            return
        if self._busy:
            self._say(words.TREAT_FILES_BUSY)
        if not files or self._busy:
            return
        name = self._document.committed.entry(trial).trial.name
        dialog = self.dialog = PatternDialog(self._window, name, len(files))
        self._cancelled = Event()
        dialog.stopped.connect(self._stop)
        dialog.wanted.connect(self._document.select)
        self._progress.connect(dialog.show_progress)
        self._run(files, trial, self._show_outcome)
        dialog.open()

    def _run(
        self, files: Sequence[Path], trial: str, then: Callable[[Outcome | None], None]
    ) -> None:
        self._busy = True
        stop = self._cancelled

        def done(made: Outcome | None) -> None:
            self._busy = False
            if made is not None and made.before is not self._document.committed:
                # Something was changed meanwhile: do it on top of that
                if self._document.committed.find(trial) is not None:
                    self._run(files, trial, then)
                    return
                made = None  # the pattern is gone
            then(made)

        work = partial(
            treat_files,
            self._document.committed,
            trial,
            files,
            self._progress.emit,
            stop.is_set,
            self._document.entry.trial.id if self._document.entry else "",
        )
        self._worker.run("treat files", work, done, self._failed)

    def _take_over(self, made: Outcome) -> list[tuple[str, str, Sequence[str]]]:
        """Make the edit; return the trials that need a look."""
        self._document.evaluator.adopt(made.known)
        doubtful = {d.trial: d.reasons for d in made.doubts if d.reasons}
        self._document.doubts = {**self._document.doubts, **doubtful}
        self._document.do(made.edit, show_new=False)
        names = {e.trial.id: e.trial.name for e in made.edit.project.entries}
        return [(trial, names[trial], reasons) for trial, reasons in doubtful.items()]

    def _show_outcome(self, made: Outcome | None) -> None:
        dialog = self.dialog
        if made is None or dialog is None:
            self._say(words.TREAT_FILES_STOPPED)
            if dialog is not None:
                dialog.accept()
            return
        doubtful = self._take_over(made)
        dialog.show_outcome(len(made.doubts), doubtful, made.refused)

    def _stop(self) -> None:
        self._cancelled.set()
        self._say(words.TREAT_FILES_STOPPED)

    def _failed(self, error: BaseException) -> None:
        self._busy = False
        if self.dialog is not None:
            self.dialog.accept()
        raise error

    # -- a folder ----------------------------------------------------------------------------------

    def ask_folder(self) -> None:
        """Ask for a folder whose new files are treated like the trial in hand."""
        entry = self._usable()
        if entry is None:
            return
        title = words.FOLLOW_FOLDER.replace("&", "").rstrip("…")
        name = QFileDialog.getExistingDirectory(self._window, title)
        if name:
            self.follow(Path(name), entry.trial.id)

    def follow(self, folder: Path, trial: str) -> None:
        """Take in the files of a folder that are not there yet, and those that appear from now on,
        as trials that are treated like one.
        """
        self._folder, self._trial, self._knows = folder, trial, self._document.evaluator
        entries = self._document.committed.entries
        there = {
            o.sha256 for e in entries for o in (e.trial.provenance, *e.trial.provenance.others)
        }
        self._watch, self._waiting = FollowedFolder(folder, there=there), []
        self._timer.start()
        self.followed.emit(words.FOLLOWING.format(folder=folder.name))

    def stop_following(self) -> None:
        """Follow the folder no longer; what came in stays."""
        if self._folder is None:
            return
        self._timer.stop()
        self._say(words.FOLLOW_ENDED.format(folder=self._folder.name))
        self._folder = None
        self.followed.emit("")

    def _same_project(self) -> None:
        """Another project, or one without the pattern, ends it."""
        if self._folder is None:
            return
        there = any(e.trial.id == self._trial for e in self._document.committed.entries)
        if self._document.evaluator is not self._knows or not there:
            self.stop_following()

    def _look_into_folder(self) -> None:
        watch, folder = self._watch, self._folder
        if folder is None or self._busy or watch is None:
            return
        if not folder.is_dir():
            self._say(words.FOLDER_GONE.format(folder=folder.name))
            return

        def came(paths: list[Path]) -> None:
            if self._folder is not folder:
                return
            self._waiting += paths  # what is dropped meanwhile goes first
            if self._waiting and not self._busy:
                self._cancelled = Event()
                files, self._waiting = self._waiting, []
                self._run(files, self._trial, self._came_in)

        self._watch_worker.run("folder", watch.new_files, came, self._failed)

    def _came_in(self, made: Outcome | None) -> None:
        if made is None or self._folder is None:
            return
        if made.doubts:
            doubtful = self._take_over(made)
            text = words.FOLLOW_CAME_LOOK if doubtful else words.FOLLOW_CAME
            self._say(
                text.format(
                    count=counted(len(made.doubts)),
                    folder=self._folder.name,
                    look=counted(len(doubtful)),
                )
            )
        for file, why in made.refused:
            self._say(words.FOLLOW_REFUSED.format(file=file, why=why))

    # -- the end -----------------------------------------------------------------------------------

    def leave(self) -> None:
        """Stop; the window closes."""
        self._timer.stop()
        self._cancelled.set()
        self._worker.stop()
        self._watch_worker.stop()
