"""Scatter and glitches of a recording, judged on the spot: no motion, no noise and no spacing is
assumed.

Four neighbouring samples of any smooth motion lie nearly on a parabola; what is left of them after
the parabola is nearly all noise (third divided differences: von Neumann, Ann. Math. Stat. 12 (1941)
367-395, carried to uneven times). A glitch is a sample that fits neither what comes before it, nor
what comes after it, nor what lies around it; so the samples beside a hit, which fit one of the
sides, are none. Medians keep single samples from deciding (Hampel, J. Am. Stat. Assoc. 69 (1974)
383-393).
"""

import numpy as np

from inertian.quantities.estimates import Array, Mask, Rows

MEDIAN_TO_SIGMA = 1.4826  # median of |deviation| of a normal distribution → σ
STRIDES = (1, 2, 4, 8)  # samples apart; correlated noise shows more of itself at the wider ones
MOST_CORRELATED = 2.0  # times more scatter at twice the stride: of an AR(1) process of 0.7, 1.8
LEAST_WINDOWS = 12  # a median of fewer says little
MOST_WINDOWS_WATCHED = 20_000  # windows that the scatter is judged by; more do not make it better
# Samples that tell what comes before or after; fewer in a recording of few
SIDE, NARROW, SHORT = (6, 4, 80)
BESIDE = np.array([-2, -1, 1, 2])
# Samples at least that a local spread is judged by, and the least share of the spread of the
# whole recording that it may be: a quiet stretch may be quiet by chance
LEAST_LOCAL, LEAST_SPREAD = 40, 0.8
SUSPECT = 0.6  # of the threshold, from which a sample is looked at more closely
THRESHOLD = 6.0  # local spreads beyond which a sample is called a glitch
PASSES = 3


def parabola_departures(t: Array, x: Array, stride: int = 1, at: Rows | None = None) -> Array:
    """Return what four samples, `stride` apart, leave of a parabola, in units of one sample; shape
    (n − 3·stride,).

    For white noise of standard deviation σ the result has standard deviation σ, at any spacing of
    the times t. `at` picks the windows by their first row.
    """
    if at is None and _even(t):
        n = len(t) - 3 * stride
        parts = [x[k * stride : k * stride + n] for k in range(4)]
        return np.asarray((3.0 * (parts[1] - parts[2]) + parts[3] - parts[0]) / np.sqrt(20.0))
    first = np.arange(len(t) - 3 * stride) if at is None else at
    ts = [t[first + k * stride] - t[first] for k in range(4)]
    weights = []
    for j in range(4):
        product = np.ones(len(first))
        for k in range(4):
            if k != j:
                product = product * (ts[j] - ts[k])
        weights.append(1.0 / product)
    total = sum(w * x[first + k * stride] for k, w in enumerate(weights))
    return np.asarray(total / np.sqrt(sum(w * w for w in weights)))


def _even(t: Array) -> bool:
    """Whether times are evenly spaced, to a thousandth of a step."""
    steps = np.diff(t)
    return bool(np.ptp(steps) <= 1e-3 * steps[0])


def robust_scatter(t: Array, x: Array, watched: int = MOST_WINDOWS_WATCHED) -> float:
    """Return a robust σ of the noise of one channel; t in s and x of shape (n,), nothing missing.

    The largest of several strides counts: noise that is correlated from sample to sample hides at
    the smallest.
    """
    found = [0.0]
    for stride in STRIDES:
        windows = len(t) - 3 * stride
        if windows < LEAST_WINDOWS and found[0] > 0.0:
            break
        if windows < 1:
            break
        at = (
            np.arange(windows)
            if windows <= watched
            else np.linspace(0, windows - 1, watched).astype(np.intp)
        )
        wider = MEDIAN_TO_SIGMA * float(np.median(np.abs(parabola_departures(t, x, stride, at))))
        if found[-1] > 0.0 and wider > MOST_CORRELATED * found[-1]:
            break  # so much is not noise any more: the windows reach over what happened
        found.append(wider)
        if windows < 4 * LEAST_WINDOWS:
            break
    return max(found)


def local_scatter(t: Array, x: Array, parts: int = 8) -> Array:
    """Return σ of the noise at every sample, never much below what it is elsewhere; shape (n,).

    Jitter of the clock makes fast stretches rougher than slow ones.
    """
    whole = robust_scatter(t, x)
    size = max(LEAST_LOCAL, len(t) // parts)
    edges = np.arange(0, len(t), size)
    if len(edges) < 2 or size * 2 > len(t):
        return np.full(len(t), whole)
    edges = edges[: len(t) // size]
    ends = np.append(edges[1:], len(t))
    own = [
        robust_scatter(t[a:b], x[a:b], MOST_WINDOWS_WATCHED // 8)
        for a, b in zip(edges, ends, strict=True)
    ]
    return np.repeat(np.maximum(own, LEAST_SPREAD * whole), ends - edges)


def outlier_rows(
    t: Array,
    x: Array,
    floor: float = 0.0,
    threshold: float = THRESHOLD,
    scatter: Array | None = None,
) -> Rows:
    """Return the rows of the samples that fit neither side nor surroundings; t in s, x of shape
    (n,), none missing.

    `floor` is the least σ, such as the resolution/√12; `threshold` how many local spreads a sample
    must be off; `scatter` the local scatter (n,), where it is known.
    """
    n = len(t)
    if n < SIDE + 2:
        return np.zeros(0, dtype=np.intp)
    scatter = local_scatter(t, x) if scatter is None else scatter
    sigma = np.maximum(scatter, max(floor, 1e-12 * float(np.ptp(x))))
    out = np.zeros(n, dtype=bool)
    for number in range(PASSES):
        keep = np.flatnonzero(~out)
        if len(keep) < SIDE + 2:
            break
        at = _beside(keep, np.flatnonzero(out)) if number else None
        suspects = _suspects(t[keep], x[keep], sigma[keep], threshold, at)
        bad = suspects[_unexplained(t[keep], x[keep], sigma[keep], suspects, threshold)]
        if not bad.size:
            break
        out[keep[bad]] = True
    rows = np.flatnonzero(out)
    kept = np.flatnonzero(~out)
    ends = (
        kept[_at_ends(t[kept], x[kept], sigma[kept], threshold)]
        if len(kept) > SIDE + 2
        else rows[:0]
    )
    if rows.size > n // 5:  # not single samples any more: the motion is rough
        return np.zeros(0, dtype=np.intp)
    return np.union1d(rows[_still_bad(t, x, sigma, out, rows, threshold)], ends)


def _beside(keep: Rows, out: Rows) -> Rows:
    """The windows of four kept samples that lie near those left out; only there anything can have
    changed.
    """
    places = np.searchsorted(keep, out)[:, None] + np.arange(-2 * SIDE, SIDE)
    near = np.zeros(len(keep), dtype=bool)
    near[np.clip(places, 0, len(keep) - 4)] = True
    return np.flatnonzero(near)


def _suspects(t: Array, x: Array, sigma: Array, threshold: float, at: Rows | None) -> Rows:
    """Samples in a window of four that departs from a parabola by more than the threshold."""
    off = np.abs(parabola_departures(t, x, 1, at))
    first = np.flatnonzero(
        off > SUSPECT * threshold * (sigma[: len(t) - 3] if at is None else sigma[at])
    )
    near = np.zeros(len(t), dtype=bool)
    for k in range(4):
        near[(first if at is None else at[first]) + k] = True
    return np.flatnonzero(near)


def _unexplained(t: Array, x: Array, sigma: Array, rows: Rows, threshold: float) -> Mask:
    """Whether each of some rows is off every prediction that can be made of it, with at least two
    of them.
    """
    bad, made = np.ones(len(rows), dtype=bool), np.zeros(len(rows), dtype=int)
    side = NARROW if len(t) < SHORT else SIDE
    for offsets, degree in ((np.arange(-side, 0), 2), (np.arange(1, side + 1), 2), (BESIDE, 3)):
        index = rows[:, None] + offsets
        there = (index >= 0).all(axis=1) & (index < len(t)).all(axis=1)
        off = np.abs(_prediction_error(t, x, rows[there], index[there], degree))
        bad[there] &= off > threshold * sigma[rows[there]]
        made += there
    return bad & (made >= 2)


def _at_ends(t: Array, x: Array, sigma: Array, threshold: float) -> Rows:
    """Glitches among the first and the last two samples, which only one side can tell: far off, and
    alone.
    """
    n, found = len(t), []
    for row, index in ((0, 2), (1, 2), (n - 1, n - 8), (n - 2, n - 8)):
        others = np.arange(index, index + SIDE)
        off = _prediction_error(t, x, np.array([row]), others[None, :], 2)
        if abs(float(off[0])) > 2.0 * threshold * sigma[row]:
            found.append(row)
    return np.array(found, dtype=np.intp) if len(found) == 1 else np.zeros(0, dtype=np.intp)


def _prediction_error(t: Array, x: Array, rows: Rows, index: Rows, degree: int) -> Array:
    """Sample minus prediction by a polynomial through some neighbours, in units of one sample's
    noise.
    """
    local = t[index] - t[rows, None]
    scale = np.abs(local).max(axis=1, keepdims=True)
    design = (local / scale)[:, :, None] ** np.arange(degree + 1)
    normal = design.transpose(0, 2, 1) @ design
    unit = np.zeros((len(rows), degree + 1, 1))
    unit[:, 0] = 1.0
    weights = (design @ np.linalg.solve(normal, unit))[:, :, 0]
    error = x[rows] - np.einsum("ij,ij->i", weights, x[index])
    return np.asarray(error / np.sqrt(1.0 + np.einsum("ij,ij->i", weights, weights)))


def _still_bad(t: Array, x: Array, sigma: Array, out: Mask, rows: Rows, threshold: float) -> Mask:
    """Which of the rows are still bad once the others are gone; a sample between two glitches is
    none.
    """
    keep = np.flatnonzero(~out)
    place = np.searchsorted(keep, rows)
    around = place[:, None] + np.concatenate([np.arange(-SIDE, 0), np.arange(SIDE)])
    index = keep[np.clip(around, 0, len(keep) - 1)]
    bad, made = np.ones(len(rows), dtype=bool), np.zeros(len(rows), dtype=int)
    side = NARROW if len(t) < SHORT else SIDE
    parts = (
        (slice(SIDE - side, SIDE), 2),
        (slice(SIDE, SIDE + side), 2),
        (slice(SIDE - 2, SIDE + 2), 3),
    )
    for part, degree in parts:
        there = ((around[:, part] >= 0) & (around[:, part] < len(keep))).all(axis=1)
        off = np.abs(_prediction_error(t, x, rows[there], index[there, part], degree))
        bad[there] &= off > threshold * sigma[rows[there]]
        made += there
    return bad & (made >= 2)
