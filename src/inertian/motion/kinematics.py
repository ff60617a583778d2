"""Velocity and acceleration of every body of a trial, at every sample, each with its standard uncertainty."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from inertian.motion.local import segments
from inertian.motion.local_noise import WATCHED, LocalNoise, Stretch, estimate, with_given
from inertian.motion.noise import READINGS, Noise
from inertian.motion.sliding import Asked, bands, sliding
from inertian.motion.spans import Spans
from inertian.motion.trials import Body, Trial
from inertian.motion.windows import LONG, QUOTED, TESTED, misfits, windows_for
from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import Array, Pools, Rows

GAP = 10.0  # usual steps between two samples beyond which they are not of one stretch
WIDER = 1.4  # times the window, in which the next two degrees tell what the quoted one leaves out
FADES = {0: 4, 1: 3, 2: 2}  # power of the size with which that is carried down to the window itself, by order
AT_ONCE = 1_600  # samples that noise is judged by where someone waits for the picture
SEEN, PLACES = 600, 8  # samples in a place that long stretches are looked at, and how many
NARROWEST = {0: 3, 1: 3, 2: 4}  # samples in a window by hand


class Method(StrEnum):
    """How velocity and acceleration are had from positions."""

    LOCAL = "local"  # local polynomials, windows by the data
    CENTRAL = "central"  # the parabola through a sample and its two neighbours
    TWO_POINT = "two-point"  # from the sample before to this one, as a class writes it first


class NoSamplesError(Refusal):
    """A trial has nothing that could be derived."""


@dataclass(frozen=True)
class WindowAsked:
    """A window by hand: so many samples, or so many seconds at the usual step of the trial. By the data if neither."""

    samples: int | None = None
    seconds: float | None = None

    def odd(self, step: float, order: int) -> int | None:
        """Return the window in samples, odd, or None for one by the data; step in s."""
        if self.samples is None and self.seconds is None:
            return None
        wanted = self.samples if self.samples is not None else round((self.seconds or 0.0) / step)
        return max(int(wanted) // 2 * 2 + 1, NARROWEST[order] // 2 * 2 + 1)


BY_DATA, UNMARKED = WindowAsked(), Spans()


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
    step = float(np.median(np.diff(t[usable]))) if len(usable) > 1 else 0.0
    found: list[Rows] = []
    for own in segments(t, usable, walls):
        breaks = np.flatnonzero(np.diff(t[own]) > GAP * step) + 1
        found += [part for part in np.split(own, breaks) if len(part)]
    return found


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


def local_estimates(
    t: Array, x: Array, noise: LocalNoise, window: WindowAsked = BY_DATA
) -> dict[int, tuple[Array, Array, Rows]]:
    """Return velocity (1) and acceleration (2) of one stretch: values, standard uncertainties, windows; shape (n,).

    The uncertainty is that of the readings, with their correlation, of the time stamps, and of what the polynomial
    may leave out: the next two degrees in a window WIDER times larger say how much that is (JCGM 100:2008, 4.3).
    """
    n = len(t)
    step = float(np.median(np.diff(t))) if n > 1 else 1.0
    sizes = {order: window.odd(step, order) for order in (1, 2)}
    by_data = sizes[1] is None
    known = by_data and np.isfinite(noise.sigma)
    tried = misfits(t, x, noise.sigma, noise.correlation) if known else []
    chosen = {
        order: windows_for(order, tried, n) if size is None else np.full(n, min(size, n))
        for order, size in sizes.items()
    }
    estimates = _at_windows(t, x, chosen, noise.correlation)
    speed = np.nan_to_num(estimates[1][0])
    found = {}
    for order, (value, norm) in estimates.items():
        used = chosen[order]
        variance = (noise.sigma * norm) ** 2
        if noise.step > 0.0:
            variance *= noise.excess(used, speed * step)
        if noise.stamp > 0.0:
            variance += (norm * noise.stamp * speed) ** 2
        if n > np.min(used) or n < TESTED:
            variance += _left_out(t, x, order, used, noise)
        found[order] = (value, np.sqrt(variance), used)
    return found


def _at_windows(t: Array, x: Array, chosen: Mapping[int, Rows], correlation: float) -> dict[int, tuple[Array, Array]]:
    """Estimates with a window of its own for each sample; equal windows of both orders share one pass."""
    if np.array_equal(chosen[1], chosen[2]) and np.ptp(chosen[1]) == 0:
        both: list[Asked] = [(order, QUOTED[order]) for order in (1, 2)]
        return dict(zip((1, 2), sliding(t, x, int(chosen[1][0]), both, correlation), strict=True))
    return {order: _banded(t, x, sizes, [(order, QUOTED[order])], correlation)[0] for order, sizes in chosen.items()}


def _banded(t: Array, x: Array, sizes: Rows, asked: Sequence[Asked], correlation: float) -> list[tuple[Array, Array]]:
    """As `sliding`, with a window of its own for each sample; only what a run of equal windows needs is worked out."""
    n = len(t)
    found = [(np.empty(n), np.empty(n)) for _ in asked]
    for start, stop, size in bands(sizes, (0, n)):
        low, high = max(start - size, 0), min(stop + size, n)
        if high - low < size:
            low, high = 0, n
        own = sliding(t[low:high], x[low:high], size, asked, correlation)
        for (value, norm), (part, own_norm) in zip(found, own, strict=True):
            value[start:stop] = part[start - low : stop - low]
            norm[start:stop] = own_norm[start - low : stop - low]
    return found


def _left_out(t: Array, x: Array, order: int, sizes: Rows, noise: LocalNoise) -> Array:
    """The square of what the quoted degree may leave out at each sample, less what noise alone would make of it.

    Zero where all samples of the stretch were used, and were enough to see a misfit by. In long stretches it is looked
    at in some places only.
    """
    n = len(t)
    if n <= LONG:
        return _left_out_here(t, x, order, sizes, noise)
    half = max(int(sizes.max()), SEEN // 2)
    places = np.linspace(half, n - half, PLACES).astype(int)
    parts = [slice(max(p - half, 0), min(p + half, n)) for p in places]
    inner = slice(half // 2, 2 * half - half // 2)
    found = [float(np.mean(_left_out_here(t[p], x[p], order, sizes[p], noise)[inner])) for p in parts]
    return (
        np.interp(np.arange(n), places, found) if max(found) > 1e-3 * noise.sigma**2 / np.ptp(t) ** 2 else np.zeros(1)
    )


def _left_out_here(t: Array, x: Array, order: int, sizes: Rows, noise: LocalNoise) -> Array:
    n, degree = len(t), QUOTED[order]
    wider = np.maximum((sizes * WIDER).astype(np.intp), degree + 5) // 2 * 2 + 1
    wider = np.minimum(wider, n)
    both: list[Asked] = [(order, degree), (order, degree + 2)]
    (lower, less), (higher, more) = _banded(t, x, wider, both, noise.correlation)
    with np.errstate(invalid="ignore"):
        squares = (lower - higher) ** 2 - noise.sigma**2 * np.maximum(more**2 - less**2, 0.0)
    faded = np.maximum(squares, 0.0) * (sizes / wider) ** (2 * FADES[order])
    return np.where(((sizes < n) | (n < TESTED)) & np.isfinite(faded), faded, 0.0)


def _differences(
    t: Array, x: Array, noise: LocalNoise, method: Method, smooth: Mapping[int, tuple[Array, Array, Rows]]
) -> list[tuple[Array, Array]]:
    """Velocity and acceleration by differences; what a difference leaves out is judged from the local fits."""
    n = len(t)
    found = []
    level = _banded(t, x, smooth[1][2], [(0, QUOTED[0])], 0.0)[0][0] if n > 2 else x
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
