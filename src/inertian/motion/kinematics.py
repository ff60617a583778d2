"""Velocity and acceleration of every body of a trial, at every sample, each with its standard uncertainty."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from inertian.motion.local import parts_of
from inertian.motion.local_estimates import BY_DATA, WindowAsked, banded, local_estimates
from inertian.motion.local_noise import WATCHED, LocalNoise, Stretch, estimate, with_given
from inertian.motion.noise import READINGS, Noise
from inertian.motion.spans import Spans
from inertian.motion.trials import Body, Trial
from inertian.motion.windows import QUOTED
from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import Array, Pools, Rows

AT_ONCE = 1_600  # samples that noise is judged by where someone waits for the picture


class Method(StrEnum):
    """How velocity and acceleration are had from positions."""

    LOCAL = "local"  # local polynomials, windows by the data
    CENTRAL = "central"  # the parabola through a sample and its two neighbours
    TWO_POINT = "two-point"  # from the sample before to this one, as a class writes it first


class NoSamplesError(Refusal):
    """A trial has nothing that could be derived."""


UNMARKED = Spans()


@dataclass(frozen=True, eq=False)
class Derived:
    """What was derived of one channel, in SI, at its readings; all arrays have shape (n,), NaN where there is none.

    `rows` are the rows of the trial; `windows` how many samples each estimate of an order was made of.
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
    axes: Mapping[str, Derived]


def stretches_of(t: Array, x: Array, walls: Sequence[float]) -> list[Rows]:
    """Return the rows of samples that local fits may span, between walls and gaps; t and x of shape (n,)."""
    usable = np.flatnonzero(np.isfinite(x))
    return [usable[part.start : part.stop] for part in parts_of(t[usable], walls)]


def derive(
    trial: Trial,
    spans: Spans = UNMARKED,
    method: Method = Method.LOCAL,
    window: WindowAsked = BY_DATA,
    given: Mapping[str, float] | None = None,
) -> list[BodyDerived]:
    """Return position, velocity and acceleration of all bodies that were followed, with standard uncertainties.

    Nothing reaches across the walls of contacts, nor across long gaps. `given` is a known σ of readings by body, in m;
    it is not used where the samples clearly scatter more. Raises NoSamplesError if no body was followed.
    """
    if not trial.followed:
        raise NoSamplesError(f"{trial.name}: no positions were recorded, so there is nothing to derive.")
    rows, noises = _judged(trial, spans)
    result = []
    for body, own in zip(trial.followed, noises, strict=True):
        noise = with_given(own, given[body.name]) if given and body.name in given else own
        result.append(_body(trial, body, noise, rows, method, window))
    return result


def _judged(
    trial: Trial, spans: Spans, watched: int = WATCHED
) -> tuple[dict[tuple[str, str], list[Rows]], list[LocalNoise]]:
    """The rows of the stretches of each channel, and the noise of each body that was followed."""
    rows = {
        (body.name, channel.axis): stretches_of(trial.t, channel.si, spans.of(body.name).walls())
        for body in trial.followed
        for channel in body.channels
    }
    cut = [
        [Stretch(trial.t[r], c.si[r]) for c in body.channels for r in rows[body.name, c.axis]]
        for body in trial.followed
    ]
    steps = [max(c.resolution for c in body.channels) for body in trial.followed]
    return rows, estimate(cut, steps, watched)


def noise_of_trial(trial: Trial, spans: Spans) -> Noise:
    """Return the noise of a trial by itself, from local fits: what there is to go by where no free motion is marked.

    Bodies are taken together, each by how well its noise is known.
    """
    known = [one for one in _judged(trial, spans, AT_ONCE)[1] if np.isfinite(one.sigma)]
    if not known:
        return Noise(0.0, 0.0, float("inf"), Pools())
    weights = np.array([max(one.dof, 1.0) for one in known])
    sigma = float(np.sqrt(weights @ [one.sigma**2 for one in known] / weights.sum()))
    dof = float(sum(one.dof for one in known))
    pools = Pools({(READINGS, READINGS): 2.0 / dof}) if dof > 0.0 else Pools()
    return Noise(sigma, max(one.stamp for one in known), dof or float("inf"), pools)


def _body(
    trial: Trial,
    body: Body,
    noise: LocalNoise,
    rows: Mapping[tuple[str, str], list[Rows]],
    method: Method,
    window: WindowAsked,
) -> BodyDerived:
    axes = {}
    for channel in body.channels:
        found = [_stretch(r, trial.t[r], channel.si[r], noise, method, window) for r in rows[body.name, channel.axis]]
        if found:
            axes[channel.axis] = _joined(found)
    return BodyDerived(body.name, noise, axes)


def _joined(parts: Sequence[Derived]) -> Derived:
    if len(parts) == 1:
        return parts[0]

    def together(part: str) -> Array:
        return np.concatenate([getattr(p, part) for p in parts])

    windows = {o: np.concatenate([p.windows[o] for p in parts]) for o in parts[0].windows}
    rows = np.concatenate([p.rows for p in parts])
    t, x, u_x, v, u_v, a, u_a = (together(name) for name in ("t", "x", "u_x", "v", "u_v", "a", "u_a"))
    return Derived(rows, t, x, u_x, v, u_v, a, u_a, windows)


def _stretch(rows: Rows, t: Array, x: Array, noise: LocalNoise, method: Method, window: WindowAsked) -> Derived:
    """Derive one stretch of one channel."""
    smooth = local_estimates(t, x, noise, window)
    windows = {order: smooth[order][2] for order in (1, 2)}
    speed = np.nan_to_num(smooth[1][0])
    u_x = np.sqrt(noise.sigma**2 + (noise.stamp * speed) ** 2)
    (v, u_v), (a, u_a) = smooth[1][:2], smooth[2][:2]
    if method is not Method.LOCAL:
        (v, u_v), (a, u_a) = _differences(t, x, noise, method, smooth)
        windows = {1: np.full(len(t), 3 if method is Method.CENTRAL else 2), 2: np.full(len(t), 3)}
    return Derived(rows, t, x, u_x, v, u_v, a, u_a, windows)


def _differences(
    t: Array, x: Array, noise: LocalNoise, method: Method, smooth: Mapping[int, tuple[Array, Array, Rows]]
) -> list[tuple[Array, Array]]:
    """Velocity and acceleration by differences; what a difference leaves out is judged from the local fits."""
    n = len(t)
    found = []
    level = banded(t, x, smooth[1][2], [(0, QUOTED[0])], 0.0)[0][0] if n > 2 else x
    for order in (1, 2):
        value, exact, norm = (np.full(n, np.nan) for _ in range(3))
        if n > order:
            rows, ts, xs, levels = _neighbours(t, x, level, method, order)
            weights = _through(ts, t[rows], order, method)
            value[rows] = np.einsum("ij,ij->i", weights, xs - xs[:, :1])
            exact[rows] = np.einsum("ij,ij->i", weights, levels - levels[:, :1])
            norm[rows] = np.sqrt(np.einsum("ij,jk,ik->i", weights, _alike(weights.shape[1], noise), weights))
        speed = np.nan_to_num(smooth[1][0])
        left_out = np.nan_to_num(exact - smooth[order][0])
        found.append((value, np.sqrt((norm * noise.sigma) ** 2 + (norm * noise.stamp * speed) ** 2 + left_out**2)))
    return found


def _alike(size: int, noise: LocalNoise) -> Array:
    away = np.abs(np.subtract.outer(np.arange(size), np.arange(size)))
    return np.asarray(np.where(away == 0, 1.0, noise.correlation**away))


def _neighbours(t: Array, x: Array, level: Array, method: Method, order: int) -> tuple[Rows, Array, Array, Array]:
    """The rows that have the neighbours a difference needs, and the times and values of those, shape (m, 2 or 3)."""
    n = len(t)
    before, after = (-1, 1) if method is Method.CENTRAL else (-order, 0)
    rows = np.arange(-before, n - after)
    near = rows[:, None] + (np.arange(before, after + 1) if n else 0)
    return rows, t[near], x[near], level[near]


def _through(ts: Array, at: Array, order: int, method: Method) -> Array:
    """Weights of a derivative at some times of the polynomial through two or three samples each, shape (m, 2 or 3)."""
    if ts.shape[1] == 2:
        step = ts[:, 1] - ts[:, 0]
        return np.stack([-1.0 / step, 1.0 / step], axis=1)
    d = ts - at[:, None]
    weights = np.empty_like(ts)
    for k in range(3):
        i, j = (m for m in range(3) if m != k)
        bottom = (d[:, k] - d[:, i]) * (d[:, k] - d[:, j])
        weights[:, k] = (2.0 if order == 2 else -(d[:, i] + d[:, j])) / bottom
    if order == 2 and method is Method.TWO_POINT:  # the change of the last two velocities over the last step
        h0, h1 = ts[:, 1] - ts[:, 0], ts[:, 2] - ts[:, 1]
        weights = np.stack([1.0 / (h0 * h1), -1.0 / (h1 * h1) - 1.0 / (h0 * h1), 1.0 / (h1 * h1)], axis=1)
    return weights
