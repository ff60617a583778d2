"""How often the stated ± of a trend's slope and intercept hold the truth: simulated series, with
errors along both axes, a mass and a scale that all trials share, and a spread between trials.

Run: .venv/bin/python benchmarks/trend_coverage.py [SERIES [TRIALS...]]
"""

import sys
from itertools import product

import numpy as np

from inertian.analysis.trends.between_trials import with_spread_between_trials
from inertian.analysis.trends.line_fit import fit_line
from inertian.analysis.trends.points import Points, SharedErrors
from inertian.analysis.trends.trend_lines import TrendLine

DOF = 40.0  # of the noise of a series, which is estimated once


def truth(rng: np.random.Generator, n: int, kind: str) -> tuple[np.ndarray, float, float]:
    """True x, intercept and slope of a series."""
    x = {
        "even": np.linspace(0.5, 2.5, n),
        "bunched": np.concatenate([np.full(n - 1, 1.0) + 0.1 * rng.uniform(size=n - 1), [3.0]]),
        "both signs": np.linspace(-2.0, 1.5, n),
    }[kind]
    return (
        x,
        {"even": 0.4, "bunched": -1.0, "both signs": 0.0}[kind],
        {
            "even": -1.7,
            "bunched": 0.6,
            "both signs": 2.3,
        }[kind],
    )


def series(
    rng: np.random.Generator, n: int, kind: str, unequal: bool, spread: float, line: TrendLine
) -> tuple[Points, dict[str, float]]:
    """A simulated series and its true parameters. y is x through a factor, as momentum through a
    mass; both hang on a scale.
    """
    x, intercept, slope = truth(rng, n, kind)
    if line is TrendLine.ORIGIN:
        intercept = 0.0
    y = intercept + slope * x
    sizes = np.geomspace(0.3, 3.0, n) if unequal else np.ones(n)
    rng.shuffle(sizes)
    ux, uy, rho = 0.02 * sizes, 0.04 * sizes, 0.4
    estimated = np.sqrt(rng.chisquare(DOF) / DOF)  # of the noise, for all trials at once
    cov = np.zeros((n, 2, 2))
    cov[:, 0, 0], cov[:, 1, 1] = ux**2, uy**2
    cov[:, 0, 1] = cov[:, 1, 0] = rho * ux * uy
    errors = np.array([rng.multivariate_normal((0.0, 0.0), c) for c in cov])
    mass, scale = 0.02 * rng.normal(), 0.01 * rng.normal()  # relative errors
    more = spread * 0.04 * rng.normal(size=n)
    seen_x = (x + errors[:, 0]) * (1 + scale)
    seen_y = (y + more + errors[:, 1]) * (1 + scale) * (1 + mass)
    shared = SharedErrors(
        ("mass", "scale"),
        np.stack([np.zeros(n), seen_x], axis=1),
        np.stack([seen_y, seen_y], axis=1),
        np.diag([0.02**2, 0.01**2]),
        np.full(2, np.inf),
    )
    points = Points(seen_x, seen_y, estimated**2 * cov, shared, np.full(n, DOF), ("s",) * n)
    return points, {"intercept": intercept, "slope": slope}


def cell(n: int, kind: str, unequal: bool, spread: float, line: TrendLine, many: int) -> str:
    """One row: shares of series whose intervals hold the truth."""
    rng = np.random.default_rng([n, len(kind), unequal, int(10 * spread), len(line)])
    held: dict[str, list[tuple[bool, bool]]] = {}
    tau = []
    for _ in range(many):
        points, true = series(rng, n, kind, unequal, spread, line)
        if spread > 0.0:
            fit, between = with_spread_between_trials(points, line)
            low, high = between.interval95
            tau.append(low <= spread * 0.04 <= high)
        else:
            fit = fit_line(points, line)
        for name, one in fit.parameters.items():
            away = abs(one.value - true[name])
            held.setdefault(name, []).append((away <= one.k68 * one.u, away <= one.k95 * one.u))
    shares = "  ".join(
        f"{name} {100 * np.mean([a for a, _ in h]):.1f} {100 * np.mean([b for _, b in h]):.1f}"
        for name, h in held.items()
    )
    told = f"  spread 95: {100 * np.mean(tau):.1f}" if tau else ""
    bars = "unequal" if unequal else "equal  "
    return f"{n:3d} {kind:10s} {bars} {spread:.0f}x {line}: {shares}{told}"


def main() -> None:
    many = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    sizes = [int(text) for text in sys.argv[2:]] or [4, 10, 30]
    for n, kind, unequal, spread in product(
        sizes, ("even", "bunched", "both signs"), (False, True), (0.0, 3.0)
    ):
        # With a spread, a line through the origin takes ten times as long
        for line in (TrendLine.STRAIGHT, TrendLine.ORIGIN)[: 1 if spread else 2]:
            print(cell(n, kind, unequal, spread, line, many), flush=True)


if __name__ == "__main__":
    main()
