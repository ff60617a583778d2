"""Works out on the worker what a trial shows before it is chosen, those next to the one in hand
first.
"""

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import QObject

from inertian.analysis.evaluation import Evaluator
from inertian.desktop.state.document import Document
from inertian.desktop.state.worker import Worker
from inertian.motion.numerics.window_selection import LONG_RECORDING
from inertian.physics.definitions.requests import QuantityRef
from inertian.project.project import Entry, Project

NEAR, NEAR_LONG = 4, 1  # trials on either side of the one in hand that are worked out ahead


def prefetch_trial(
    project: Project, entry: Entry | None, strips: Sequence[QuantityRef]
) -> Evaluator:
    """Load what results need, and work out what some strips show of a trial, with an evaluator of
    its own.
    """
    import scipy.special  # noqa: F401 - the first import takes long; not before the first picture

    evaluator = Evaluator()
    for shown in strips if entry is not None else ():
        for body in entry.trial.followed:
            evaluator.band(project, entry, shown, body.name)
    return evaluator


class Prefetcher(QObject):
    """Derives one trial after the other while the worker has nothing else to do; `arrived` is
    called after each.
    """

    def __init__(
        self,
        document: Document,
        worker: Worker,
        strips: Callable[[], Sequence[QuantityRef]],
        arrived: Callable[[Entry | None], None],
        failed: Callable[[BaseException], None],
    ) -> None:
        super().__init__()
        self._document, self._worker = document, worker
        self._strips, self._arrived, self._failed = strips, arrived, failed

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
        work = partial(prefetch_trial, project, entry, self._strips())
        self._worker.run("ahead", work, partial(self._came, entry, evaluator), self._failed)

    def _came(self, entry: Entry | None, asked_by: Evaluator, found: Evaluator) -> None:
        document = self._document
        if document.evaluator is asked_by:  # else another project was opened meanwhile
            document.evaluator.adopt(found)
            if entry is not None:
                document.known.add(entry.used_trial)
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
                if not 0 <= k < len(entries) or entries[k].used_trial in self._document.known:
                    continue
                if away <= NEAR_LONG or len(entries[k].trial.t) <= LONG_RECORDING:
                    return entries[k]
        return None
