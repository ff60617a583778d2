"""The deceleration of each body that all trials of a series share, as a fact with its
covariance.

Beside an interaction without touch the tail of the force bends free motion too. What it adds to a
deceleration is taken for random, of a size that the spans themselves tell, and as opposite on the
two bodies as their masses say: so what counts there is the sum of both momenta, which no force
between them moves, as far as the tail is large.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import erfc, log, pi, sqrt

import numpy as np

from inertian.motion.fits.free_motion import BodyFit
from inertian.motion.noise.reading_noise import READINGS, STAMP_SOURCE, InstrumentNoise
from inertian.physics.definitions.fact_names import deceleration_key
from inertian.quantities.correlation import correlated
from inertian.quantities.coverage import Scalar
from inertian.quantities.estimates import (
    Array,
    ErrorSource,
    Pools,
    SampleWeights,
    SharedPart,
    overlap,
)
from inertian.quantities.facts import FactId

TAILS = "force without touch that reaches into free motion"
FINENESS = 2.0  # from one size of a tail that is tried to the next
FAR_BELOW = -20.0  # normal deviates, below which probabilities run out of digits
LEAST_TAIL = 0.5  # of what the noise of the clearest span hides
Masses = Mapping[str, float]
Spans = Sequence[Sequence[BodyFit]]


@dataclass(frozen=True, eq=False)
class SharedDecelerations:
    """The shared decelerations of a series in m/s²: values by body, and their covariance by
    source.
    """

    values: Mapping[str, float]
    parts: tuple[SharedPart, ...]
    scope: str

    def key(self, body: str) -> tuple[FactId, float] | None:
        """Return identity and value of one body's deceleration, or None if it has none."""
        if body not in self.values:
            return None
        return FactId(deceleration_key(body), self.scope), self.values[body]

    def estimate(self, body: str, pools: Pools) -> Scalar:
        """Return one body's deceleration in m/s² with its uncertainty. Raises KeyError."""
        key = FactId(deceleration_key(body), self.scope)
        by_pool: dict[str, float] = {}
        for p in self.parts:
            if key in p.ids:
                place = p.ids.index(key)
                known = by_pool.get(p.source.pool, 0.0)
                by_pool[p.source.pool] = known + float(p.covariance[place, place])
        return Scalar(self.values[body], sum(by_pool.values()) ** 0.5, pools.dof(by_pool))


@dataclass(frozen=True, eq=False)
class _Shares:
    """How the decelerations (b,) are made of those of all moving fits (f,): weights (b, f), and the
    covariance that tails give them.
    """

    weights: Array
    tails: Array


def shared_decelerations(
    spans: Spans,
    bodies: Sequence[str],
    noise: InstrumentNoise,
    scope: str,
    near: Mapping[str, Masses] | None = None,
) -> SharedDecelerations:
    """Return the shared decelerations with covariance from reading noise, from the time stamps
    they share, and from the tails of forces without touch.

    `near` holds, by id, the trials with an interaction without touch: masses in kg, by body.
    """
    order = tuple(bodies)
    groups = [own for group in spans if (own := [f for f in group if f.body in order and f.moving])]
    fits = [f for group in groups for f in group]
    keys = {body: FactId(deceleration_key(body), scope) for body in order}
    alone = np.array([f.pull / f.information for f in fits])
    variance = np.array([noise.reading**2 * _wider(f, noise) / f.information for f in fits])
    # Where time stamps alone are to blame for the scatter, spans weigh by what they tell
    known = variance if variance.all() else np.array([1.0 / f.information for f in fits])
    shares = _shares(groups, order, alone, known, near or {})
    found = shares.weights @ alone
    values = {body: float(a) for body, a in zip(order, found, strict=True)}
    covariance = (shares.weights * variance) @ shares.weights.T
    parts = [
        SharedPart(
            ErrorSource(deceleration_key(b), "fact", READINGS),
            (keys[b],),
            covariance[k : k + 1, k : k + 1],
        )
        for k, b in enumerate(order)
    ]
    apart = covariance - np.diag(np.diag(covariance))
    if apart.any():
        source = ErrorSource("decelerations", "fact", READINGS)
        parts.append(SharedPart(source, tuple(keys.values()), apart))
    if shares.tails.any():
        source = ErrorSource(TAILS, "fact", TAILS)
        parts.append(SharedPart(source, tuple(keys.values()), shares.tails))
    if noise.stamp > 0.0 and order:
        matrix = noise.stamp**2 * _by_stamps(groups, order, shares.weights, values)
        parts.append(SharedPart(STAMP_SOURCE, tuple(keys.values()), matrix))
    return SharedDecelerations(values, tuple(parts), scope)


def _wider(fit: BodyFit, noise: InstrumentNoise) -> float:
    """By how much the variance of a deceleration is larger for readings that err alike."""
    if not noise.correlation:
        return 1.0
    alike = sum(float(own @ correlated(own, noise.correlation)) for own in fit.bent.values())
    return alike / fit.information


def _by_stamps(
    groups: Spans, order: Sequence[str], weights: Array, values: Mapping[str, float]
) -> Array:
    """What one error of each time stamp, of variance 1, gives all decelerations, (b, b)."""
    matrix, first = np.zeros((len(order), len(order))), 0
    for group in groups:
        pulls = [
            SampleWeights(
                next(iter(f.fits.values())).start,
                np.sum([f.bent[a] * f.velocity(a, values[f.body]) for a in f.fits], axis=0)
                / f.information,
            )
            for f in group
        ]
        own = weights[:, first : first + len(group)]
        for i, one in enumerate(pulls):
            for j, two in enumerate(pulls):
                left, right, _rows = overlap(one, two)
                matrix += float(left @ right) * np.outer(own[:, i], own[:, j])
        first += len(group)
    return matrix


def _shares(
    groups: Spans,
    order: Sequence[str],
    own: Array,
    variance: Array,
    near: Mapping[str, Masses],
) -> _Shares:
    """The weights of all fits in each deceleration, averaged over all sizes that tails may have."""
    if not groups:
        return _Shares(np.zeros((0, 0)), np.zeros((0, 0)))
    fits = [f for group in groups for f in group]
    members = np.array([[float(f.body == b) for f in fits] for b in order])
    plain = members / variance
    places = np.split(np.arange(len(fits)), np.cumsum([len(group) for group in groups])[:-1])
    blocks = [
        _Block(own[at], variance[at], members[:, at], _pulled(group, near))
        for at, group in zip(places, groups, strict=True)
    ]
    sizes = _sizes(blocks)
    if not len(sizes):
        return _Shares(plain / plain.sum(1, keepdims=True), np.zeros((len(order),) * 2))
    logs, weights, tails = zip(*(_weighed(blocks, size) for size in sizes), strict=True)
    share = np.exp(np.array(logs) - max(logs))
    share /= share.sum()
    mean = np.einsum("k,kbf->bf", share, np.array(weights))
    away = np.array([(gain - mean) @ own for gain in weights])
    spread = np.einsum("k,kbc->bc", share, np.array(tails)) + (away.T * share) @ away
    return _Shares(mean, spread)


@dataclass(frozen=True, eq=False)
class _Block:
    """The moving fits of one span: decelerations and their variances by readings (f,), which body
    each is of (b, f), and what tails of 1 N add to them (f, tails).
    """

    own: Array
    variance: Array
    members: Array
    pulled: Array


def _sizes(blocks: Sequence[_Block]) -> Array:
    """Sizes of a tail in N, from what noise hides to what bends all that is bent; none where there
    are no tails.
    """
    ratios = []
    for one in blocks:
        per_newton = np.abs(one.pulled).sum(1)
        ratios += [
            (np.sqrt(v) / p, abs(a) / p)
            for v, a, p in zip(one.variance, one.own, per_newton, strict=True)
            if p > 0.0
        ]
    if not ratios:
        return np.empty(0)
    least = LEAST_TAIL * min(hidden for hidden, _ in ratios)
    largest = max(bent for _, bent in ratios)
    steps = np.log(max(largest / least, 1.0)) / np.log(FINENESS)
    return np.asarray(least * FINENESS ** np.arange(int(np.ceil(steps)) + 2))


def log_normal_probability(z: float) -> float:
    """Return ln Φ(z) of a normal deviate; far below zero as its tail (Abramowitz & Stegun,
    *Handbook of Mathematical Functions*, 1964, 26.2.13).
    """
    if z < FAR_BELOW:
        return -0.5 * z * z - log(-z * sqrt(2.0 * pi))
    return log(0.5 * erfc(-z / sqrt(2.0)))


def _weighed(blocks: Sequence[_Block], size: float) -> tuple[float, Array, Array]:
    """Generalised least squares with tails of one size: ln of its restricted likelihood, the
    weights (b, f), and what tails give the decelerations (b, b).
    """
    likelihood, inverses = 0.0, []
    for one in blocks:
        covariance = np.diag(one.variance) + size**2 * one.pulled @ one.pulled.T
        inverses.append(np.linalg.inv(covariance))
        likelihood -= 0.5 * float(np.linalg.slogdet(covariance)[1])
    normal = np.sum(
        [b.members @ w @ b.members.T for b, w in zip(blocks, inverses, strict=True)], axis=0
    )
    gains = [np.linalg.solve(normal, b.members @ w) for b, w in zip(blocks, inverses, strict=True)]
    found = np.sum([gain @ b.own for b, gain in zip(blocks, gains, strict=True)], axis=0)
    for one, inverse in zip(blocks, inverses, strict=True):
        left = one.own - one.members.T @ found
        likelihood -= 0.5 * float(left @ inverse @ left)
    moved = [size * gain @ b.pulled for b, gain in zip(blocks, gains, strict=True)]
    likelihood -= 0.5 * float(np.linalg.slogdet(normal)[1])
    # Friction slows down: tails that are too small to explain why it seems not to are unlikely
    u = np.sqrt(np.diag(np.linalg.inv(normal)))
    likelihood += sum(log_normal_probability(float(a / w)) for a, w in zip(found, u, strict=True))
    return likelihood, np.concatenate(gains, axis=1), np.asarray(sum(m @ m.T for m in moved))


def _pulled(group: Sequence[BodyFit], near: Mapping[str, Masses]) -> Array:
    """What 1 N of a tail adds to the deceleration of each fit of a span in m/s²; shape (f, tails):
    one tail for two bodies of known masses over the same rows, else one for each body, for 1 kg.
    """
    if group[0].trial.id not in near:
        return np.zeros((len(group), 0))
    masses = near[group[0].trial.id]
    known = [masses.get(f.body, 0.0) for f in group]
    same_rows = len({(f.span.start, f.span.stop) for f in group}) == 1
    if len(group) == 2 and all(known) and same_rows:
        one, two = (_along_line(f, group) / m for f, m in zip(group, known, strict=True))
        return np.array([[one], [-two]])
    return np.diag([1.0 / (m or 1.0) for m in known])


def _along_line(fit: BodyFit, pair: Sequence[BodyFit]) -> float:
    """The cosine between the path of a body and the line from the first body to the second."""
    one, two = pair
    line = {
        a: two.fits[a].at(two.fits[a].t0, 0) - one.fits[a].at(one.fits[a].t0, 0) for a in one.fits
    }
    if len(line) == 1:
        return float(next(iter(fit.direction.values())))
    length = float(np.hypot.reduce(list(line.values()))) or 1.0
    return sum(fit.direction[a] * line[a] for a in line) / length
