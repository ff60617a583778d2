"""A model fitted to the places in one or more trials, by least squares with the trials' own noise.

The reference carries the model on, with derivatives by all that is free. What is found is linear
in the samples near the truth: each value is an estimate, with weights on the samples and slopes by
the facts, as any reading (JCGM 100:2008, 5.2.2).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from inertian.models.definitions.system import Setting
from inertian.models.fitting.fit_covariance import joint_of, widened
from inertian.models.fitting.fitted_trial import FittedTrial, u_of, without_start
from inertian.models.fitting.minimising import (
    TOLD_APART,
    Column,
    FitProblem,
    ModelFitError,
    Progress,
    minimised,
)
from inertian.models.fitting.trial_model import TrialModel
from inertian.motion.fits.correlated_residuals import NOT_NOTICED, correlation_about
from inertian.motion.numerics.residuals import PATTERN_Z, pattern_z
from inertian.physics.readings.readings import scalar_of
from inertian.physics.readings.scatter_over_noise import scatter_over_noise, with_scatter
from inertian.quantities.coverage import Scalar
from inertian.quantities.estimates import (
    Array,
    Estimate,
    JointScalars,
    Mask,
    weighted_sum,
)

AT_BOUND = 1e-3  # u, from which on a number counts as being at its bound


@dataclass(frozen=True, eq=False)
class ModelFit:
    """A fitted model. `named` are the scalars of all that was free, and of all seeds, by trial and
    name in the program ("" for what trials share).
    """

    trials: tuple[FittedTrial, ...]
    free: tuple[Setting, ...]  # settings, as of the first trial
    columns: tuple[Column, ...]
    column_of: Mapping[Column, int]  # where the values of each trial stand among them, by name
    chi_squared: float
    dof: int
    wider: float
    joint: JointScalars
    estimates: Mapping[tuple[int, str], Estimate]
    at_bound: tuple[str, ...]
    adjusted: int = 0  # how many of the columns are fixed with a ±
    bent: tuple[str, ...] = ()  # whose ± was widened, as the samples tell less than at first order

    def scalar(self, name: str, trial: int = 0) -> Scalar:
        """Return a fitted, or a given, number by its name in the program. Raises KeyError."""
        key = self.key(trial, name)
        return self._known(key)

    def _known(self, key: tuple[int, str]) -> Scalar:
        if key not in self.estimates:
            raise KeyError(key)
        return scalar_of(self.joint, key)

    @cached_property
    def p(self) -> float | None:
        """How often a true model would miss by so much, None without degrees of freedom."""
        from scipy.special import chdtrc, fdtrc

        if self.dof < 1:
            return None
        known = self.trials[0].made.context.pools().relative
        relative = next((r for (a, b), r in known.items() if a == b == "readings"), 0.0)
        if relative > 0.0:
            return float(fdtrc(self.dof, 2.0 / relative, self.chi_squared / self.dof))
        return float(chdtrc(self.dof, self.chi_squared))

    @property
    def parameters(self) -> int:
        """How many numbers were fitted, besides those that are fixed with a ±."""
        return len(self.columns) - self.adjusted

    @cached_property
    def aicc(self) -> float | None:
        """Akaike's criterion for few samples (Hurvich & Tsai, Biometrika 76 (1989) 297-307), None
        where there are too few.
        """
        n, k = self.dof + self.parameters, self.parameters
        if n - k - 1 < 1:
            return None
        return self.chi_squared + 2.0 * k + 2.0 * k * (k + 1.0) / (n - k - 1.0)

    def carried(self, trial: int, values: Array, slopes: Array) -> Array:
        """Return the standard uncertainties of what has slopes (seeds, m) by the seeds of a trial,
        (m,).
        """
        covariance = self.covariance_of(trial)
        return np.asarray(
            np.sqrt(np.maximum(np.einsum("im,ij,jm->m", slopes, covariance, slopes), 0.0))
            + 0.0 * values
        )

    def covariance_of(self, trial: int) -> Array:
        """Return the covariance of the seeds of a trial, (seeds, seeds)."""
        places = [self.joint.index(self.key(trial, s)) for s in self.trials[trial].seeds]
        return self.joint.covariance[np.ix_(places, places)]

    def key(self, trial: int, seed: str) -> Column:
        """Return under which name an estimate of a trial is kept."""
        known = self.column_of.get((trial, seed))
        return (trial, seed) if known is None else self.columns[known]

    def estimate(self, trial: int, value: float, slopes: Array) -> Estimate:
        """Return what has slopes (seeds,) by the seeds of a trial, as an estimate."""
        terms = [
            (float(s), self.estimates[self.key(trial, seed)])
            for s, seed in zip(slopes, self.trials[trial].seeds, strict=True)
        ]
        return replace(weighted_sum(terms), value=value) if terms else Estimate(value)


def fit_model(
    trials: Sequence[TrialModel], shared: Sequence[str] = (), progress: Progress | None = None
) -> ModelFit:
    """Fit what is free in a model beside one or more trials; `shared` are names in the program of
    settings that all trials have in common. `progress` is told how often a trial was run, and stops
    the fit if it returns False. Raises ModelFitError or ModelRunError.
    """
    with np.errstate(all="ignore"):  # what is tried may be far off
        return _fitted(trials, shared, progress)


def _fitted(
    trials: Sequence[TrialModel], shared: Sequence[str], progress: Progress | None
) -> ModelFit:
    problem = FitProblem(trials, frozenset(shared), progress)
    free = len(problem.columns) - len(problem.priors)
    if free and free >= len(problem.x):
        raise ModelFitError(
            f"{free} numbers cannot be fitted to {len(problem.x)} samples. Fix some of them, or "
            "choose a longer stretch."
        )
    at, flat = minimised(problem)
    left, slopes = problem.run(at)
    # Ways that keep inside bounds come near to them only
    near = AT_BOUND / np.maximum(np.linalg.norm(slopes, axis=0), 1e-300)
    return _FitOf(problem, at, left, slopes, at <= np.array(problem.least) + near, flat).made()


@dataclass
class _FitOf:
    """From least squares to a fit with uncertainties."""

    problem: FitProblem
    at: Array
    left: Array
    slopes: Array
    at_bound: Mask
    flat: Array  # by how much each u is too small at first order

    def made(self) -> ModelFit:
        problem = self.problem
        trials = tuple(self._trial(place) for place in range(len(problem.trials)))
        estimates = self._estimates(trials)
        chi = self._chi_squared(trials)
        dof = len(problem.x) + len(problem.priors) - len(problem.columns)
        pools = problem.trials[0].context.pools()
        ratio = float(np.mean([c.ratio for t in trials for c in t.alike.values()] or [1.0]))
        patterned = any(
            pattern_z(left, np.ones(len(left))) > PATTERN_Z for left in map(without_start, trials)
        )
        wider, freedom = scatter_over_noise(pools, chi * ratio, dof, patterned)
        joint = with_scatter(joint_of(trials, estimates, pools), wider, freedom)
        joint = widened(joint, dict(zip(problem.columns, self.flat, strict=True)))
        codes = [c for (_, c), b in zip(problem.columns, self.at_bound, strict=True) if b]
        first = problem.trials[0].system
        return ModelFit(
            trials, first.free, tuple(problem.columns), problem.column_of, chi, dof, wider, joint,
            estimates,
            tuple(codes), len(problem.priors),
            tuple(
                c for (_, c), f in zip(problem.columns, self.flat, strict=True) if f > 1.0
            ),
        )  # fmt: skip

    def _trial(self, place: int) -> FittedTrial:
        """One trial at the found values, with slopes also by what is fixed with a ±."""
        problem, made = self.problem, self.problem.trials[place]
        own = problem.own(place, self.at)
        held = [name for name in made.start.held if name not in own]
        seeds = (*own, *held)
        values, state = problem.settings(place, own), problem.state(place, own)
        predicted = made.predicted(values, *state, seeds)
        first = sum(t.count for t in problem.trials[:place])
        rows = slice(first, first + made.count)
        residuals = problem.x[rows] - predicted.values
        alike, row = {}, 0
        for one in made.samples:
            part = slice(row, row + len(one.x))
            noise = made.context.clock_noise.reading[one.key][1]
            key = f"{one.body} {one.axis}"
            alike[key] = NOT_NOTICED
            if not noise.rounding and len(one.x) == len(one.rows):
                over = one.sigma / float(np.sqrt(np.mean(one.sigma**2)))
                # A start that is held is off by its u: what that leaves is no noise
                # and errors of a recorded force, of which there are many, take up little of it
                taken = [k for k, seed in enumerate(seeds) if seed not in made.force_errors]
                own_slopes = (predicted.slopes[part][:, taken] / over[:, None]).T
                alike[key] = correlation_about(residuals[part] / over, own_slopes)
            row += len(one.x)
        return FittedTrial(
            made, values, *state, seeds, predicted, residuals, problem.sigma[rows], alike
        )

    def _estimates(self, trials: Sequence[FittedTrial]) -> dict[tuple[int, str], Estimate]:
        """All seeds as estimates: given ones as they are, free ones by their weights."""
        found: dict[tuple[int, str], Estimate] = {}
        for place, trial in enumerate(trials):
            found |= {(place, name): one for name, one in trial.made.start.held.items()}
        operator = self._operator()
        for row, key in enumerate(self.problem.columns):
            found[key] = self._free(operator[row], float(self.at[row]), trials, found)
        return found

    def _operator(self) -> Array:
        """∂free/∂(sample/σ), (free, n). Raises ModelFitError where some are not told apart."""
        many = len(self.problem.columns)
        if not many:
            return np.zeros((0, len(self.left)))
        size = np.linalg.norm(self.slopes, axis=0)
        blind = [n for (_, n), s in zip(self.problem.columns, size, strict=True) if not s > 0.0]
        if blind:
            raise ModelFitError(
                f"The samples say nothing of {self._names(blind)}: what it acts on does not "
                "happen here. Fix it, or switch the force off."
            )
        q, r = np.linalg.qr(self.slopes / size)
        u, s, vt = np.linalg.svd(r)
        if s[-1] < TOLD_APART * s[0]:
            weak = [
                n
                for (_, n), part in zip(self.problem.columns, np.abs(vt[-1]), strict=True)
                if part > 0.1
            ]
            raise ModelFitError(
                f"{self._names(weak)} cannot be told apart by these samples. Fix one of them."
            )
        return np.asarray((vt.T / s) @ u.T / size[:, None] @ q.T)

    def _names(self, codes: Sequence[str]) -> str:
        called = {s.code: s.name for t in self.problem.trials for s in t.system.distinct}
        for made in self.problem.trials:
            for c in made.system.coordinates:
                called |= {
                    c.place: f"the start of {c.body}",
                    c.rate: f"the first speed of {c.body}",
                }
        return " and ".join(dict.fromkeys(called.get(code, code) for code in codes))

    def _free(
        self, weights: Array, value: float, trials: Sequence[FittedTrial],
        given: Mapping[tuple[int, str], Estimate],
    ) -> Estimate:  # fmt: skip
        terms: list[tuple[float, Estimate]] = []
        row = 0
        for place, trial in enumerate(trials):
            for one in trial.made.samples:
                part = slice(row, row + len(one.x))
                terms.append((1.0, one.estimate(weights[part] / one.sigma, 0.0)))
                row += len(one.x)
            first = row - trial.made.count
            own = slice(first, row)
            for k, seed in enumerate(trial.seeds):
                if (place, seed) in given and (place, seed) not in self.problem.column_of:
                    pull = -float(weights[own] @ (trial.predicted.slopes[:, k] / trial.sigma))
                    terms.append((pull, given[place, seed]))
        for k, (_, _, u, stated) in enumerate(self.problem.priors):
            terms.append((float(weights[row + k]) / u, stated))
        return replace(weighted_sum(terms), value=value)

    def _chi_squared(self, trials: Sequence[FittedTrial]) -> float:
        """Σ (r/σ)², where what is fixed with a ± counts as it was adjusted, and a start that is
        held may be off by its u: the least over such errors.
        """
        base = float(self.left @ self.left)
        columns, row = [], 0
        for trial in trials:
            for k, seed in enumerate(trial.seeds):
                if seed in trial.made.start.held:
                    column = np.zeros(len(self.left))
                    column[row : row + trial.made.count] = (
                        trial.predicted.slopes[:, k] / trial.sigma
                    ) * u_of(trial, trial.made.start.held[seed])
                    columns.append(column)
            row += trial.made.count
        if not columns:
            return base
        many, free = len(columns), len(self.problem.columns)
        design = np.vstack(
            [
                np.column_stack([self.slopes, *columns]),
                np.hstack([np.zeros((many, free)), np.eye(many)]),
            ]
        )
        size = np.maximum(np.linalg.norm(design, axis=0), 1e-300)
        target = np.concatenate([-self.left, np.zeros(many)])
        solved = np.linalg.lstsq(design / size, target, rcond=None)[0]
        left = target - (design / size) @ solved
        return min(base, float(left @ left))
