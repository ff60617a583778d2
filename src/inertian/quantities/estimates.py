"""Estimates: values that know the raw samples and the facts they come from.

An estimate is a value, its linear weights on raw samples, and its sensitivities to named facts. The
covariance of any two follows: wᵀ Σ w over the samples, plus the part that comes through shared
facts (JCGM 100:2008, 5.2.2 and F.1.2). Σ is built in blocks by instant: reading noise in each
channel, and time jitter, one error per time stamp that moves all channels of that clock along their
velocities.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from inertian.quantities.correlation import correlated
from inertian.quantities.facts import Fact, FactId

Array = NDArray[np.float64]
Rows = NDArray[np.intp]
Mask = NDArray[np.bool_]
Name = Any  # of a quantity: any hashable key, such as a frozen dataclass


class ChannelId(NamedTuple):
    """One sampled quantity of one body in one trial."""

    trial: str
    body: str
    axis: str


def locked(values: object) -> Array:
    """Return a read-only float copy of `values`, so that nobody writes into the person's data."""
    array = np.array(values, dtype=np.float64)
    array.flags.writeable = False
    return array


def distinct_values(values: Array) -> Array:
    """Return the distinct numbers of `values` in order, shape (m,), without NaN.

    As np.unique, whose first call imports masked arrays: a fiftieth of a second at start.
    """
    ordered = np.sort(values[np.isfinite(values)])
    return (
        ordered[np.concatenate([[True], ordered[1:] != ordered[:-1]])] if ordered.size else ordered
    )


@dataclass(frozen=True, eq=False)
class SampleWeights:
    """Weights on the rows start, start+1, … of one channel; a banded row of the operator raw
    samples → estimate.
    """

    start: int
    values: Array  # shape (n,)

    @property
    def stop(self) -> int:
        """The row after the last weighted one."""
        return self.start + len(self.values)


@dataclass(frozen=True)
class ErrorSource:
    """One independent cause of uncertainty, as a budget names it.

    Sources of the same `pool` owe their size to the same estimated variance, so their degrees of
    freedom are shared. A `bounded` source is one error with a rectangular distribution (JCGM
    101:2008, 6.4.2): limits, or a last digit.
    """

    name: str
    kind: str  # "readings", "time stamps" or "fact"
    pool: str = ""
    bounded: bool = False


@dataclass(frozen=True, eq=False)
class Pools:
    """How well the variances themselves are known: the relative covariance of the variance
    estimates, by pool.

    An entry (p, p) is 2/ν_p; (p, q) is cov(σ̂²_p, σ̂²_q)/(σ²_p σ²_q). Missing pools are known
    exactly.
    """

    relative: Mapping[tuple[str, str], float] = field(default_factory=dict)

    def dof(self, variance_by_pool: Mapping[str, float]) -> float:
        """Return the effective degrees of freedom of a variance made of parts from these pools.

        ν = 2 V² / Σ_pq V_p V_q r_pq; for independent pools this is the Welch–Satterthwaite formula
        (JCGM 100:2008, G.4.1). Infinity where nothing was estimated.
        """
        total = sum(variance_by_pool.values())
        spread = sum(
            a * b * self.relative.get((p, q), 0.0)
            for p, a in variance_by_pool.items()
            for q, b in variance_by_pool.items()
        )
        return 2.0 * total * total / spread if spread > 0.0 else float("inf")


@dataclass(frozen=True, eq=False)
class SharedPart:
    """One source behind several facts, with the covariance it gives them; `ids` label its rows and
    columns.
    """

    source: ErrorSource
    ids: tuple["FactKey", ...]
    covariance: Array

    @classmethod
    def single(cls, source: ErrorSource, key: "FactKey", u: float) -> "SharedPart":
        """Return the part of a source that moves one fact alone, by a standard uncertainty u."""
        return cls(source, (key,), np.array([[u**2]]))


def fact_part(key: FactId, fact: Fact) -> SharedPart:
    """Return the part of the covariance that comes from the ± of a fact."""
    source = ErrorSource(key.name, "fact", f"fact {key.name}", fact.bounded)
    return SharedPart.single(source, key, fact.u)


FactKey = object  # any hashable identity; FactId in practice


@dataclass(frozen=True, eq=False)
class SparseRows:
    """Values at some runs of rows, zero elsewhere: what a whole array would hold, where only a few
    runs matter.
    """

    runs: tuple[SampleWeights, ...]

    def __getitem__(self, rows: slice) -> Array:
        """Return the values from row start to row stop, shape (stop − start,)."""
        for run in self.runs:
            if (run.start, run.stop) == (rows.start, rows.stop):
                return run.values
        found = np.zeros(rows.stop - rows.start)
        for run in self.runs:
            low, high = max(run.start, rows.start), min(run.stop, rows.stop)
            if low < high:
                found[low - rows.start : high - rows.start] = run.values[
                    low - run.start : high - run.start
                ]
        return found


def overlap(a: SampleWeights, b: SampleWeights) -> tuple[Array, Array, slice]:
    """Return the weights of two operators on the rows that both use, and those rows."""
    start, stop = max(a.start, b.start), min(a.stop, b.stop)
    rows = slice(start, max(start, stop))
    return (
        a.values[start - a.start : rows.stop - a.start],
        b.values[start - b.start : rows.stop - b.start],
        rows,
    )


# Weighted sums from which a matrix of all weights is worth it, and its numbers at most
MANY, AT_ONCE = 12, 4_000_000


@dataclass(frozen=True, eq=False)
class ReadingNoise:
    """Σ of the readings of one channel, in SI squared: variances, errors that resemble their
    neighbours', rounding.

    `variance` is that of one reading, the same for all or (n,). Errors resemble one another as ρ^k,
    k samples apart, with ρ = `alike` (AR(1): Box, Jenkins & Reinsel, *Time Series Analysis*, 4th
    ed., 2008, 3.2). Each of `rounding` is a pattern over the samples, (n,), that one error of unit
    size multiplies.
    """

    variance: "Array | float"
    alike: float = 0.0
    rounding: tuple["Array | SparseRows", ...] = ()

    def covariance(self, using: Sequence[SampleWeights]) -> Array:
        """Return the covariance of weighted sums of readings, shape (k, k)."""
        matrix = np.zeros((len(using), len(using)))
        start, stop = min(w.start for w in using), max(w.stop for w in using)
        if len(using) >= MANY and len(using) * (stop - start) <= AT_ONCE and not self.alike:
            whole = np.zeros((len(using), stop - start))
            for row, one in zip(whole, using, strict=True):
                row[one.start - start : one.stop - start] = one.values
            whole *= self._root(slice(start, stop))
            matrix += whole @ whole.T
        else:
            for i, a in enumerate(using):
                for j, b in enumerate(using[i:], i):
                    matrix[i, j] = matrix[j, i] = self._product(a, b)
        for pattern in self.rounding:
            pull = np.array([w.values @ pattern[w.start : w.stop] for w in using])
            matrix += np.outer(pull, pull)
        return matrix

    def _product(self, a: SampleWeights, b: SampleWeights) -> float:
        if not self.alike:
            left, right, rows = overlap(a, b)
            if not isinstance(self.variance, float):
                left = left * self.variance[rows]
                return float(left @ right)
            return self.variance * float(left @ right)
        start, stop = min(a.start, b.start), max(a.stop, b.stop)
        whole = np.zeros((2, stop - start))
        for row, one in zip(whole, (a, b), strict=True):
            row[one.start - start : one.stop - start] = one.values
        whole *= self._root(slice(start, stop))
        return float(whole[0] @ correlated(whole[1], self.alike))

    def _root(self, rows: slice) -> "Array | float":
        return np.sqrt(self.variance if isinstance(self.variance, float) else self.variance[rows])

    def applied(self, weights: Array) -> Array:
        """Return Σ·weights; weights on all samples of the channel, shape (n,)."""
        root = np.sqrt(self.variance)
        found = root * correlated(root * weights, self.alike)
        whole = slice(0, len(weights))
        return np.asarray(
            found
            + sum(float(pattern[whole] @ weights) * pattern[whole] for pattern in self.rounding)
        )

    def of_one(self, n: int) -> Array:
        """Return the variance of each of n readings."""
        patterns = sum(np.asarray(pattern[slice(0, n)]) ** 2 for pattern in self.rounding)
        return np.asarray(np.zeros(n) + self.variance + patterns)


@dataclass(frozen=True, eq=False)
class ClockNoise:
    """Σ of the channels on one clock, in blocks by instant.

    `reading` is the noise of a channel's readings and its source; `rate` the velocity in m/s at
    each row (zero where unknown), through which the variance `jitter` (s²) of one time stamp acts
    on all channels at once.
    """

    reading: Mapping[ChannelId, tuple[ErrorSource, ReadingNoise]]
    rate: Mapping[ChannelId, "Array | SparseRows"]
    jitter: float
    jitter_source: ErrorSource


@dataclass(frozen=True, eq=False)
class Estimate:
    """A value with its weights on raw samples and its sensitivities ∂value/∂fact."""

    value: float
    weights: Mapping[ChannelId, SampleWeights] = field(default_factory=dict)
    sensitivities: Mapping[FactKey, float] = field(default_factory=dict)


def added(a: SampleWeights, b: SampleWeights) -> SampleWeights:
    """Return the sum of two runs of weights."""
    start, stop = min(a.start, b.start), max(a.stop, b.stop)
    total = np.zeros(max(stop - start, 0))
    for one in (a, b):
        total[one.start - start : one.stop - start] += one.values
    return SampleWeights(start, total)


def weighted_sum(terms: Sequence[tuple[float, Estimate]]) -> Estimate:
    """Return Σ c · estimate of pairs (c, estimate), with all that is behind them; c in 1."""
    weights: dict[ChannelId, SampleWeights] = {}
    slopes: dict[FactKey, float] = {}
    for c, one in terms:
        for channel, own in one.weights.items():
            scaled = SampleWeights(own.start, c * own.values)
            weights[channel] = added(weights[channel], scaled) if channel in weights else scaled
        for key, slope in one.sensitivities.items():
            slopes[key] = slopes.get(key, 0.0) + c * slope
    return Estimate(sum(c * one.value for c, one in terms), weights, slopes)


class ErrorShape(NamedTuple):
    """The distribution of an error: standard deviation and ν of its t part, half-widths of its
    rectangular parts.
    """

    spread: float
    dof: float
    half_widths: tuple[float, ...]


@dataclass(frozen=True, eq=False)
class SourceCovariance:
    """The covariance that one source gives to a set of quantities, shape (n, n)."""

    source: ErrorSource
    covariance: Array


@dataclass(frozen=True, eq=False)
class Origin:
    """What correlated scalars of one trial were made of: so results of several laws, and of several
    trials, can be set beside one another.
    """

    estimates: tuple[Estimate, ...]
    noise: ClockNoise
    shared: tuple[SharedPart, ...]


@dataclass(frozen=True, eq=False)
class JointScalars:
    """Correlated scalars: names, values and covariance, kept apart by source so that a budget can
    be read off.
    """

    names: tuple[Name, ...]
    values: Array
    parts: tuple[SourceCovariance, ...]
    pools: Pools
    origin: "Origin | None" = None

    @property
    def covariance(self) -> Array:
        """The full covariance matrix, shape (n, n)."""
        total = np.zeros((len(self.names), len(self.names)))
        for part in self.parts:
            total += part.covariance
        return total

    def index(self, name: Name) -> int:
        """Return the place of one quantity. Raises ValueError if there is none of that name."""
        return self.names.index(name)

    def u(self, name: Name) -> float:
        """Return the standard uncertainty of one quantity."""
        i = self.index(name)
        return float(np.sqrt(max(sum(part.covariance[i, i] for part in self.parts), 0.0)))

    def dof(self, name: Name) -> float:
        """Return the effective degrees of freedom of one quantity's uncertainty."""
        i = self.index(name)
        return self.pools.dof(_by_pool({part: float(part.covariance[i, i]) for part in self.parts}))

    def shape(self, name: Name) -> "ErrorShape":
        """Return how the error of one quantity is distributed: a t part and rectangular parts."""
        i = self.index(name)
        free = {
            part: float(part.covariance[i, i]) for part in self.parts if not part.source.bounded
        }
        bounded = [float(part.covariance[i, i]) for part in self.parts if part.source.bounded]
        width = tuple(float(np.sqrt(3.0 * v)) for v in bounded if v > 0.0)
        return ErrorShape(
            float(np.sqrt(max(sum(free.values()), 0.0))), self.pools.dof(_by_pool(free)), width
        )

    def shares(self, name: Name) -> dict[ErrorSource, float]:
        """Return the budget of one quantity: variance by source; it adds up to u²."""
        i = self.index(name)
        return {part.source: float(part.covariance[i, i]) for part in self.parts}


def _by_pool(variances: Mapping[SourceCovariance, float]) -> dict[str, float]:
    pools: dict[str, float] = {}
    for part, variance in variances.items():
        pools[part.source.pool] = pools.get(part.source.pool, 0.0) + variance
    return pools


def _reading_parts(estimates: Sequence[Estimate], noise: ClockNoise) -> list[SourceCovariance]:
    """The covariance from reading noise, one part per source."""
    n = len(estimates)
    by_source: dict[ErrorSource, Array] = {}
    for channel, (source, own) in noise.reading.items():
        places = [i for i, e in enumerate(estimates) if channel in e.weights]
        matrix = by_source.setdefault(source, np.zeros((n, n)))
        if places:
            matrix[np.ix_(places, places)] += own.covariance(
                [estimates[i].weights[channel] for i in places]
            )
    return [SourceCovariance(source, matrix) for source, matrix in by_source.items()]


def _jitter_part(estimates: Sequence[Estimate], noise: ClockNoise) -> SourceCovariance:
    """The covariance from time jitter: σ_t² Σ_i (Σ_c w₁ v)(Σ_c w₂ v), one error per time stamp."""
    used = [w for e in estimates for c, w in e.weights.items() if c in noise.rate]
    matrix = np.zeros((len(estimates), len(estimates)))
    if used and noise.jitter > 0.0:
        places, width = _without_gaps(used)
        pulled = np.zeros((len(estimates), width))
        for row, estimate in zip(pulled, estimates, strict=True):
            for channel, w in estimate.weights.items():
                if channel in noise.rate:
                    place = places[w.start, w.stop]
                    row[place : place + len(w.values)] += (
                        w.values * noise.rate[channel][w.start : w.stop]
                    )
        matrix = noise.jitter * (pulled @ pulled.T)
    return SourceCovariance(noise.jitter_source, matrix)


def _without_gaps(used: Sequence[SampleWeights]) -> tuple[dict[tuple[int, int], int], int]:
    """Where each range of rows goes if the rows that nothing uses are left out, and how many are
    left.
    """
    places: dict[tuple[int, int], int] = {}
    width, end, shift = 0, None, 0
    for start, stop in sorted({(w.start, w.stop) for w in used}):
        if end is None or start >= end:
            shift, end = width - start, start
        places[start, stop] = start + shift
        end = max(end, stop)
        width = end + shift
    return places, width


def joint_scalars(
    named: Mapping[Name, Estimate],
    noise: ClockNoise,
    shared: Sequence[SharedPart],
    pools: Pools = Pools(),
) -> JointScalars:
    """Return estimates of one clock as correlated scalars (JCGM 100:2008, eq. 13 and F.1.2.3)."""
    estimates = list(named.values())
    parts = [*_reading_parts(estimates, noise), _jitter_part(estimates, noise)]
    for part in shared:
        slopes = np.array([[e.sensitivities.get(key, 0.0) for key in part.ids] for e in estimates])
        if slopes.any():
            parts.append(SourceCovariance(part.source, slopes @ part.covariance @ slopes.T))
    merged: dict[ErrorSource, Array] = {}
    for piece in parts:
        merged[piece.source] = (
            merged[piece.source] + piece.covariance if piece.source in merged else piece.covariance
        )
    values = locked([e.value for e in estimates])
    kept = tuple(SourceCovariance(s, m) for s, m in merged.items())
    origin = Origin(tuple(estimates), noise, tuple(shared))
    return JointScalars(tuple(named), values, kept, pools, origin)
