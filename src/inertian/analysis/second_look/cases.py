"""A case: one trial with all that the rules of the second look ask about it."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.series_results import SeriesResult
from inertian.motion.fits.free_motion import BodyFit, FreeMotion
from inertian.motion.numerics.outliers import robust_scatter
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.motion.spans.spans import Span
from inertian.physics.accounts.events import Event
from inertian.physics.accounts.ledger import Accounts
from inertian.project.project import Entry, Project
from inertian.quantities.errors import InertianError
from inertian.quantities.estimates import Array, Rows

LEAST_READINGS = 8
OF_READINGS = 0.6  # distinct readings among all, above which there is no step
SAME_READING = 1e-9  # of the range, by which equal readings differ by rounding


@dataclass(frozen=True, eq=False)
class Samples:
    """The samples of one channel that count: times in s and values in SI, shape (n,); rows are
    those of the trial, step is that of the recording (0 if none), sigma the noise about
    neighbouring readings, at least step/√12.
    """

    body: str
    channel: Channel
    rows: Rows
    t: Array
    x: Array
    step: float
    sigma: float

    @property
    def axis(self) -> str:
        """The axis of the channel."""
        return self.channel.axis


@dataclass(frozen=True, eq=False)
class Case:
    """One trial of a project, and what is known of it; everything is worked out when asked for."""

    project: Project
    entry: Entry
    evaluator: Evaluator

    @property
    def id(self) -> str:
        """The id of the trial."""
        return self.entry.trial.id

    @cached_property
    def trial(self) -> Trial:
        """The samples that count, in the frame."""
        return self.entry.used_trial

    @cached_property
    def series(self) -> SeriesResult:
        """What its series tells. Raises InertianError."""
        return self.evaluator.series(self.project, self.entry.series)

    @cached_property
    def event(self) -> Event:
        """What happens in the trial."""
        return self.evaluator.event(self.project, self.entry)

    @cached_property
    def accounts(self) -> Accounts | None:
        """Its accounts, or None where there are none."""
        try:
            found = self.evaluator.accounts(self.project, self.id)
        except InertianError:
            return None
        return found if isinstance(found, Accounts) else None

    @cached_property
    def positions(self) -> tuple[Samples, ...]:
        """All position channels that change, each with its readings."""
        found = [self._samples(b, c) for b in self.trial.followed for c in b.channels]
        return tuple(one for one in found if one is not None)

    @cached_property
    def sensors(self) -> tuple[Samples, ...]:
        """All channels of sensors that change."""
        found = [self._samples(b, c) for b in self.trial.bodies for c in b.sensors]
        return tuple(one for one in found if one is not None)

    def _samples(self, body: Body, channel: Channel) -> Samples | None:
        key = ("samples", body.name, channel.axis)
        return self.evaluator.remembered(self.trial, key, lambda: self._made(body, channel))

    def _made(self, body: Body, channel: Channel) -> Samples | None:
        rows = np.flatnonzero(np.isfinite(channel.si))
        if len(rows) < LEAST_READINGS or channel.constant:
            return None
        t, x = self.trial.t[rows], channel.si[rows]
        step = max(channel.resolution, _step_of(x))
        sigma = max(robust_scatter(t, x), step / np.sqrt(12.0))
        return Samples(body.name, channel, rows, t, x, step, sigma)

    def steady(self, body: str) -> Iterator[tuple[Span, BodyFit]]:
        """Yield the steady spans of a body with a parabola through each, in order of time."""
        for span in self.entry.spans.of(body).in_order():
            if span.kind.steady:
                try:
                    yield (
                        span,
                        self.evaluator.fit(self.trial, body, span, FreeMotion.PARABOLA, alone=True),
                    )
                except InertianError:
                    continue


def _step_of(x: Array) -> float:
    """The step between readings that repeat, also if it is no decimal, as pixels times a scale;
    else 0.
    """
    known = np.unique(x)
    apart = np.diff(known)
    apart = apart[apart > SAME_READING * float(np.ptp(x))]
    if not apart.size or apart.size > OF_READINGS * len(x):
        return 0.0
    return float(apart.min())
