"""Velocity and acceleration of every body of a trial, at every sample, each with its standard
uncertainty: by local polynomials (Savitzky & Golay, Anal. Chem. 36 (1964) 1627-1639) or by
differences.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from inertian.motion.derivatives.local_derivatives import (
    BY_DATA,
    WindowRequest,
    local_estimates,
    sliding_with_sizes,
)
from inertian.motion.noise.local_noise import (
    MOST_SAMPLES_WATCHED,
    LocalNoise,
    NoiseSegment,
    noise_of_segments,
    with_given,
)
from inertian.motion.noise.reading_noise import READINGS, InstrumentNoise
from inertian.motion.numerics.local_polynomials import fit_segments
from inertian.motion.numerics.window_selection import QUOTED_DEGREE
from inertian.motion.recording.trials import Body, Trial
from inertian.motion.spans.spans import Spans
from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import Array, Pools, Rows

# Samples that noise is judged by where someone waits for the picture
SAMPLES_WATCHED_AT_ONCE = 1_600


class Method(StrEnum):
    """How velocity and acceleration are had from positions."""

    LOCAL = "local"  # local polynomials, windows by the data
    CENTRAL = "central"  # the parabola through a sample and its two neighbours
    TWO_POINT = "two-point"  # from the sample before to this one, as a class writes it first


class NoSamplesError(Refusal):
    """A trial has nothing that could be derived."""


UNMARKED = Spans()
JUDGED = 5  # samples of a stretch outside of contacts that tells noise: a parabola leaves two


@dataclass(frozen=True, eq=False)
class DerivedChannel:
    """What was derived of one channel, in SI, at its readings; all arrays have shape (n,), NaN
    where there is none.

    `rows` are the rows of the trial; `windows` how many samples each estimate of an order was made
    of.
    """

    rows: Rows
    t: Array
    x: Array
    u_x: Array
    v: Array
    u_v: Array
    a: Array
    u_a: Array
    windows: Mapping[int, Rows]


@dataclass(frozen=True, eq=False)
class BodyDerived:
    """The channels of one body that were derived, by axis, and the noise of its readings."""

    name: str
    noise: LocalNoise
    axes: Mapping[str, DerivedChannel]


def derivable_segments(t: Array, x: Array, walls: Sequence[float]) -> list[Rows]:
    """Return the rows of samples that local fits may span, between walls and gaps; t and x of shape
    (n,).
    """
    return [rows for rows, _ in _segments(t, x, walls)]


def _segments(t: Array, x: Array, walls: Sequence[float]) -> list[tuple[Rows, bool]]:
    """The same, each with whether it lies inside a contact."""
    usable = np.flatnonzero(np.isfinite(x))
    parts = fit_segments(t[usable], walls)
    return [(usable[part.start : part.stop], part.inside) for part in parts]


def derive(
    trial: Trial,
    spans: Spans = UNMARKED,
    method: Method = Method.LOCAL,
    window: WindowRequest = BY_DATA,
    given: Mapping[str, float] | None = None,
    noises: Sequence[LocalNoise] | None = None,
) -> list[BodyDerived]:
    """Return position, velocity and acceleration of all bodies that were followed, with standard
    uncertainties.

    Nothing reaches across the walls of contacts, nor across long gaps. `given` is a known σ of
    readings by body, in m; it is not used where the samples clearly scatter more. Where columns
    state the uncertainty of each reading, σ is spread over the readings as they say, if σ is
    `stated_sigma`. `noises` are those of the bodies where they were judged before, as by
    `noise_of_bodies`. Raises NoSamplesError if no body was followed.
    """
    noises = noise_of_bodies(trial, spans) if noises is None else noises
    result = []
    for body, own in zip(trial.followed, noises, strict=True):
        noise = with_given(own, given[body.name]) if given and body.name in given else own
        by_column = (given or {}).get(body.name) == stated_sigma(body)
        result.append(
            _body(trial, body, noise, _rows_of(trial, body, spans), method, window, by_column)
        )
    return result


def noise_of_bodies(
    trial: Trial, spans: Spans, watched: int = MOST_SAMPLES_WATCHED
) -> list[LocalNoise]:
    """Return the noise of each body that was followed, from local fits. Raises NoSamplesError if
    there is none.

    A hit of a few samples has no smooth motion that noise could be told from, so noise is judged
    outside of contacts, where there is such a stretch; channels that never change tell nothing.
    """
    if not trial.followed:
        raise NoSamplesError(
            f"{trial.name}: no positions were recorded, so there is nothing to derive."
        )
    cut = [_noise_segments(trial, body, spans) for body in trial.followed]
    return noise_of_segments(
        cut, [max(c.resolution for c in body.channels) for body in trial.followed], watched
    )


def _noise_segments(trial: Trial, body: Body, spans: Spans) -> list[NoiseSegment]:
    walls, found = spans.of(body.name).walls(), []
    for channel in [c for c in body.channels if not c.still] or body.channels:
        segments = _segments(trial.t, channel.si, walls)
        outside = [rows for rows, inside in segments if not inside and len(rows) >= JUDGED]
        for rows in outside or [rows for rows, _ in segments]:
            found.append(NoiseSegment(trial.t[rows], channel.si[rows]))
    return found


def stated_sigma(body: Body) -> float | None:
    """Return the root mean square of the uncertainties that columns state of a body's positions, in
    m, or None.
    """
    stated = [c.stated[np.isfinite(c.raw)] for c in body.channels if c.stated is not None]
    return (
        float(np.sqrt(np.mean(np.concatenate(stated) ** 2)))
        if len(stated) == len(body.channels) > 0
        else None
    )


def _rows_of(trial: Trial, body: Body, spans: Spans) -> dict[str, list[Rows]]:
    """The rows of the stretches of each channel of a body, by axis."""
    walls = spans.of(body.name).walls()
    return {
        channel.axis: derivable_segments(trial.t, channel.si, walls) for channel in body.channels
    }


def noise_of_trial(trial: Trial, spans: Spans) -> InstrumentNoise:
    """Return the noise of a trial by itself, from local fits: what there is to go by where no free
    motion is marked.

    Bodies are taken together, each by how well its noise is known.
    """
    known = [
        one
        for one in noise_of_bodies(trial, spans, SAMPLES_WATCHED_AT_ONCE)
        if np.isfinite(one.sigma)
    ]
    if not known:
        return InstrumentNoise(0.0, 0.0, float("inf"), Pools())
    weights = np.array([max(one.dof, 1.0) for one in known])
    sigma = float(np.sqrt(weights @ [one.sigma**2 for one in known] / weights.sum()))
    dof = float(sum(one.dof for one in known))
    pools = Pools({(READINGS, READINGS): 2.0 / dof}) if dof > 0.0 else Pools()
    return InstrumentNoise(sigma, max(one.stamp for one in known), dof or float("inf"), pools)


def _body(
    trial: Trial,
    body: Body,
    noise: LocalNoise,
    rows: Mapping[str, list[Rows]],
    method: Method,
    window: WindowRequest,
    by_column: bool,
) -> BodyDerived:
    axes, sigma = {}, stated_sigma(body)
    for channel in body.channels:
        share = (
            None
            if not by_column or sigma is None or channel.stated is None
            else (channel.stated / sigma) ** 2
        )
        found = [
            _stretch(
                r,
                trial.t[r],
                channel.si[r],
                noise,
                method,
                window,
                None if share is None else share[r],
            )
            for r in rows[channel.axis]
        ]
        if found:
            axes[channel.axis] = _concatenated(found)
    return BodyDerived(body.name, noise, axes)


def _concatenated(parts: Sequence[DerivedChannel]) -> DerivedChannel:
    if len(parts) == 1:
        return parts[0]

    def together(part: str) -> Array:
        return np.concatenate([getattr(p, part) for p in parts])

    windows = {o: np.concatenate([p.windows[o] for p in parts]) for o in parts[0].windows}
    rows = np.concatenate([p.rows for p in parts])
    t, x, u_x, v, u_v, a, u_a = (
        together(name) for name in ("t", "x", "u_x", "v", "u_v", "a", "u_a")
    )
    return DerivedChannel(rows, t, x, u_x, v, u_v, a, u_a, windows)


def _stretch(
    rows: Rows,
    t: Array,
    x: Array,
    noise: LocalNoise,
    method: Method,
    window: WindowRequest,
    share: Array | None,
) -> DerivedChannel:
    """Derive one stretch of one channel; `share` is the variance of each reading over σ²."""
    smooth = local_estimates(t, x, noise, window, share)
    windows = {order: smooth[order][2] for order in (1, 2)}
    speed = np.nan_to_num(smooth[1][0])
    u_x = np.sqrt(noise.sigma**2 * (1.0 if share is None else share) + (noise.stamp * speed) ** 2)
    (v, u_v), (a, u_a) = smooth[1][:2], smooth[2][:2]
    if method is not Method.LOCAL:
        (v, u_v), (a, u_a) = _differences(t, x, noise, method, smooth, share)
        windows = {1: np.full(len(t), 3 if method is Method.CENTRAL else 2), 2: np.full(len(t), 3)}
    return DerivedChannel(rows, t, x, u_x, v, u_v, a, u_a, windows)


def _differences(
    t: Array,
    x: Array,
    noise: LocalNoise,
    method: Method,
    smooth: Mapping[int, tuple[Array, Array, Rows]],
    share: Array | None,
) -> list[tuple[Array, Array]]:
    """Velocity and acceleration by differences; what a difference leaves out is judged from the
    local fits.
    """
    n = len(t)
    found = []
    root = np.ones(n) if share is None else np.sqrt(share)
    level = (
        sliding_with_sizes(t, x, smooth[1][2], [(0, QUOTED_DEGREE[0])], 0.0)[0][0] if n > 2 else x
    )
    for order in (1, 2):
        value, exact, norm = (np.full(n, np.nan) for _ in range(3))
        if n > order:
            rows, near = _neighbours(n, method, order)
            ts, xs, levels = t[near], x[near], level[near]
            weights = _difference_weights(ts, t[rows], order, method)
            value[rows] = np.einsum("ij,ij->i", weights, xs - xs[:, :1])
            exact[rows] = np.einsum("ij,ij->i", weights, levels - levels[:, :1])
            spread = weights * root[near]
            norm[rows] = np.sqrt(
                np.einsum(
                    "ij,jk,ik->i", spread, _correlation_matrix(spread.shape[1], noise), spread
                )
            )
        speed = np.nan_to_num(smooth[1][0])
        bias = np.nan_to_num(exact - smooth[order][0])
        found.append(
            (
                value,
                np.sqrt((norm * noise.sigma) ** 2 + (norm * noise.stamp * speed) ** 2 + bias**2),
            )
        )
    return found


def _correlation_matrix(size: int, noise: LocalNoise) -> Array:
    away = np.abs(np.subtract.outer(np.arange(size), np.arange(size)))
    return np.asarray(np.where(away == 0, 1.0, noise.correlation**away))


def _neighbours(n: int, method: Method, order: int) -> tuple[Rows, Rows]:
    """The rows that have the neighbours a difference needs, (m,), and the rows of those, (m, 2 or
    3).
    """
    before, after = (-1, 1) if method is Method.CENTRAL else (-order, 0)
    rows = np.arange(-before, n - after)
    return rows, rows[:, None] + np.arange(before, after + 1)


def _difference_weights(ts: Array, at: Array, order: int, method: Method) -> Array:
    """Weights of a derivative at some times of the polynomial through two or three samples each,
    shape (m, 2 or 3).
    """
    if ts.shape[1] == 2:
        step = ts[:, 1] - ts[:, 0]
        return np.stack([-1.0 / step, 1.0 / step], axis=1)
    d = ts - at[:, None]
    weights = np.empty_like(ts)
    for k in range(3):
        i, j = (m for m in range(3) if m != k)
        bottom = (d[:, k] - d[:, i]) * (d[:, k] - d[:, j])
        weights[:, k] = (2.0 if order == 2 else -(d[:, i] + d[:, j])) / bottom
    if (
        order == 2 and method is Method.TWO_POINT
    ):  # the change of the last two velocities over the last step
        h0, h1 = ts[:, 1] - ts[:, 0], ts[:, 2] - ts[:, 1]
        weights = np.stack(
            [1.0 / (h0 * h1), -1.0 / (h1 * h1) - 1.0 / (h0 * h1), 1.0 / (h1 * h1)], axis=1
        )
    return weights
