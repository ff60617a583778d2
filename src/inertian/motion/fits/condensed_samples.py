"""Long recordings in blocks: a few weighted samples stand for a thousand, exactly, in every fit of
low degree.

In each block of BLOCK samples the sum over samples of any polynomial up to degree 2·NODES − 1
equals a weighted sum over NODES places: Gauss quadrature for the discrete measure of the time
stamps (Golub & Welsch, Math. Comp. 23 (1969) 221-230; Gautschi, Orthogonal Polynomials, 2004, 2.2).
The data enter through their projection on polynomials of degree below NODES; what is left of them
is orthogonal to every fit and is kept as sums of products. So least squares, their covariances and
residual sums come out as from all samples, and dragging an edge costs no more than for a few
thousand.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from inertian.motion.recording.trials import Trial
from inertian.quantities.estimates import Array, Mask, Rows
from inertian.quantities.memo import Memo

BLOCK, NODES = 1024, 4  # fits up to parabolas, times their velocities, squared: degree 6
LEAST_WHOLE = 0.7  # of the blocks that have to be without gaps; else they would hardly help
LEAST_ROWS = 16 * BLOCK  # rows in a span from which blocks are worth it
FAR_OFF_Z = 4.9  # normal deviates of a sample that is no part of the noise: one in a million
MOST_FAR_OFF = 0.05  # of the samples of a span
FEW = 8  # samples, up to which none is told to be far off
ChannelKey = tuple[str, str]  # body and axis


@dataclass(frozen=True, eq=False)
class BlockResiduals:
    """What blocks leave out of each channel, orthogonal to all fits: Σ e e' between channels, and Σ
    (Δe)².
    """

    keys: tuple[ChannelKey, ...]
    products: Array  # shape (channels, channels)
    steps: Array  # shape (channels,)

    def squares(self, key: ChannelKey) -> float:
        """Return Σ e² of one channel."""
        i = self.keys.index(key)
        return float(self.products[i, i])

    def changes(self, key: ChannelKey) -> float:
        """Return Σ (e_{i+1} − e_i)² of one channel."""
        return float(self.steps[self.keys.index(key)])


@dataclass(frozen=True, eq=False)
class SpanSamples:
    """The samples of a span that a fit rests on, each with the root of how many it stands for, 0
    where missing.

    `t` counts from `origin`, in s, so that epoch times lose no digits; `x` holds values times root,
    by axis, and `ends` when the first and the last sample was taken.
    """

    start: int
    origin: float
    t: Array
    root: Mapping[str, Array]
    x: Mapping[str, Array]
    ends: Mapping[str, tuple[float, float]]
    rest: BlockResiduals | None = None


@dataclass(frozen=True, eq=False)
class CondensedTrial:
    """All blocks of a trial: node times from the first stamp, roots of weights, projected data,
    sums of the rest.
    """

    keys: tuple[ChannelKey, ...]
    whole: Mask  # shape (blocks,): no channel misses a sample there
    t: Array  # shape (blocks, NODES)
    root: Array  # shape (blocks, NODES)
    values: Array  # shape (channels, blocks, NODES), times root
    products: Array  # running sums, shape (blocks + 1, channels, channels)
    steps: Array  # running sums, shape (blocks + 1, channels)


_memo = Memo()


def condensed_trial(trial: Trial) -> CondensedTrial | None:
    """Return the blocks of a trial, made when first asked for; None where they would not help."""
    return _memo.get(trial, "blocks", lambda: _made(trial))


def _made(trial: Trial) -> CondensedTrial | None:
    count = len(trial.t) // BLOCK
    channels = [(b.name, c) for b in trial.followed for c in b.channels]
    if count * BLOCK < LEAST_ROWS or not channels:
        return None
    t = (trial.t[: count * BLOCK] - trial.t[0]).reshape(count, BLOCK)
    x = np.stack([c.si[: count * BLOCK].reshape(count, BLOCK) for _, c in channels])
    whole = np.asarray(np.isfinite(x).all(axis=(0, 2)))
    if whole.mean() < LEAST_WHOLE:
        return None
    middle, half = t.mean(axis=1), 0.5 * np.ptp(t, axis=1)
    basis, alpha, beta = _orthonormal((t - middle[:, None]) / half[:, None])
    jacobi = np.zeros((count, NODES, NODES))
    place = np.arange(NODES)
    jacobi[:, place, place] = alpha
    jacobi[:, place[1:], place[:-1]] = jacobi[:, place[:-1], place[1:]] = beta
    nodes, vectors = np.linalg.eigh(jacobi)
    # P_k at each node
    at_nodes = vectors.transpose(0, 2, 1) / (vectors[:, 0, :] / basis[0][:, 0, None])[:, :, None]
    root = np.abs(vectors[:, 0, :]) * np.sqrt(BLOCK)
    values, rests = [], []
    for channel in np.where(whole[:, None], x, 0.0):
        level = channel[:, :1]
        c = np.stack([((channel - level) * p).sum(axis=1) for p in basis], axis=1)
        rests.append(channel - level - sum(c[:, k, None] * basis[k] for k in range(NODES)))
        values.append((np.einsum("bjk,bk->bj", at_nodes, c) + level) * root)
    products = np.array([[(a * b).sum(axis=1) for b in rests] for a in rests]).transpose(2, 0, 1)
    steps = np.stack([(np.diff(e, axis=1) ** 2).sum(axis=1) for e in rests], axis=1)
    nodes = middle[:, None] + half[:, None] * nodes
    keys = tuple((body, c.axis) for body, c in channels)
    return CondensedTrial(
        keys, whole, nodes, root, np.stack(values), _running(products), _running(steps)
    )


def _running(values: Array) -> Array:
    return np.concatenate([np.zeros((1, *values.shape[1:])), np.cumsum(values, axis=0)])


def _orthonormal(u: Array) -> tuple[list[Array], Array, Array]:
    """Polynomials orthonormal over the samples of each block, and the recurrence between them
    (Stieltjes' procedure).

    u has shape (blocks, BLOCK); the list holds NODES arrays of that shape, α has shape (blocks,
    NODES), β one less.
    """
    p, before = np.full_like(u, 1.0 / np.sqrt(u.shape[1])), np.zeros_like(u)
    basis, alpha, beta = [], np.zeros((len(u), NODES)), np.zeros((len(u), NODES - 1))
    for k in range(NODES):
        basis.append(p)
        alpha[:, k] = (u * p * p).sum(axis=1)
        if k == NODES - 1:
            break
        following = (u - alpha[:, k, None]) * p - (beta[:, k - 1, None] * before if k else 0.0)
        beta[:, k] = np.linalg.norm(following, axis=1)
        before, p = p, following / beta[:, k, None]
    return basis, alpha, beta


def samples_of(trial: Trial, body: str, rows: slice, condensed: bool) -> SpanSamples:
    """Return the samples of a body in some rows; `condensed` lets blocks stand for them where there
    are many.
    """
    channels = trial.body(body).channels
    blocks = condensed_trial(trial) if condensed and rows.stop - rows.start >= LEAST_ROWS else None
    origin = float(trial.t[0])
    if blocks is None:
        roots = {c.axis: np.isfinite(c.si[rows]).astype(float) for c in channels}
        x = {c.axis: np.where(roots[c.axis] > 0, c.si[rows], 0.0) for c in channels}
        return SpanSamples(
            rows.start, origin, trial.t[rows] - origin, roots, x, _ends(trial, body, rows)
        )
    first, last = -(-rows.start // BLOCK), rows.stop // BLOCK
    inside = np.arange(first, last)
    good = inside[blocks.whole[first:last]]
    broken = inside[~blocks.whole[first:last]]
    singles = np.concatenate(
        [
            np.arange(rows.start, first * BLOCK),
            *(np.arange(b * BLOCK, (b + 1) * BLOCK) for b in broken),
            np.arange(last * BLOCK, rows.stop),
        ]
    ).astype(np.intp)
    t = np.concatenate([trial.t[singles] - origin, blocks.t[good].ravel()])
    x, roots = {}, {}
    for channel in channels:
        own = channel.si[singles]
        there = np.isfinite(own)
        place = blocks.keys.index((body, channel.axis))
        x[channel.axis] = np.concatenate(
            [np.where(there, own, 0.0), blocks.values[place, good].ravel()]
        )
        roots[channel.axis] = np.concatenate([there.astype(float), blocks.root[good].ravel()])
    rest = BlockResiduals(
        blocks.keys,
        blocks.products[last] - blocks.products[first],
        blocks.steps[last] - blocks.steps[first],
    )
    return SpanSamples(rows.start, origin, t, roots, x, _ends(trial, body, rows), rest)


def _ends(trial: Trial, body: str, rows: slice) -> dict[str, tuple[float, float]]:
    """When the first and the last sample of each axis was taken, from the first stamp of the
    trial.
    """
    found = {}
    for channel in trial.body(body).channels:
        own = channel.si[rows]
        first = next((k for k in range(min(64, len(own))) if np.isfinite(own[k])), None)
        last = next(
            (k for k in range(len(own) - 1, max(len(own) - 65, -1), -1) if np.isfinite(own[k])),
            None,
        )
        if first is None or last is None:
            used = np.flatnonzero(np.isfinite(own))
            first, last = (int(used[0]), int(used[-1])) if used.size else (0, max(len(own) - 1, 0))
        t = trial.t[rows]
        found[channel.axis] = (
            (float(t[first] - trial.t[0]), float(t[last] - trial.t[0])) if len(t) else (0.0, 0.0)
        )
    return found


def without_far_off(samples: SpanSamples) -> tuple[SpanSamples, int]:
    """Return the samples without those few that lie far off a parabola through the others, in SI
    of shape (n,) by axis, and how many these are; samples that stand for many are left as they are.

    One reading that is no part of the noise would make every ± of a series larger.
    """
    if samples.rest is not None:
        return samples, 0
    roots, left_out = {}, 0
    for axis, root in samples.root.items():
        used = np.flatnonzero(root > 0.0)
        roots[axis] = root
        if len(used) <= FEW:
            continue
        scaled = (samples.t[used] - samples.t[used[0]]) / (np.ptp(samples.t) or 1.0)
        bad = _far_off(np.vander(scaled, 3), samples.x[axis][used])
        if bad.size:
            roots[axis] = root.copy()
            roots[axis][used[bad]] = 0.0
            left_out += len(bad)
    if not left_out:
        return samples, 0
    x = {axis: np.where(roots[axis] > 0.0, own, 0.0) for axis, own in samples.x.items()}
    return replace(samples, root=roots, x=x), left_out


def _far_off(design: Array, x: Array) -> Rows:
    """Rows of samples that are far off the best combination of columns through all others.

    One after the other, by the residual over what the others scatter (Cook & Weisberg, *Residuals
    and Influence in Regression*, 1982, 2.2), as a normal deviate (Wallace, Ann. Math. Stat. 30
    (1959) 1121-1130).
    """
    kept = np.arange(len(x))
    while len(x) - len(kept) < max(MOST_FAR_OFF * len(x), 1.0):
        q, _ = np.linalg.qr(design[kept])
        r = x[kept] - q @ (q.T @ x[kept])
        free = np.maximum(1.0 - np.sum(q**2, axis=1), 1e-6)
        dof = len(kept) - design.shape[1] - 1
        squares = r**2 / free
        worst = int(np.argmax(squares))
        others = (float(r @ r) - squares[worst]) / dof
        if not others > 0.0:
            break
        t2 = squares[worst] / others
        z = np.sqrt(dof * np.log1p(t2 / dof)) * (8.0 * dof + 1.0) / (8.0 * dof + 3.0)
        if z < FAR_OFF_Z:
            break
        kept = np.delete(kept, worst)
    return np.setdiff1d(np.arange(len(x)), kept)
