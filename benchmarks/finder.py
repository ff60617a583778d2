"""How well the span finder does on simulated trials, and how long it takes.

Run: .venv/bin/python benchmarks/finder.py [trials] [first seed]; seeds below 1000 were used in
tuning, the judge starts at 100000. The judge itself is that of the tests.
"""

import sys
import time
from pathlib import Path

import numpy as np

from inertian.motion.spans.finder import find_spans
from inertian.rink.scenes import SCENES, record

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
from span_judge import report, run, trial_of

FIRST_SEED = 100_000


def speed() -> str:
    """Return the time for a million samples against one Savitzky-Golay filter of the same."""
    from scipy.signal import savgol_filter

    rng = np.random.default_rng(7)
    scene = SCENES[0](rng)
    t, x = record(scene, rng, 1e6 / scene.end, 0.001)
    trial = trial_of(t, x)
    ratios = []
    for _ in range(3):
        begin = time.perf_counter()
        for c in x.values():
            savgol_filter(c[:, 0], 51, 2)
        middle = time.perf_counter()
        find_spans(trial)
        ratios.append((time.perf_counter() - middle) / (middle - begin))
    return (
        f"{len(t)} samples of two bodies: {np.median(ratios):.1f} × savgol_filter of the same "
        "samples"
    )


if __name__ == "__main__":
    count, first = (
        (int(a) for a in (*sys.argv[1:], 500, FIRST_SEED)[:2])
        if len(sys.argv) < 3
        else map(int, sys.argv[1:3])
    )
    result = run(count, first)
    if "-v" in sys.argv or first < FIRST_SEED:
        print("\n".join(result.bad))
    print("\n".join(report(result)))
    print(speed())
