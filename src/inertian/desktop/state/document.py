"""The open project as the window sees it: one value, its history, and the edit that a drag is
making.
"""

from collections.abc import Iterable
from pathlib import Path
from weakref import WeakKeyDictionary, WeakSet

from PyQt6.QtCore import QObject, pyqtSignal

from inertian.analysis.evaluation import Evaluator
from inertian.motion.numerics.window_selection import LONG_RECORDING
from inertian.motion.recording.trials import Trial
from inertian.physics.definitions.requests import QuantityRef
from inertian.physics.evaluation.trial_context import TrialContext
from inertian.project.history import Edit, History
from inertian.project.project import Entry, Project

Drawn = tuple[QuantityRef, str | None]  # what a strip shows, and the differences it is by, if any


class Document(QObject):
    """Holds the current project; widgets show it and ask for edits.

    Signals: `changed` after any finished change of value, `previewed` while a gesture is under way,
    `selected` when another trial is shown, `saved` when what is on disk or its name changed.
    """

    changed = pyqtSignal()
    previewed = pyqtSignal()
    selected = pyqtSignal()
    saved = pyqtSignal()

    def __init__(self, project: Project, path: Path | None = None) -> None:
        super().__init__()
        self.evaluator = Evaluator()
        self._forget_derived()
        self.history = History(project)
        self.path = path
        self._preview: Edit | None = None
        self._trial = project.entries[0].trial.id if project.entries else None
        self.doubts: dict[
            str, tuple[str, ...]
        ] = {}  # why trials that were treated like another need a look
        self.seen_doubt = ""  # the one that is being looked at

    @property
    def project(self) -> Project:
        """The value to show: the one a gesture is making, else the current one."""
        return self._preview.project if self._preview else self.history.project

    @property
    def previewing(self) -> bool:
        """Whether a gesture is under way; what only matters at rest can wait."""
        return self._preview is not None

    @property
    def committed(self) -> Project:
        """The value without the gesture under way."""
        return self.history.project

    @property
    def name(self) -> str:
        """The project's name for title and messages."""
        return self.path.stem if self.path else self.history.project.name

    @property
    def entry(self) -> Entry | None:
        """The trial in hand, or None if there is none."""
        return self.project.find(self._trial or "")

    def awaits(self, entry: Entry, *strips: Drawn) -> bool:
        """Whether a long trial, or what some strips show of it, is still being derived on the
        worker, as it counts and is marked now; shorter ones are derived when they are drawn.
        """
        if len(entry.trial.t) <= LONG_RECORDING or self.previewing:
            return False
        if entry.used_trial not in self.known:
            return True
        derived = self._derived.get(self.evaluator.trial_context(self.project, entry))
        return derived is None or not derived.issuperset(strips)

    def mark_derived(self, project: Project, entry: Entry, strips: Iterable[Drawn]) -> None:
        """Remember that what these strips show of a trial, as it is in a project, is there."""
        self.known.add(entry.used_trial)
        if len(entry.trial.t) > LONG_RECORDING:
            context = self.evaluator.trial_context(project, entry)
            self._derived.setdefault(context, set()).update(strips)

    def _forget_derived(self) -> None:
        # Trials, as they count, that were derived already; of long ones also what, and how marked
        self.known: WeakSet[Trial] = WeakSet()
        self._derived: WeakKeyDictionary[TrialContext, set[Drawn]] = WeakKeyDictionary()

    def replace(self, project: Project, path: Path | None, unsaved: bool = False) -> None:
        """Show another project with a history of its own."""
        self.history, self.path, self._preview = History(project), path, None
        self.evaluator, self.doubts = Evaluator(), {}
        self._forget_derived()
        if unsaved:
            self.history.mark_unsaved()
        self._trial = project.entries[0].trial.id if project.entries else None
        self.changed.emit()
        self.selected.emit()
        self.saved.emit()

    def select(self, trial: str) -> None:
        """Take another trial in hand."""
        if trial != self._trial:
            self.abandon()
            self._trial = trial
            self.selected.emit()

    def do(self, edit: Edit, show_new: bool = True) -> None:
        """Make a finished edit; a trial that it brings is taken in hand, if it is to be shown."""
        self._preview = None
        self.evaluator.release()
        before = {e.trial.id for e in self.history.project.entries}
        if self.history.do(edit):
            new = [e.trial.id for e in edit.project.entries if e.trial.id not in before]
            self._after_change(new[0] if new and show_new else None)

    def preview(self, edit: Edit) -> None:
        """Show what a gesture would make, without an entry in the history."""
        if self._preview is None:
            self.evaluator.hold()
        self._preview = edit
        self.previewed.emit()

    def commit(self) -> None:
        """Finish the gesture under way as one edit."""
        if self._preview is not None:
            self.do(self._preview)

    def abandon(self) -> None:
        """Drop the gesture under way; nothing happened."""
        if self._preview is not None:
            self._preview = None
            self.evaluator.release()
            self.previewed.emit()

    def undo(self) -> None:
        """Take back the last edit."""
        self.abandon()
        self.history.undo()
        self._after_change(None)

    def redo(self) -> None:
        """Repeat the edit last taken back."""
        self.abandon()
        self.history.redo()
        self._after_change(None)

    def mark_saved(self, project: Project, path: Path) -> None:
        """Remember what was written where."""
        self.path = path
        self.history.mark_saved(project)
        self.saved.emit()

    def _after_change(self, wanted: str | None) -> None:
        ids = [e.trial.id for e in self.history.project.entries]
        chosen = wanted or (self._trial if self._trial in ids else (ids[0] if ids else None))
        moved, self._trial = chosen != self._trial, chosen
        self.changed.emit()
        if moved:
            self.selected.emit()
