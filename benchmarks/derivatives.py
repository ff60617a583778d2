"""Coverage and width of velocities and accelerations over simulated motions, and speed at a million
samples.

Run: python benchmarks/derivatives.py coverage [RUNS] | errors [RUNS] | speed
"""

import sys
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.signal import savgol_filter

import inertian  # noqa: F401  before numpy, whose threads it limits
from inertian.motion.derivatives.derive import BodyDerived, derive, noise_of_bodies
from inertian.motion.derivatives.local_derivatives import BY_DATA, WindowRequest
from inertian.motion.noise.local_noise import LocalNoise
from inertian.motion.numerics.sliding_fits import sliding_estimates
from inertian.motion.numerics.window_selection import candidate_sizes
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.motion.spans.spans import Spans
from inertian.quantities.coverage import P68, P95, coverage_factor
from inertian.quantities.units import unit_of

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
from motions import MOTIONS, recorded

Array = NDArray[np.float64]
SIGMA = 1e-3
KNOWN = LocalNoise(SIGMA, 0.0, 1e4, 0.0, 0.0)
STEP = 5e-3
CELLS = [
    *((n, "even", noise) for n in (8, 15, 60) for noise in ("white", "0.5", "0.7", "steps")),
    (60, "even", "jitter"),
    (60, "uneven", "white"),
    (60, "gap", "white"),
    (300, "even", "white"),
    (300, "even", "0.7"),
    (2000, "even", "white"),
]
DEGREES = (1, 2, 3, 4)  # of the polynomials in fixed windows


def trial_of(t: Array, x: Array, step: float | None = None) -> Trial:
    """Return a trial of one body along x, in m and s."""
    channel = Channel("x", "x", unit_of("length", "m"), x, step=step)
    return Trial("made", "made", "t", unit_of("time", "s"), t, (Body("body", (channel,)),))


def best_window(t: Array, x: Array, order: int, true: Array) -> float:
    """Return the root mean square error of the best polynomial in one window for all samples, in
    hindsight.
    """
    found = [
        float(np.sqrt(np.mean((sliding_estimates(t, x, size, [(order, p)])[0][0] - true) ** 2)))
        for p in DEGREES
        if p >= order
        for size in (5, 7, *candidate_sizes(len(t)))
        if p < size <= len(t)
    ]
    return float(np.nanmin(found))


def one(asked: tuple[str, int, str, str, int]) -> dict[int, list[float]]:
    """Return shares inside 68 and 95 %, on average, at the sharpest and at both ends, squared
    errors and those of the best window, and widths, by order.
    """
    kind, n, spacing, noise, seed = asked
    rng = np.random.default_rng([seed, n, list(MOTIONS).index(kind)])
    made = recorded(rng, kind, n, spacing, noise)
    trial = trial_of(made.t, made.x, STEP if noise == "steps" else None)
    (body,) = derive(trial)
    d, found = body.axes["x"], {}
    k68, k95 = (coverage_factor(p, body.noise.dof) for p in (P68, P95))
    for order, (value, u) in {1: (d.v, d.u_v), 2: (d.a, d.u_a)}.items():
        true = made.true[order]
        off = np.abs(value - true) / u
        sharp = int(np.argmax(np.abs(made.true[2] - np.median(made.true[2]))))
        inside = [off < k for k in (k68, k95)]
        found[order] = [
            *(float(i.mean()) for i in inside),
            *(float(i[sharp]) for i in inside),
            *(0.5 * float(i[0]) + 0.5 * float(i[-1]) for i in inside),
            float(np.mean((value - true) ** 2)),
            best_window(made.t, made.x, order, true) ** 2,
        ]
    return found


def coverage(runs: int) -> None:
    """Print the table of coverage by cell, over all motions, and that of the motions."""
    by_motion: dict[str, list[dict[int, list[float]]]] = {kind: [] for kind in MOTIONS}
    print("samples, spacing, noise | v | sharpest | ends | a | sharpest | ends | worst motion")
    with ProcessPoolExecutor(2) as pool:
        for n, spacing, noise in CELLS:
            count = runs if n < 300 else max(runs // 5, 4)
            asked = [(kind, n, spacing, noise, k) for kind in MOTIONS for k in range(count)]
            found = list(pool.map(one, asked, chunksize=8))
            for (kind, *_), hits in zip(asked, found, strict=True):
                if n == 60:
                    by_motion[kind].append(hits)
            worst = [
                min(
                    MOTIONS,
                    key=lambda kind, o=o: np.mean(
                        [h[o][1] for (k, *_), h in zip(asked, found, strict=True) if k == kind]
                    ),
                )
                for o in (1, 2)
            ]
            print(f"{n}, {spacing}, {noise} | {_said(found)} | {', '.join(worst)}", flush=True)
    for kind, hits in by_motion.items():
        print(f"{kind} | {_said(hits)} | {_ratios(hits)}")


def _said(found: list[dict[int, list[float]]]) -> str:
    parts = []
    for order in (1, 2):
        means = 100.0 * np.mean([one[order][:6] for one in found], axis=0)
        parts += [f"{means[k]:.0f}, {means[k + 1]:.0f}" for k in (0, 2, 4)]
    return " | ".join(parts)


def _ratios(found: list[dict[int, list[float]]]) -> str:
    squares = {o: np.mean([one[o][6:8] for one in found], axis=0) for o in (1, 2)}
    return " | ".join(f"{np.sqrt(s[0] / s[1]):.2f}" for s in squares.values())


def errors(runs: int) -> None:
    """Print root mean square errors over those of the best one window, by motion, of 60 even
    samples with white noise.
    """
    with ProcessPoolExecutor(2) as pool:
        for kind in MOTIONS:
            asked = [(kind, 60, "even", "white", k) for k in range(runs)]
            print(f"{kind} | {_ratios(list(pool.map(one, asked, chunksize=8)))}", flush=True)


def derived(trial: Trial, window: WindowRequest = BY_DATA) -> list[BodyDerived]:
    """Derive a trial whose noise is known."""
    return derive(trial, window=window, noises=[KNOWN])


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
        trial = trial_of(t, x)
        by_hand = _best(lambda trial=trial: derived(trial, WindowRequest(samples=51)))
        by_data = _best(lambda trial=trial: derived(trial), 3)
        judged = _best(lambda trial=trial: noise_of_bodies(trial, Spans()), 3)
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
