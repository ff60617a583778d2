"""The second look beside the window: asked anew after each change, on a thread of its own."""

from collections.abc import Mapping, Sequence
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal

from inertian.analysis.evaluation import Evaluator
from inertian.desktop.state.background_state import BackgroundState
from inertian.desktop.state.document import Document
from inertian.desktop.state.timers import once_after
from inertian.project.project import Project

if TYPE_CHECKING:
    from inertian.analysis.second_look.notes import Note
    from inertian.analysis.second_look.tidied_first import SeenSamples

PAUSE_MS = 350  # after a change, until what it means is looked at
MOST_AT_ONCE = 60  # trials of a series that are all looked at; of more, only the one in hand


class _Looker:
    """Looks at trials on the worker's thread, and remembers what it saw of them."""

    def __init__(self) -> None:
        self._evaluator = Evaluator()
        self._seen: SeenSamples | None = None

    def look(self, project: Project, trials: Sequence[str]) -> "Mapping[str, tuple[Note, ...]]":
        """Return the notes on some trials."""
        # Rules are not loaded before the first picture
        from inertian.analysis.second_look.look import second_look
        from inertian.analysis.second_look.tidied_first import SeenSamples

        self._seen = self._seen or SeenSamples()
        return second_look(project, self._evaluator, trials, self._seen)


class SecondLooks(BackgroundState):
    """Notes on trials by id, as far as they are known; `changed` when there are others."""

    changed = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.notes: Mapping[str, tuple[Note, ...]] = {}  # that are true of the trials as they are
        self._found: Mapping[str, tuple[Note, ...]] = {}  # in the project they were asked for
        self.known_for: Project | None = None  # the value that the notes are about
        self._asked: set[str] = set()  # the trials that they are about
        self._knows, self._looker = document.evaluator, _Looker()
        self._pause = once_after(self, PAUSE_MS, self._ask)
        self.ready = False  # the first picture does not wait for it
        document.changed.connect(self.ask)
        document.selected.connect(self.ask)

    def ask(self) -> None:
        """Look again soon; notes that a change may have made untrue are not shown meanwhile."""
        if not self.ready:
            return
        self._show()
        self._pause.start()

    def _show(self) -> None:
        """Show what was found, of trials that are as they were."""
        same = self.known_for is self._document.committed
        now = {t: n for t, n in self._found.items() if same or self._as_it_was(t)}
        if now != self.notes:
            self.notes = now
            self.changed.emit()

    def _as_it_was(self, trial: str) -> bool:
        """Whether a trial is the same value as when it was looked at."""
        if self.known_for is None or self.known_for.setup != self._document.committed.setup:
            return False
        now = [e for e in self._document.committed.entries if e.trial.id == trial]
        return any(e is one for e in self.known_for.entries for one in now)

    def _ask(self) -> None:
        project, entry = self._document.committed, self._document.entry
        if entry is None:
            self._found, self.known_for = {}, project
            self._show()
            return
        if self._knows is not self._document.evaluator:  # another project: let the last one go
            self._knows, self._looker = self._document.evaluator, _Looker()
            self._found = {}
        trials = [e.trial.id for e in project.entries_of(entry.series)]
        if len(trials) > MOST_AT_ONCE:
            trials = [entry.trial.id]
        if self.known_for is project and set(trials) <= self._asked:
            return
        work = partial(self._looker.look, project, trials)
        self._worker.run("look", work, partial(self._came, project, trials), self._failed)

    def _came(
        self, project: Project, trials: list[str], found: "Mapping[str, tuple[Note, ...]]"
    ) -> None:
        if project is not self._document.committed:
            return
        others = {} if self.known_for is not project else dict(self._found)
        self._asked = set(trials) | (self._asked if self.known_for is project else set())
        self._found = {**{t: n for t, n in others.items() if t not in trials}, **found}
        self.known_for = project
        self._show()
