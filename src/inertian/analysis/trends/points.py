"""The points of a trend: one of each trial, with what each errs by itself and what all share."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from inertian.quantities.estimates import Array, Mask

# Correlation of x and y of a point, at most: one that is made of the other would weigh infinitely
MOST = 1.0 - 1e-8


@dataclass(frozen=True, eq=False)
class SharedErrors:
    """Errors that are the same in several trials, such as that of a mass: what each moves x and y
    of each point by, in SI per SI, (n, k), their covariance (k, k), and how they are called.

    A shared error does not scatter points: it moves all of them, and so tilts a line (JCGM
    100:2008, F.1.2.3).
    """

    names: tuple[str, ...]
    x: Array
    y: Array
    covariance: Array
    dof: Array  # degrees of freedom of each, (k,); infinite where it was not estimated
    keys: tuple[object, ...] = ()  # their identities, where they are known

    def moved(self, operator: Array) -> Array:
        """Return ∂parameter/∂error, (p, k), from ∂parameter/∂(x, y) of each point, (p, n, 2)."""
        return np.asarray(operator[:, :, 0] @ self.x + operator[:, :, 1] @ self.y)

    def of(self, kept: Mask) -> "SharedErrors":
        """Return those of some of the points."""
        return replace(self, x=self.x[kept], y=self.y[kept])


def no_shared_errors(n: int) -> SharedErrors:
    """Return that n points share nothing."""
    return SharedErrors((), np.zeros((n, 0)), np.zeros((n, 0)), np.zeros((0, 0)), np.zeros(0))


@dataclass(frozen=True, eq=False)
class Points:
    """Points (x, y) in SI, shape (n,), the covariance of x and y of each by itself, (n, 2, 2), and
    what they share.

    `dof` are the degrees of freedom of each covariance; points of one `pool` owe them to one
    estimate, so that they do not add.
    """

    x: Array
    y: Array
    own: Array
    shared: SharedErrors
    dof: Array
    pools: tuple[str, ...]
    trials: tuple[str, ...] = ()  # ids

    def __post_init__(self) -> None:
        """Bound correlations, so that every point has a finite weight."""
        both = MOST * np.sqrt(self.own[:, 0, 0] * self.own[:, 1, 1])
        self.own[:, 0, 1] = self.own[:, 1, 0] = np.clip(self.own[:, 0, 1], -both, both)

    def __len__(self) -> int:
        return len(self.x)

    @property
    def ux(self) -> Array:
        """What x of each point errs by itself, as a standard uncertainty."""
        return np.asarray(np.sqrt(self.own[:, 0, 0]))

    @property
    def uy(self) -> Array:
        """What y of each point errs by itself, as a standard uncertainty."""
        return np.asarray(np.sqrt(self.own[:, 1, 1]))

    @property
    def correlation(self) -> Array:
        """The correlation of what x and y of each point err by themselves."""
        product = self.ux * self.uy
        safe = np.where(product > 0.0, product, 1.0)
        found = np.where(product > 0.0, self.own[:, 0, 1] / safe, 0.0)
        return np.asarray(np.clip(found, -MOST, MOST))

    def of(self, kept: Mask) -> "Points":
        """Return some of the points; `kept` has shape (n,)."""
        places = np.flatnonzero(kept)
        return Points(
            self.x[kept],
            self.y[kept],
            self.own[kept],
            self.shared.of(kept),
            self.dof[kept],
            tuple(self.pools[k] for k in places),
            tuple(self.trials[k] for k in places) if self.trials else (),
        )

    def moved_by(self, error: int, amount: float) -> "Points":
        """Return them where one of the shared errors is so large."""
        x = self.x + amount * self.shared.x[:, error]
        return replace(self, x=x, y=self.y + amount * self.shared.y[:, error])

    def with_exact_x(self) -> "Points":
        """Return them as a line sees them that does not hang on x."""
        own = self.own.copy()
        own[:, 0, :] = own[:, :, 0] = 0.0
        return replace(self, own=own)

    def spread_by(self, variance: float) -> "Points":
        """Return them with a variance of y between trials added to what each errs by itself."""
        own = self.own.copy()
        own[:, 1, 1] += variance
        return replace(self, own=own)


def plain_points(
    x: Sequence[float] | Array,
    y: Sequence[float] | Array,
    ux: Sequence[float] | Array | float = 0.0,
    uy: Sequence[float] | Array | float = 0.0,
) -> Points:
    """Return points in SI that share nothing, with known standard uncertainties, shape (n,)."""
    x, y = np.asarray(x, dtype=float), np.asarray(y, dtype=float)
    own = np.zeros((len(x), 2, 2))
    own[:, 0, 0], own[:, 1, 1] = np.asarray(ux) ** 2, np.asarray(uy) ** 2
    known = np.full(len(x), np.inf)
    return Points(x, y, own, no_shared_errors(len(x)), known, ("",) * len(x))


def pooled_dof(variances: Array, points: Points) -> float:
    """Return the effective degrees of freedom of a sum of variances, one for each point, shape (n,)
    (Welch-Satterthwaite, JCGM 100:2008, G.4.1); those of one pool count as one.
    """
    by_pool: dict[str, tuple[float, float]] = {}
    for variance, dof, pool in zip(variances, points.dof, points.pools, strict=True):
        known, least = by_pool.get(pool, (0.0, np.inf))
        by_pool[pool] = known + float(variance), min(least, float(dof))
    return welch_satterthwaite(list(by_pool.values()))


def welch_satterthwaite(parts: Sequence[tuple[float, float]]) -> float:
    """Return the effective degrees of freedom of a sum of independent variances, each with its own
    (JCGM 100:2008, G.4.1); infinite where all are known.
    """
    total = sum(variance for variance, _ in parts)
    spread = sum(variance**2 / dof for variance, dof in parts if variance > 0.0)
    return total**2 / spread if spread > 0.0 else float("inf")
