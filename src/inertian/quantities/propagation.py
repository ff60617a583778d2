"""From correlated inputs through a law to correlated results, at first order or by Monte Carlo.

A law is one plain NumPy function of named inputs, analytic in each; it must accept arrays and
complex numbers. First order takes exact derivatives by the complex step (Squire & Trapp, SIAM Rev.
40 (1998) 110-112), Monte Carlo runs the same function on draws (JCGM 101:2008).
"""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from inertian.quantities.complex_step import STEP
from inertian.quantities.coverage import P68, P95, Scalar
from inertian.quantities.estimates import (
    Array,
    Estimate,
    JointScalars,
    Name,
    Rows,
    SourceCovariance,
    weighted_sum,
)

Inputs = Mapping[Name, NDArray[Any]]
Law = Callable[[Inputs], Mapping[Name, NDArray[Any]]]

# Design: first order is trusted while the second-order term is below a tenth of u
SECOND_ORDER_LIMIT = 0.1
DRAWS = 20_000
SEED = 20261124


@dataclass(frozen=True, eq=False)
class Propagated:
    """Results of a law: first-order correlated scalars, the gradient, and the size of the
    second-order term.
    """

    joint: JointScalars
    gradient: Array  # shape (outputs, inputs)
    second_order: Array  # shape (outputs,), in units of the result
    # Shape (outputs, inputs): which inputs move a result, at first or second order
    involved: NDArray[np.bool_]


def _run(
    law: Law, names: tuple[Name, ...], columns: NDArray[Any]
) -> tuple[tuple[Name, ...], NDArray[Any]]:
    results = law(dict(zip(names, columns, strict=True)))
    shape = columns.shape[1:]
    return tuple(results), np.stack([np.broadcast_to(r, shape) for r in results.values()])


def gradients(
    law: Law, names: tuple[Name, ...], points: Array
) -> tuple[tuple[Name, ...], Array, Array]:
    """Return ∂output/∂input at several points, shape (outputs, inputs, points), and the outputs
    there.

    `points` has shape (inputs, points), the outputs (outputs, points), each in its own SI unit.
    """
    n, m = points.shape
    moved = np.repeat(points[:, None, :], n, axis=1).astype(complex)
    moved[np.arange(n), np.arange(n), :] += 1j * STEP
    outputs, values = _run(law, names, moved.reshape(n, n * m))
    values = values.reshape(len(outputs), n, m)
    return outputs, values.imag / STEP, values[:, 0].real


def _second_order(
    slopes: Array, joint: JointScalars, used: Rows
) -> tuple[Array, NDArray[np.bool_]]:
    """The second-order contribution √(½ tr(HCHC) + (½ tr HC)²) per output (JCGM 100:2008, 5.1.2,
    note).

    `slopes` are the gradients one u above and below each used input, shape (outputs, inputs,
    2·used). Also which inputs have curvature in each output.
    """
    covariance = joint.covariance
    u = np.sqrt(np.diag(covariance))
    curved = np.zeros((len(slopes), len(u)), dtype=bool)
    if not used.size:
        return np.zeros(len(slopes)), curved
    up, down = slopes[:, used, : used.size], slopes[:, used, used.size :]
    hessian = (up - down) / (2.0 * u[used])
    hessian = 0.5 * (hessian + hessian.transpose(0, 2, 1))
    product = hessian @ covariance[np.ix_(used, used)]
    bias = 0.5 * np.trace(product, axis1=1, axis2=2)
    spread = 0.5 * np.einsum("kij,kji->k", product, product)
    curved[:, used] = np.any(hessian != 0.0, axis=2)
    return np.asarray(np.sqrt(np.maximum(spread, 0.0) + bias**2)), curved


def propagate(law: Law, joint: JointScalars) -> Propagated:
    """Return the law's results with covariance U_y = J U_x Jᵀ, source by source (JCGM 102:2011,
    6.2).
    """
    u = np.sqrt(np.diag(joint.covariance))
    used = np.flatnonzero(u > 0)
    points = np.repeat(joint.values[:, None], 1 + 2 * used.size, axis=1)
    points[used, 1 + np.arange(used.size)] += u[used]
    points[used, 1 + used.size + np.arange(used.size)] -= u[used]
    outputs, slopes, values = gradients(law, joint.names, points)
    gradient = slopes[:, :, 0]
    parts = tuple(
        SourceCovariance(p.source, gradient @ p.covariance @ gradient.T) for p in joint.parts
    )
    result = JointScalars(outputs, np.asarray(values[:, 0], dtype=np.float64), parts, joint.pools)
    second_order, curved = _second_order(slopes[:, :, 1:], joint, used)
    return Propagated(result, gradient, second_order, curved | (gradient != 0.0))


def draw(joint: JointScalars, draws: int, seed: int, known: bool = False) -> Array:
    """Return `draws` samples of the inputs, shape (inputs, draws).

    Each source is drawn on its own: bounded ones uniformly (JCGM 101:2008, 6.4.2), the others from
    a normal distribution. Those with an estimated variance share one scale, which makes them scaled
    t (6.4.9.5), with the effective degrees of freedom of their sum; with `known`, they stay normal.
    """
    rng = np.random.default_rng(seed)
    total = np.repeat(joint.values[:, None], draws, axis=1)
    estimated = {pool for pool, _ in joint.pools.relative}
    full = np.maximum(np.diag(joint.covariance), np.finfo(float).tiny)
    size: dict[str, float] = {}
    for part in (p for p in joint.parts if p.source.pool in estimated):
        weight = float((np.diag(part.covariance) / full).sum())
        size[part.source.pool] = size.get(part.source.pool, 0.0) + weight
    dof = max(joint.pools.dof(size), 1.0) if sum(size.values()) > 0.0 else np.inf
    scale = (
        np.sqrt(dof / rng.chisquare(dof, draws))
        if np.isfinite(dof) and not known
        else np.ones(draws)
    )
    for part in (p for p in joint.parts if p.covariance.any()):
        values, vectors = np.linalg.eigh(part.covariance)
        keep = values > values[-1] * 1e-14 if values[-1] > 0 else np.zeros(len(values), dtype=bool)
        shape = (int(keep.sum()), draws)
        noise = (
            rng.uniform(-np.sqrt(3.0), np.sqrt(3.0), shape)
            if part.source.bounded
            else rng.standard_normal(shape)
        )
        noise = (vectors[:, keep] * np.sqrt(values[keep])) @ noise
        total += noise * scale if part.source.pool in estimated else noise
    return total


class Results(Mapping[Name, Scalar]):
    """The results of a law as scalars with honest intervals, each worked out when first asked for.

    Where the second-order term exceeds a tenth of u, u and the factors come from Monte Carlo, as
    intervals about the value, and the scalar says so.
    """

    def __init__(self, law: Law, joint: JointScalars, seed: int = SEED) -> None:
        self._law, self._inputs, self._seed = law, joint, seed
        self.first = propagate(law, joint)
        self._known: dict[Name, Scalar] = {}

    def __iter__(self) -> Iterator[Name]:
        return iter(self.first.joint.names)

    def __len__(self) -> int:
        return len(self.first.joint.names)

    def value(self, name: Name) -> float:
        """Return the value of one result, without its uncertainty."""
        return float(self.first.joint.values[self.first.joint.index(name)])

    def estimate(self, name: Name) -> Estimate:
        """Return one result to first order, with the samples and facts behind its inputs."""
        place, origin = self.first.joint.index(name), self._inputs.origin
        if origin is None:
            return Estimate(self.value(name))
        terms = zip(self.first.gradient[place], origin.estimates, strict=True)
        made = weighted_sum([(float(c), one) for c, one in terms if c != 0.0])
        return replace(made, value=self.value(name))

    def __getitem__(self, name: Name) -> Scalar:
        if name not in self._known:
            self._known[name] = self._scalar(name)
        return self._known[name]

    def _scalar(self, name: Name) -> Scalar:
        joint = self.first.joint
        try:
            place = joint.index(name)
        except ValueError:
            raise KeyError(name) from None
        u, extra = joint.u(name), self.first.second_order[place]
        if extra > SECOND_ORDER_LIMIT * u and extra > 0.0:
            return _by_draws(
                self._law,
                self._inputs,
                name,
                self.first.involved[place],
                joint.dof(name),
                self._seed,
            )
        return Scalar(self.value(name), u, joint.dof(name), joint.shape(name))


def _by_draws(
    law: Law, joint: JointScalars, output: Name, involved: NDArray[np.bool_], dof: float, seed: int
) -> Scalar:
    """One result by Monte Carlo, drawing only the inputs that move it.

    The interval about the value holds the stated share of the draws. u is the root mean square
    about the value with the variances as estimated: with few degrees of freedom, that of scaled t
    draws does not exist.
    """
    index = np.flatnonzero(involved)
    names = tuple(joint.names[i] for i in index)
    parts = tuple(
        SourceCovariance(p.source, p.covariance[np.ix_(index, index)]) for p in joint.parts
    )
    inputs: dict[Name, NDArray[Any]] = {name: joint.values[i] for i, name in enumerate(joint.names)}
    value = float(law(inputs)[output])
    away = []
    for known in (True, False):
        drawn = draw(
            JointScalars(names, joint.values[index], parts, joint.pools), DRAWS, seed, known
        )
        inputs.update(zip(names, drawn, strict=True))
        away.append(np.abs(np.asarray(law(inputs)[output], dtype=float) - value))
    u = float(np.sqrt(np.mean(away[0] ** 2)))
    k68, k95 = (np.quantile(away[1], (P68, P95)) / u) if u > 0 else (1.0, 2.0)
    return Scalar(value, u, dof, None, (float(k68), float(k95)))
