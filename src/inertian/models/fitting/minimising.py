"""Least squares of models beside trials: what is free in a row, residuals with their slopes, and
the way to the least sum of squares, within bounds where physics has them.

Steps are Gauss and Newton's while they help, else those of a trust region (Branch, Coleman & Li,
SIAM J. Sci. Comput. 21 (1999) 1-23).
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from inertian.models.fitting.search import first_values
from inertian.models.fitting.trial_model import TrialModel
from inertian.models.stepping.reference import ModelRunError
from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import Array, Estimate
from inertian.quantities.facts import FactId

EVALUATIONS, NO_ANSWER = 60, 1e12
# How many u away χ² is looked at; by how much it is less where other values are better; of its
# growth, below which u is too small, and how much it is widened at most
LOOKED = 2.0
CLEARLY_BETTER, FLAT, WIDEST, MOST_RESTARTS = 0.05, 0.6, 10.0, 4
DOUBTFUL = 3.0  # χ² over samples, from which another way to it is tried
MOST_SPENT = 8_000  # steps of a trial in all runs of a fit
MOST_RUNS = 60  # of a trial with a recorded force, each of whose readings is a step
MANY_SAMPLES = 5_000
STEPS_ON, SMALL_STEP = 8, 1e-6  # Gauss-Newton steps at a time, and the last one over σ
SETTLED = 1e-9  # of a step, and of the sum of squares
TOLD_APART = 1e-9  # of the largest singular value, below which parameters are not told apart
Progress = Callable[[int], bool]
Column = tuple[int, str]  # place of a trial, −1 for all, and a name in its program


class ModelFitError(Refusal):
    """A model cannot be fitted; the text says why and what to do."""


class TooManyStepsError(ModelFitError):
    """A fit took more steps than anybody waits for."""


@dataclass
class FitProblem:
    """All trials of a fit, and where in the row of free values each of theirs stands."""

    trials: Sequence[TrialModel]
    shared: frozenset[str]
    progress: Progress | None = None

    def __post_init__(self) -> None:
        self.columns: list[Column] = []
        self.column_of: dict[Column, int] = {}  # by place of the trial and name in its program
        # Of what is fixed with a ±: column, value, u, and what it is
        self.priors: list[tuple[int, float, float, Estimate]] = []
        self.first: list[float] = []
        self.least: list[float] = []
        begun = [first_values(made) for made in self.trials]
        of_facts: dict[FactId, int] = {}
        for place, made in enumerate(self.trials):
            for one in made.system.free:
                common = one.code in self.shared
                if common and (-1, one.code) in self.columns:
                    self.column_of[place, one.code] = self.columns.index((-1, one.code))
                    continue
                begin = begun if common else begun[place : place + 1]
                value = float(np.median([b[one.code] for b in begin]))
                self._add(place, one.code, value, one.least, common)
            for one in made.system.adjusted:
                fact, key = one.fact, one.key
                assert fact is not None
                assert key is not None
                if key in of_facts:  # the same fact in several trials is one error
                    self.column_of[place, one.code] = of_facts[key]
                    continue
                of_facts[key] = len(self.columns)
                stated = Estimate(fact.si, {}, {key: 1.0})
                self.priors.append((len(self.columns), fact.si, fact.u, stated))
                self._add(place, one.code, one.value, one.least, False)
            for code, (error, u) in made.force_errors.items():
                self.priors.append((len(self.columns), 0.0, u, error))
                self._add(place, code, 0.0, -np.inf, False)
            start = made.start
            for c, x, v in zip(made.system.coordinates, start.places, start.rates, strict=True):
                for name, value in ((c.place, x), (c.rate, v)):
                    if name in start.free:
                        self._add(place, name, float(value), -np.inf, False)
        samples = [s for made in self.trials for s in made.samples]
        self.sigma = np.concatenate([np.zeros(0), *(s.sigma for s in samples)])
        self.x = np.concatenate([np.zeros(0), *(s.x for s in samples)])
        corners = sum(len(r.t) for made in self.trials for r in made.system.recorded.values())
        self.allowed = MOST_SPENT * len(self.trials) + MOST_RUNS * corners
        self.last: tuple[Array, Array, Array] | None = None
        self.runs = self.spent = 0  # runs of trials, and steps of all of them

    def _add(self, place: int, name: str, value: float, least: float, common: bool) -> None:
        self.column_of[place, name] = len(self.columns)
        self.columns.append((-1 if common else place, name))
        self.first.append(value)
        self.least.append(least)

    @property
    def states(self) -> frozenset[str]:
        """The names of places and rates in the programs."""
        systems = [made.system for made in self.trials]
        return frozenset(n for s in systems for c in s.coordinates for n in (c.place, c.rate))

    def own(self, place: int, at: Array) -> dict[str, float]:
        """The free values of one trial, by name."""
        return {name: float(at[k]) for (trial, name), k in self.column_of.items() if trial == place}

    def state(self, place: int, own: Mapping[str, float]) -> tuple[Array, Array]:
        """Places and rates at the start of a trial."""
        made = self.trials[place]
        cs = made.system.coordinates
        places = [own.get(c.place, x) for c, x in zip(cs, made.start.places, strict=True)]
        rates = [own.get(c.rate, v) for c, v in zip(cs, made.start.rates, strict=True)]
        return np.array(places), np.array(rates)

    def settings(self, place: int, own: Mapping[str, float]) -> dict[str, float]:
        """The settings of a trial, by name in the program."""
        made = self.trials[place]
        states = {n for c in made.system.coordinates for n in (c.place, c.rate)}
        return made.values_of({k: v for k, v in own.items() if k not in states})

    def run(self, at: Array) -> tuple[Array, Array]:
        """Residuals over σ, and their slopes; once for the same values. Raises ModelFitError where
        the fit is stopped, TooManyStepsError, and ModelRunError.
        """
        if self.last is not None and np.array_equal(self.last[0], at):
            return self.last[1], self.last[2]
        left, slopes = np.empty(len(self.x)), np.zeros((len(self.x), len(self.columns)))
        row = 0
        for place, made in enumerate(self.trials):
            if self.progress is not None and not self.progress(self.runs):
                raise ModelFitError("The fit was stopped.")
            self.runs += 1
            own = self.own(place, at)
            rows = slice(row, row + made.count)
            names = tuple(own)
            predicted = made.predicted(self.settings(place, own), *self.state(place, own), names)
            self.spent += predicted.motion.steps
            if self.spent > self.allowed:
                raise TooManyStepsError(
                    "These forces change too fast, or too often, for a fit. Fix some of their "
                    "parameters, or choose a shorter stretch."
                )
            left[rows] = predicted.values - self.x[rows]
            for k, name in enumerate(names):
                slopes[rows, self.column_of[place, name]] = predicted.slopes[:, k]
            row += made.count
        left, slopes = left / self.sigma, slopes / self.sigma[:, None]
        left = np.append(left, self.prior_residuals(at))
        stated = np.zeros((len(self.priors), len(self.columns)))
        for k, (column, _, u, _) in enumerate(self.priors):
            stated[k, column] = 1.0 / u
        slopes = np.vstack([slopes, stated])
        self.last = at.copy(), left, slopes
        return left, slopes

    def residuals(self, at: Array, alone: bool = False) -> Array:
        """Residuals over σ, (n,), `alone` without their slopes; very large where the model cannot
        be carried on.
        """
        try:
            return self.without_slopes(at) if alone else self.run(at)[0]
        except ModelRunError:
            return np.full(len(self.x) + len(self.priors), NO_ANSWER)

    def prior_residuals(self, at: Array) -> Array:
        """How far facts that are adjusted are from what is stated of them, over u."""
        return np.array([(at[column] - value) / u for column, value, u, _ in self.priors])

    def without_slopes(self, at: Array) -> Array:
        """Residuals over σ, (n,). Raises ModelRunError."""
        values = []
        for place, made in enumerate(self.trials):
            own = self.own(place, at)
            values.append(made.predicted(self.settings(place, own), *self.state(place, own)).values)
        left = (np.concatenate([np.zeros(0), *values]) - self.x) / self.sigma
        return np.append(left, self.prior_residuals(at))

    def slopes(self, at: Array) -> Array:
        """Their slopes, (n, free)."""
        return self.run(at)[1]


def minimised(problem: FitProblem) -> tuple[Array, Array]:
    """Return the values of all that is free where the sum of squares is least, and by how much each
    u is too small at first order, both (free,). Raises ModelRunError where a model cannot be
    carried on from where the fit begins.
    """
    first, least = np.array(problem.first), np.array(problem.least)
    at, flat = first, np.ones(len(first))
    if len(at):
        at = _least_squares(problem, first, least)
        left = problem.residuals(at)
        if left @ left > DOUBTFUL * len(left):
            at = _another_way(problem, first, at, least)
        for _ in range(MOST_RESTARTS):
            better, flat = _looked_around(problem, at, least)
            if better is None:
                break
            at = _least_squares(problem, better, least)
    return at, flat


def _another_way(problem: FitProblem, first: Array, at: Array, least: Array) -> Array:
    """Return the better of what was found and of what another way leads to: from starts that are
    far off the first may lead to a bound, and end there.
    """
    left = problem.residuals(at)
    problem.allowed += problem.allowed // 2
    try:
        other = _least_squares(problem, _starts_first(problem, first), least)
    except (ModelRunError, TooManyStepsError):
        return at
    there = problem.residuals(other)
    return other if there @ there < left @ left else at


def _starts_first(problem: FitProblem, at: Array) -> Array:
    """Return values with starts as the samples have them while forces are as at first."""
    starts = np.array([name in problem.states for _, name in problem.columns])
    for _ in range(STEPS_ON if starts.any() else 0):
        left, slopes = problem.run(at)
        step = np.zeros(len(at))
        size = np.maximum(np.linalg.norm(slopes[:, starts], axis=0), 1e-300)
        step[starts] = -_solved(slopes[:, starts] / size, left) / size
        now = problem.residuals(at + step)
        if not now @ now < left @ left:
            break
        at = at + step
    return at


def _looked_around(problem: FitProblem, at: Array, least: Array) -> tuple[Array | None, Array]:
    """Try values two u away, with all others moved along as first order has it: χ² should be four
    more. Returns values that are better, if there are any, and by how much each u is too small.

    Where χ² grows less, the samples tell less than the slopes at the best values say (profile of
    the likelihood: Bates & Watts, *Nonlinear Regression Analysis and Its Applications*, 1988, 6.1).
    """
    left, slopes = problem.run(at)
    flat = np.ones(len(at))
    size = np.maximum(np.linalg.norm(slopes, axis=0), 1e-300)
    _, s, vt = np.linalg.svd(np.linalg.qr(slopes / size)[1])
    if not len(s) or s[-1] < TOLD_APART * s[0]:
        return None, flat
    covariance = (vt.T / s**2) @ vt / np.outer(size, size)
    noise = max(float(left @ left) / max(len(left) - len(at), 1), 1.0)
    here = float(left @ left)
    passed = set(problem.states)
    passed |= {s.code for made in problem.trials for s in made.system.adjusted}
    passed |= {code for made in problem.trials for code in made.force_errors}
    for k, (_, name) in enumerate(problem.columns):
        if name in passed:
            continue
        way = LOOKED * covariance[:, k] / np.sqrt(covariance[k, k]) * np.sqrt(noise)
        gained = []
        for sign in (1.0, -1.0):
            moved = at + sign * way
            if np.any(moved < least):
                continue
            now = problem.residuals(moved, True)
            more = (float(now @ now) - here) / noise
            if more < -CLEARLY_BETTER:
                return moved, flat
            gained.append(more / LOOKED**2)
        lowest = min(gained, default=1.0)
        if lowest < FLAT:
            flat[k] = min(1.0 / np.sqrt(max(lowest, 1e-6)), WIDEST)
    return None, flat


def _least_squares(problem: FitProblem, at: Array, least: Array) -> Array:
    from scipy.optimize import least_squares

    start = np.where(np.isfinite(least) & (at <= least), least + SETTLED, at)
    bounded = np.isfinite(least).any()
    problem.run(start)  # says at once where a model cannot be carried on
    settled, done = _settled(problem, start, least)
    if done:
        return settled
    start = settled
    found = least_squares(
        problem.residuals, start, jac=problem.slopes, x_scale="jac",
        method="trf" if bounded else "lm", max_nfev=EVALUATIONS,
        xtol=SETTLED, ftol=SETTLED, gtol=1e-12,
        bounds=(least, np.inf) if bounded else (-np.inf, np.inf),
    )  # fmt: skip
    return _settled(problem, found.x, least)[0]


def _solved(columns: Array, left: Array) -> Array:
    """Least squares of columns of length one; of many samples by normal equations, which lose half
    of the digits, and the steps that follow make good for it.
    """
    if len(left) > MANY_SAMPLES:
        products = columns.T @ columns
        return np.asarray(np.linalg.lstsq(products, columns.T @ left, rcond=TOLD_APART**2)[0])
    q, r = np.linalg.qr(columns)
    return np.asarray(np.linalg.lstsq(r, q.T @ left, rcond=TOLD_APART)[0])


def _settled(problem: FitProblem, at: Array, least: Array) -> tuple[Array, bool]:
    """Go on by Gauss-Newton steps while they help, with what reaches its bound held there; whether
    that came to an end.
    """
    held = np.zeros(len(at), dtype=bool)
    for _ in range(STEPS_ON):
        left, slopes = problem.run(at)
        size = np.maximum(np.linalg.norm(slopes, axis=0), 1e-300)
        free = ~held
        step = np.zeros(len(at))
        step[free] = -_solved(slopes[:, free] / size[free], left)
        step = step / size
        nearer = at + step
        below = np.isfinite(least) & (nearer <= least) & free
        if below.any():
            held |= below
            nearer = np.where(held, np.maximum(least, -np.inf), nearer)
            nearer = np.where(held, least, nearer)
        now = problem.residuals(nearer)
        small = bool(np.all(np.abs(step * size) <= SMALL_STEP))
        if not now @ now <= left @ left * (1.0 + 1e-12):
            return at, small
        at = nearer
        if small and not below.any():
            return at, True
    return at, False
