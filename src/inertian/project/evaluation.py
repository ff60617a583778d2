"""From a project to results: lazy, cached, and only what a change touches is computed anew."""

import weakref
from collections import OrderedDict
from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, field, replace
from typing import TypeVar

import numpy as np

from inertian.motion.derivatives import LocalVelocity, local_velocity
from inertian.motion.freemotion import BodyFit, FreeMotion, fit_body, shared_deceleration
from inertian.motion.noise import Noise, estimate_noise
from inertian.motion.spans import Span
from inertian.motion.trials import Trial
from inertian.physics.collisions import AccountError, CollisionReadings, Glide, glide_of, read_collision
from inertian.physics.ledger import ENERGY, Accounts, draw_up
from inertian.physics.verdicts import Expectation
from inertian.project.project import READING_NOISE, RESTITUTION, Entry, Project
from inertian.quantities.errors import InertianError

CACHED = 256  # results kept; each is a few kB

Result = TypeVar("Result")


@dataclass(frozen=True, eq=False)
class SeriesResult:
    """What the trials of a series tell together: fits per trial and side, noise, shared decelerations.

    `refused` holds, by trial id, why a trial's spans could not be fitted.
    """

    before: dict[str, tuple[BodyFit, ...]]
    after: dict[str, tuple[BodyFit, ...]]
    noise: Noise
    glide: Glide
    refused: dict[str, InertianError] = field(default_factory=dict)

    def noise_of(self, trial: str) -> Noise:
        """Return the noise for one trial: the series', or its own scatter where a span holds more than free motion."""
        own = [float(np.sqrt(f.sum_of_squares / f.dof)) for b in self.fits(trial) if b.stray for f in b.fits.values()]
        return replace(self.noise, reading=max([self.noise.reading, *own]))

    def fits(self, trial: str) -> tuple[BodyFit, ...]:
        """Return all fits of one trial, before and after."""
        return (*self.before.get(trial, ()), *self.after.get(trial, ()))


def _dependable(groups: list[tuple[BodyFit, ...]]) -> list[tuple[BodyFit, ...]]:
    """The spans that noise and decelerations are estimated from: those in which nothing happened, if there are any.

    One span that reaches across a hit must not spoil the numbers of the whole series.
    """
    return [group for group in groups if not any(fit.stray for fit in group)] or groups


class Evaluator:
    """Computes results of a project and remembers them, by the identity of what they depend on.

    Trials are held weakly: closing a project frees its data. Not for use from two threads at once.
    """

    def __init__(self) -> None:
        self._by_trial: weakref.WeakKeyDictionary[Trial, OrderedDict[Hashable, object]] = weakref.WeakKeyDictionary()
        self._series: OrderedDict[Hashable, tuple[tuple[weakref.ref[Trial], ...], SeriesResult]] = OrderedDict()
        self._accounts: OrderedDict[Hashable, tuple[SeriesResult, Accounts | InertianError]] = OrderedDict()

    def _of_trial(self, trial: Trial, key: Hashable, compute: Callable[[], Result]) -> Result:
        cache = self._by_trial.setdefault(trial, OrderedDict())
        if key in cache:
            cache.move_to_end(key)
        else:
            cache[key] = compute()
            if len(cache) > CACHED:
                cache.popitem(last=False)
        return cache[key]  # type: ignore[return-value]

    def fit(self, trial: Trial, body: str, span: Span, model: FreeMotion) -> BodyFit:
        """Return one body's fit over one free span. Raises TooFewSamplesError."""
        parabola = model is FreeMotion.PARABOLA
        key = ("fit", body, span, parabola)
        return self._of_trial(trial, key, lambda: fit_body(trial, body, span, model))

    def resolution(self, trial: Trial) -> float:
        """Return the coarsest step of a trial's position channels, in m."""
        channels = [c for b in trial.bodies for c in b.channels]
        return self._of_trial(trial, "resolution", lambda: max(c.resolution for c in channels))

    def velocity(self, trial: Trial, body: str, axis: str, walls: tuple[float, ...]) -> LocalVelocity:
        """Return the local velocity of one channel, never across a wall."""
        x = trial.body(body).channel(axis).si
        return self._of_trial(trial, ("velocity", body, axis, walls), lambda: local_velocity(trial.t, x, walls))

    def series(self, project: Project, name: str) -> SeriesResult:
        """Return what the trials of one series tell together."""
        entries, settings = project.entries_of(name), project.series_named(name)
        typed = project.fact(READING_NOISE, entries[0]) if entries else None
        given = typed[1].si if typed else None
        key = (name, settings.motion, given, tuple((id(e.trial), e.spans) for e in entries))
        known = self._series.get(key)
        if known and all(ref() is e.trial for ref, e in zip(known[0], entries, strict=True)):
            self._series.move_to_end(key)
            return known[1]
        result = self._evaluate(entries, settings.motion, settings.scope, given)
        self._series[key] = (tuple(weakref.ref(e.trial) for e in entries), result)
        if len(self._series) > CACHED // 8:
            self._series.popitem(last=False)
        return result

    def _evaluate(self, entries: Sequence[Entry], model: FreeMotion, scope: str, given: float | None) -> SeriesResult:
        before: dict[str, tuple[BodyFit, ...]] = {}
        after: dict[str, tuple[BodyFit, ...]] = {}
        refused: dict[str, InertianError] = {}
        for entry in entries:
            trial, spans = entry.trial, entry.spans
            try:
                for side, span in ((before, spans.before), (after, spans.after)):
                    if span is not None:
                        side[trial.id] = tuple(self.fit(trial, b.name, span, model) for b in trial.bodies)
            except InertianError as error:
                refused[trial.id] = error
                before.pop(trial.id, None)
        groups = _dependable([*before.values(), *after.values()])
        values: dict[str, float] = {}
        if model is FreeMotion.GLIDE:
            for body in dict.fromkeys(f.body for group in groups for f in group):
                found = shared_deceleration([f for g in groups for f in g if f.body == body and f.moving])
                if found is not None:
                    values[body] = found
        resolution = max((self.resolution(e.trial) for e in entries), default=0.0)
        noise = estimate_noise(groups, values, resolution, given)
        return SeriesResult(before, after, noise, glide_of(groups, values, noise, scope), refused)

    def accounts(self, project: Project, trial: str) -> Accounts | InertianError:
        """Return the ledgers of one trial, or the reason why there are none."""
        entry = project.entry(trial)
        series = self.series(project, entry.series)
        expectations = project.series_named(entry.series).expectations
        e = project.fact(RESTITUTION, entry) if expectations.get(ENERGY) is Expectation.GIVEN_E else None
        masses = project.masses(entry)
        key = (id(series), trial, entry.spans, tuple(masses.items()), tuple(expectations.items()), e)
        known = self._accounts.get(key)
        if known and known[0] is series:
            self._accounts.move_to_end(key)
            return known[1]
        result: Accounts | InertianError
        try:
            readings = self._readings(project, entry, series)
            result = draw_up(readings, expectations)
        except InertianError as error:
            result = error
        self._accounts[key] = (series, result)
        if len(self._accounts) > CACHED:
            self._accounts.popitem(last=False)
        return result

    def _readings(self, project: Project, entry: Entry, series: SeriesResult) -> CollisionReadings:
        trial, spans = entry.trial, entry.spans
        if spans.contact is None or spans.before is None or spans.after is None:
            raise AccountError(trial.name, "The spans before, contact and after are not marked yet.")
        if trial.id in series.refused:
            raise series.refused[trial.id]
        given = project.series_named(entry.series).expectations.get(ENERGY) is Expectation.GIVEN_E
        return read_collision(
            trial,
            spans.contact,
            series.before[trial.id],
            series.after[trial.id],
            project.masses(entry),
            series.noise_of(trial.id),
            series.glide,
            project.fact(RESTITUTION, entry) if given else None,
        )
