"""The distribution of a result by Monte Carlo, its shortest intervals, and whether first order
would have done.

Source: JCGM 101:2008. The draws go on in blocks until twice the standard deviations of what is
wanted over the blocks are smaller than the last stated digit (7.9); clause 8 then compares with
first order.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from inertian.quantities.coverage import P68, P95, coverage_factor
from inertian.quantities.estimates import Array, JointScalars
from inertian.quantities.propagation import SEED, Law, draw, propagate

BLOCK, FEWEST, MOST = 10_000, 10, 200  # draws in a block, and blocks
FIGURES = 2  # significant decimal digits of u that have to be right


class Cancelled(Exception):
    """The person did not want to wait any longer."""


@dataclass(frozen=True, eq=False)
class Distribution:
    """What Monte Carlo found of one result: mean, u, the shortest intervals, and the draws behind
    them.

    `settled` tells whether two figures of u are right (7.9.4), `tolerance` is δ of clause 7.9.2,
    `off` how far the ends of the 95 % interval of first order lie from those found here.
    """

    mean: float
    u: float
    shortest68: tuple[float, float]
    shortest95: tuple[float, float]
    draws: int
    seed: int
    settled: bool
    tolerance: float
    off: float

    @property
    def first_order_does(self) -> bool:
        """Whether first order does, by clause 8.1."""
        return self.off <= self.tolerance


def tolerance_of(u: float, figures: int = FIGURES) -> float:
    """Return δ, half of the last place of u written with so many significant digits (JCGM 101,
    7.9.2).
    """
    if not u > 0.0:
        return 0.0
    exponent = int(np.floor(np.log10(u))) - (figures - 1)
    return 0.5 * 10.0**exponent


def shortest_interval(drawn: Array, probability: float) -> tuple[float, float]:
    """Return the shortest interval that holds a share of the draws (JCGM 101, 7.7 and 5.3.4); drawn
    of shape (M,).
    """
    ordered = np.sort(drawn)
    inside = int(np.ceil(probability * len(ordered)))
    widths = ordered[inside:] - ordered[: len(ordered) - inside]
    place = int(np.argmin(widths))
    return float(ordered[place]), float(ordered[place + inside])


def distribution(
    law: Law,
    joint: JointScalars,
    output: str,
    seed: int = SEED,
    progress: Callable[[float], bool] | None = None,
) -> Distribution:
    """Return the distribution of one result of a law, from correlated inputs.

    Sources whose variance was estimated are drawn as scaled t (JCGM 101, 6.4.9). Otherwise as
    `settled_distribution`.
    """

    def block(k: int) -> Array:
        inputs = draw(joint, BLOCK, seed + k)
        one = np.asarray(law(dict(zip(joint.names, inputs, strict=True)))[output], dtype=float)
        return np.broadcast_to(one, (BLOCK,))

    first = propagate(law, joint).joint
    reach = coverage_factor(P95, first.dof(output)) * first.u(output)
    value = float(first.values[first.index(output)])
    return settled_distribution(block, (value - reach, value + reach), seed, progress)


def settled_distribution(
    block: Callable[[int], Array],
    first_order: tuple[float, float],
    seed: int,
    progress: Callable[[float], bool] | None = None,
) -> Distribution:
    """Return what blocks of draws, made by their number, tell of a result in SI, as soon as they
    tell it well enough.

    `block` gives draws of shape (BLOCK,). `first_order` is the 95 % interval that clause 8 compares
    with. `progress` is told the share done and answers whether to go on; if not, what was found so
    far is returned, or, before FEWEST blocks, Cancelled is raised. Draws that are not finite are
    left out.
    """
    blocks: list[Array] = []
    found = np.zeros((0, 4))
    settled = False
    for k in range(MOST):
        if progress is not None and not progress(k / MOST):
            if k < FEWEST:
                raise Cancelled
            break
        made = block(k)
        blocks.append(made[np.isfinite(made)])
        found = np.vstack(
            [
                found,
                [blocks[-1].mean(), blocks[-1].std(ddof=1), *shortest_interval(blocks[-1], P95)],
            ]
        )
        if k + 1 >= FEWEST:
            spread = 2.0 * found.std(axis=0, ddof=1) / np.sqrt(k + 1)
            settled = bool(np.all(spread < tolerance_of(float(found[:, 1].mean()))))
            if settled:
                break
    drawn = np.concatenate(blocks)
    u = float(drawn.std(ddof=1))
    wide = shortest_interval(drawn, P95)
    tolerance = tolerance_of(u)
    off = max(abs(first_order[0] - wide[0]), abs(first_order[1] - wide[1]))
    narrow = shortest_interval(drawn, P68)
    return Distribution(
        float(drawn.mean()), u, narrow, wide, len(drawn), seed, settled, tolerance, off
    )
