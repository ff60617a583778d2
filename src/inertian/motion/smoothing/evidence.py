"""How likely the samples are for every amount of smoothing, with the noise unknown.

Restricted likelihood: of what no polynomial that costs nothing can explain (Wahba, Ann. Stat. 13
(1985) 1378-1402; Harville, J. Am. Stat. Assoc. 72 (1977) 320-338). σ is integrated out exactly.
"""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from inertian.motion.smoothing.spline_space import LEAST_SMOOTHING, PENALISED, Components
from inertian.quantities.estimates import Array

# Steps of ln λ: λ is known to a few units at best, since detail goes with its eighth root
SMOOTHING_STEP = 0.7
# Most smoothing: of the roughest thing that is then left, a twentieth
MOST_SMOOTHING = 20.0
LEAST_PROBABLE = 1e-3  # of an amount of smoothing, below which it is left out
LEAST_KEPT = 1e-5  # of a component, below which it is no more than noise


@dataclass(frozen=True)
class Prior:
    """What is known of σ² beforehand: a mean square in SI and its degrees of freedom; 0 if nothing
    is.
    """

    square: float = 0.0
    dof: float = 0.0


NOTHING_KNOWN = Prior()


@dataclass(frozen=True, eq=False)
class Projection:
    """Samples of one stretch on its components, (k,), and the square of what is left, in SI."""

    parts: Components
    values: Array
    left: float
    prior: Prior = NOTHING_KNOWN

    @property
    def dof(self) -> float:
        """Degrees of freedom of σ², all smooth motion counted as random."""
        return len(self.parts.over_samples) - PENALISED + self.prior.dof

    def within(self, size: int) -> "Projection":
        """Return the same with the first components only; the others are noise."""
        left = self.left + float(np.sum(self.values[size:] ** 2))
        return Projection(self.parts.within(size), self.values[:size], left, self.prior)


def projection(parts: Components, x: Array, prior: Prior = NOTHING_KNOWN) -> Projection:
    """Return samples in SI, (n,), on components."""
    own = parts.whitened(x)
    values = parts.over_samples.T @ own
    return Projection(parts, values, float(np.sum((own - parts.over_samples @ values) ** 2)), prior)


@dataclass(frozen=True, eq=False)
class Profile:
    """How rough the motion is in time, relatively: its components turned so that they are apart.

    `turned` (k, k) takes values on the rough components to values on these; `roughness` is theirs,
    (k,). `log_strength` is the logarithm of the mean square of the penalised derivative at the
    nodes, (r,); `trend` is its slope where it is a steady one.
    """

    turned: Array | None
    roughness: Array
    log_strength: Array
    trend: float | None = None

    def over(self, parts: Components) -> "Profile":
        """Return the same profile over other components."""
        return (
            profile(parts, self.log_strength) if self.trend is None else trended(parts, self.trend)
        )

    def apart(self, values: Array) -> Array:
        """Return values (k,) in SI on the rough components as such on those of the profile."""
        return values if self.turned is None else self.turned.T @ values

    def together(self, values: Array) -> Array:
        """Return values (k,) in SI on the components of the profile as such on the rough ones."""
        return values if self.turned is None else self.turned @ values


def profile(parts: Components, log_strength: Array | None = None) -> Profile:
    """Return the profile of a motion as rough as `log_strength`, a pure number at the nodes, of
    shape (r,), says; everywhere alike by default.
    """
    rough = parts.roughness[PENALISED:]
    even = log_strength is None or not log_strength.any()
    if log_strength is None or even or not len(rough):
        return Profile(None, rough, np.zeros(len(parts.nodes)), 0.0)
    cost = parts.rough_parts * np.exp(-0.5 * log_strength)[:, None]
    root = np.linalg.qr(cost, mode="r")
    # Prior of a component: rough · root⁻¹ of white ones; largest first
    spread = np.linalg.inv(root) / rough[:, None]
    squares, turned = np.linalg.eigh(spread @ spread.T)
    squares = np.maximum(squares[::-1], np.finfo(float).eps ** 2 * squares[-1])
    return Profile(turned[:, ::-1], 1.0 / np.sqrt(squares), log_strength)


def trended(parts: Components, trend: float) -> Profile:
    """Return the profile of a motion whose roughness grows steadily, its logarithm by `trend`, a
    pure number, from start to end; remembered with the components.
    """
    key = (len(parts.roughness), trend)
    if key not in parts.profiles:
        log_strength = trend * (parts.nodes - 0.5)
        parts.profiles[key] = replace(profile(parts, log_strength), trend=trend)
    found = parts.profiles[key]
    assert isinstance(found, Profile)
    return found


@dataclass(frozen=True, eq=False)
class Weighed:
    """All amounts of smoothing for one profile of roughness, with the evidence for each.

    `kept` (g, k) are the shares of the components that smoothing keeps, `log_evidence` (g,),
    `squares` (g,) the estimates of σ² in SI, `log_shrunk` (g,) twice ln of how much smaller
    smoothing makes the volume of all motions; `values` (k,) are the samples on the components of
    the profile.
    """

    data: Projection
    shape: Profile
    values: Array
    kept: Array
    log_evidence: Array
    squares: Array
    log_shrunk: Array

    @cached_property
    def log_mean_evidence(self) -> float:
        """The logarithm of the evidence, all amounts of smoothing taken together."""
        top = float(self.log_evidence.max())
        return top + float(np.log(np.mean(np.exp(self.log_evidence - top))))

    @cached_property
    def shares(self) -> Array:
        """How probable each amount of smoothing is; (g,)."""
        found = np.exp(self.log_evidence - self.log_evidence.max())
        return np.asarray(found / found.sum())

    @property
    def correlation(self) -> float:
        """The ρ of neighbouring errors."""
        return self.data.parts.correlation

    @property
    def mean_square(self) -> float:
        """σ² in SI, on average over all amounts of smoothing."""
        return float(self.shares @ self.squares)

    @property
    def seen(self) -> int:
        """How many components are more than noise for any probable amount of smoothing."""
        probable = self.kept[self.shares > LEAST_PROBABLE]
        return PENALISED + max(int(np.sum(probable.max(0) > LEAST_KEPT)), 2)

    @property
    def detail(self) -> float:
        """Degrees of freedom of the smooth motion, on average."""
        return PENALISED + float(self.shares @ self.kept.sum(1))


def weighed(data: Projection, shape: Profile) -> Weighed:
    """Return the evidence for all amounts of smoothing, from the least to the most that tell apart
    from less and more.
    """
    values = shape.apart(data.values[PENALISED:])
    squared = np.square(shape.roughness)
    if not len(squared):
        none = np.empty((1, 0))
        return Weighed(
            data, shape, values, none, np.zeros(1), np.full(1, data.left / data.dof), np.zeros(1)
        )
    smoothing = np.exp(np.arange(*_range(data.parts, squared), SMOOTHING_STEP))
    cost = smoothing[:, None] * squared
    kept = 1.0 / (1.0 + cost)
    sums = data.left + (1.0 - kept) @ np.square(values) + data.prior.square * data.prior.dof
    sums = np.maximum(sums, np.finfo(float).tiny)
    shrunk = (np.log(cost) - np.log1p(cost)).sum(1)
    log_evidence = 0.5 * (shrunk - data.dof * np.log(sums) - data.parts.log_scale)
    return Weighed(data, shape, values, kept, log_evidence, sums / data.dof, shrunk)


def _range(parts: Components, squared: Array) -> tuple[float, float]:
    """The logarithms of the least and the most smoothing."""
    least = -2.0 * np.log(np.sqrt(squared[-1]) * LEAST_SMOOTHING)
    most = float(np.log(MOST_SMOOTHING / squared[0]))
    return min(float(least), most), most + SMOOTHING_STEP / 2.0
