"""Works out on the worker what a trial shows before it is chosen, those next to the one in hand
first.
"""

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import QObject

from inertian.analysis.evaluation import Evaluator
from inertian.desktop.state.document import Document, Drawn
from inertian.desktop.state.view_state import ViewState
from inertian.desktop.state.worker import Worker
from inertian.motion.numerics.window_selection import LONG_RECORDING
from inertian.physics.definitions.requests import ADDS_UP, TOTAL
from inertian.project.project import Entry, Project

NEAR, NEAR_LONG = 4, 1  # trials on either side of the one in hand that are worked out ahead


def prefetch_trial(
    evaluator: Evaluator,
    project: Project,
    entry: Entry | None,
    strips: Sequence[Drawn],
) -> Evaluator:
    """Load what results need, and work out what some strips show of a trial, by local fits or the
    differences they are set to, with an evaluator of the worker's own.
    """
    import scipy.special  # noqa: F401 - the first import takes long; not before the first picture

    for shown, method in strips if entry is not None else ():
        bodies = [body.name for body in entry.trial.followed]
        if shown.quantity in ADDS_UP and len(bodies) > 1:
            bodies.append(TOTAL)
        for body in bodies:
            if method and body != TOTAL:
                evaluator.differences(project, entry, shown, body, method)
            else:
                evaluator.band(project, entry, shown, body)
    return evaluator


class Prefetcher(QObject):
    """Derives one trial after the other while the worker has nothing else to do; `arrived` is
    called after each.
    """

    def __init__(
        self,
        document: Document,
        worker: Worker,
        view: ViewState,
        arrived: Callable[[Entry | None], None],
        failed: Callable[[BaseException], None],
    ) -> None:
        super().__init__()
        self._document, self._worker = document, worker
        self._view, self._arrived, self._failed = view, arrived, failed

    def first(self) -> None:
        """Work out what the trial in hand shows, or, without one, load what results will need."""
        self._work(self._document.entry)

    def look(self) -> None:
        """Work out the next trial that is not known yet, if there is one near the one in hand."""
        entry = self._next()
        if entry is not None:
            self._work(entry)

    def _work(self, entry: Entry | None) -> None:
        project, evaluator = self._document.committed, self._document.evaluator
        strips = self._strips()
        work = partial(prefetch_trial, evaluator.fork(), project, entry, strips)
        came = partial(self._came, project, entry, strips, evaluator)
        self._worker.run("ahead", work, came, self._failed)

    def _came(
        self,
        project: Project,
        entry: Entry | None,
        strips: Sequence[Drawn],
        asked_by: Evaluator,
        found: Evaluator,
    ) -> None:
        document = self._document
        if document.evaluator is asked_by:  # else another project was opened meanwhile
            document.evaluator.adopt(found)
            if entry is not None:
                document.mark_derived(project, entry, strips)
        self._arrived(entry)
        self.look()

    def _next(self) -> Entry | None:
        entries, now = self._document.committed.entries, self._document.entry
        here = next(
            (k for k, e in enumerate(entries) if now is not None and e.trial.id == now.trial.id),
            None,
        )
        if here is None:
            return None
        for away in range(NEAR + 1):
            for k in (here + away, here - away):
                if not 0 <= k < len(entries) or self._known(entries[k], away == 0):
                    continue
                if away <= NEAR_LONG or len(entries[k].trial.t) <= LONG_RECORDING:
                    return entries[k]
        return None

    def _strips(self) -> list[Drawn]:
        return [self._view.drawn(shown) for shown in self._view.shown_strips()]

    def _known(self, entry: Entry, in_hand: bool) -> bool:
        """Whether a trial is derived; of the one in hand, as it is marked and shown now."""
        if in_hand and len(entry.trial.t) > LONG_RECORDING:
            return not self._document.awaits(entry, *self._strips())
        return entry.used_trial in self._document.known
