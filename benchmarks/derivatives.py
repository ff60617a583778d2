"""Coverage and width of velocities and accelerations over simulated motions, and speed at a million
samples.

Run: python benchmarks/derivatives.py coverage [RUNS] | errors [MOTIONS] | speed
"""

import sys
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor

import numpy as np
from numpy.typing import NDArray
from scipy.signal import lfilter, savgol_filter

from inertian.motion.derivatives.local_derivatives import WindowRequest, local_estimates
from inertian.motion.noise.local_noise import LocalNoise, NoiseSegment, noise_of_segments
from inertian.motion.numerics.sliding_fits import sliding_estimates
from inertian.motion.numerics.window_selection import QUOTED_DEGREE, candidate_sizes
from inertian.quantities.coverage import P68, P95, coverage_factor

Array = NDArray[np.float64]
Motion = tuple[Callable[[Array], Array], ...]
KINDS = ("swinging", "swinging and dying away", "repelled", "thrown", "slowed by the air")
NOISES = ("white", "correlated 0.5", "correlated 0.7", "coarse steps", "time jitter")
SIGMA = 1e-3
KNOWN = LocalNoise(SIGMA, 0.0, 1e4, 0.0, 0.0)


def motion(kind: str, rng: np.random.Generator) -> Motion:
    """Return position, velocity and acceleration of a motion over two seconds, as functions of
    time.
    """
    size = rng.uniform(0.1, 0.6)
    if kind.startswith("swinging"):
        decay = 1.0 / rng.uniform(0.8, 3.0) if kind.endswith("away") else 0.0
        s = -decay + 2j * np.pi / rng.uniform(0.8, 3.0)
        phase = size * np.exp(1j * rng.uniform(0.0, 2.0 * np.pi))
        return tuple((lambda t, k=k: (phase * s**k * np.exp(s * t)).real) for k in range(3))
    if kind == "repelled":
        v, dv, tc, w = (
            rng.uniform(0.2, 1.0),
            rng.uniform(0.3, 1.5),
            rng.uniform(0.7, 1.3),
            rng.uniform(0.15, 0.35),
        )
        return (
            lambda t: v * t - 0.5 * dv * w * np.logaddexp(0.0, 2.0 * (t - tc) / w),
            lambda t: v - 0.5 * dv * (1.0 + np.tanh((t - tc) / w)),
            lambda t: -0.5 * dv / w / np.cosh((t - tc) / w) ** 2,
        )
    if kind == "thrown":
        v, a = rng.uniform(-1.0, 1.0), rng.uniform(-2.0, 2.0)
        return lambda t: v * t + 0.5 * a * t * t, lambda t: v + a * t, lambda t: a + 0.0 * t
    v, tau = rng.uniform(0.5, 2.0), rng.uniform(0.5, 2.0)
    return (
        lambda t: -v * tau * np.exp(-t / tau),
        lambda t: v * np.exp(-t / tau),
        lambda t: -v / tau * np.exp(-t / tau),
    )


def recorded(moving: Motion, t: Array, noise: str, rng: np.random.Generator) -> tuple[Array, float]:
    """Return readings of a motion and the step of the recording."""
    n = len(t)
    if noise == "coarse steps":
        step = 3.0 * SIGMA
        return np.round(
            (moving[0](t) + rng.uniform(0.0, step) + 0.2 * SIGMA * rng.normal(size=n)) / step
        ) * step, step
    if noise == "time jitter":
        return moving[0](t + 0.003 * rng.normal(size=n)) + 0.3 * SIGMA * rng.normal(size=n), 0.0
    rho = float(noise.split()[-1]) if noise != "white" else 0.0
    errors = lfilter([1.0], [1.0, -rho], rng.normal(size=n + 100) * np.sqrt(1.0 - rho**2))[100:]
    return moving[0](t) + SIGMA * errors, 0.0


def cell(asked: tuple[int, bool, str, int]) -> tuple[tuple[int, bool, str], Array, Array]:
    """Return coverage of 68 and 95 % on average and at the sharpest curvature, and the widths
    against the best window.

    One cell: number of samples, even spacing or not, noise, number of runs. Widths are root mean
    squares of u, those of the best window the root mean square error of the best one window for all
    samples of that motion.
    """
    n, even, noise, runs = asked
    rng = np.random.default_rng(n + 7 * runs + 1000 * NOISES.index(noise) + 17 * even)
    hits, widths = [], []
    for run in range(runs):
        if run % 10 == 0:
            moving = motion(KINDS[(run // 10) % len(KINDS)], rng)
        t = (
            np.arange(n) * 2.0 / n
            if even
            else np.sort(rng.uniform(0.0, 0.8, n) + np.arange(n)) * 2.0 / n
        )
        x, step = recorded(moving, t, noise, rng)
        known = noise_of_segments([[NoiseSegment(t, x)]], [step])[0]
        k68, k95 = coverage_factor(P68, known.dof), coverage_factor(P95, known.dof)
        own, width = [], []
        for order, (value, u, _) in local_estimates(t, x, known).items():
            off = np.abs(value - moving[order](t)) / u
            inner = slice(n // 8, n - n // 8)
            sharp = int(np.argmax(np.abs(moving[2](t))[inner])) + n // 8
            own += [np.mean(off < k68), np.mean(off < k95), off[sharp] < k68, off[sharp] < k95]
            width.append(float(np.mean(u[inner])))
        hits.append(own)
        widths.append(width)
    return (n, even, noise), np.mean(hits, axis=0), np.mean(widths, axis=0)


def coverage(runs: int) -> None:
    """Print the table of coverage."""
    cells = [
        (n, e, noise, runs if n < 500 else runs // 5)
        for n in (8, 60, 500)
        for e in (True, False)
        for noise in NOISES
    ]
    print(
        "samples, spacing, noise | v 68 % | v 95 % | sharpest 68, 95 | a 68 % | a 95 % | "
        "sharpest 68, 95"
    )
    with ProcessPoolExecutor(2) as pool:
        for (n, even, noise), hits, _ in pool.map(cell, cells):
            numbers = " | ".join(f"{100.0 * h:.1f}" for h in hits)
            print(f"{n}, {'even' if even else 'uneven'}, {noise} | {numbers}", flush=True)


def errors(motions: int) -> None:
    """Print how the error of the windows by the data compares with that of the best one window of
    each motion.
    """
    rng = np.random.default_rng(4)
    ratios: dict[int, list[float]] = {1: [], 2: []}
    for k in range(motions):
        n = int(rng.choice([40, 60, 120, 300]))
        moving, t = motion(KINDS[k % len(KINDS)], rng), np.arange(n) * 2.0 / n
        sigma = 10.0 ** rng.uniform(-3.7, -2.5)
        mine: dict[int, float] = {1: 0.0, 2: 0.0}
        fixed: dict[tuple[int, int], float] = {}
        for _ in range(8):
            x = moving[0](t) + sigma * rng.normal(size=n)
            found = local_estimates(t, x, noise_of_segments([[NoiseSegment(t, x)]], [0.0])[0])
            for order in (1, 2):
                truth = moving[order](t)
                mine[order] += float(np.mean((found[order][0] - truth) ** 2))
                for size in (7, *candidate_sizes(n)):
                    value = sliding_estimates(t, x, size, [(order, QUOTED_DEGREE[order])])[0][0]
                    fixed[order, size] = fixed.get((order, size), 0.0) + float(
                        np.mean((value - truth) ** 2)
                    )
        for order in (1, 2):
            ratios[order].append(
                np.sqrt(mine[order] / min(e for (o, _), e in fixed.items() if o == order))
            )
    for order, name in ((1, "velocity"), (2, "acceleration")):
        r = np.array(ratios[order])
        print(
            f"{name}: within 1.3 of the best window in {100 * np.mean(r <= 1.3):.0f} %, median "
            f"{np.median(r):.2f}"
        )


def _best(work: Callable[[], object], times: int = 5) -> float:
    found = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return min(found)


def speed() -> None:
    """Print times of velocity, acceleration and their uncertainties, a million samples, against the
    references.
    """
    rng = np.random.default_rng(1)
    n = 1_000_000
    even, uneven = np.arange(n) * 0.001, np.cumsum(rng.uniform(0.0005, 0.0015, n))
    for name, t in (("even", even), ("uneven", uneven)):
        x = np.sin(t) + SIGMA * rng.normal(size=n)
        by_hand = _best(lambda t=t, x=x: local_estimates(t, x, KNOWN, WindowRequest(samples=51)))
        by_data = _best(lambda t=t, x=x: local_estimates(t, x, KNOWN), 3)
        judged = _best(lambda t=t, x=x: noise_of_segments([[NoiseSegment(t, x)]], [0.0]), 3)
        if name == "even":
            reference = _best(lambda x=x: (savgol_filter(x, 51, 4, 1), savgol_filter(x, 51, 5, 2)))
        else:
            reference = _best(lambda t=t, x=x: np.gradient(x, t))
        found = ("of 51", by_hand), ("by the data", by_data), ("noise", judged)
        parts = ", ".join(
            f"{label} {1e3 * took:.0f} ms ({took / reference:.2f} ×)" for label, took in found
        )
        print(f"{name}: {parts}; reference {1e3 * reference:.0f} ms")


if __name__ == "__main__":
    what, count = sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else 0
    {
        "coverage": lambda: coverage(count or 200),
        "errors": lambda: errors(count or 60),
        "speed": speed,
    }[what]()
