"""A pattern applied to many files of 2 × 500 samples: time, memory, and the same bytes for any
number of processes; and the event loop while files are treated in the window.

Run: .venv/bin/python benchmarks/apply.py 1000
"""

import argparse
import json
import os
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

FACTS = ("mass of A = 1.000 ± 0.001 kg", "mass of B = 0.900 ± 0.001 kg")
SAMPLES, RATE = 500, 100.0
START = 3  # s that two processes may take to begin
PROGRAM = (sys.executable, "-m", "inertian")


def write_files(folder: Path, count: int) -> list[Path]:
    """Files of hits of two bodies, made up."""
    rng, made = np.random.default_rng(1), []
    for k in range(count):
        t = np.arange(SAMPLES) / RATE
        hit, v, rub, m1, m2, e = rng.uniform(1.8, 2.4), rng.uniform(0.6, 1.4), 0.05, 1.0, 0.9, 0.8
        j = (1 + e) * m1 * m2 / (m1 + m2) * v
        columns = []
        for x0, u, w in ((0.0, v, v - j / m1), (0.2, 0.0, j / m2)):
            s = t - hit
            late = np.minimum(s, abs(w) / rub)
            x = np.where(
                s < 0,
                u * s - 0.5 * np.sign(u) * rub * s * s,
                w * late - 0.5 * np.sign(w) * rub * late * late,
            )
            columns.append(x0 + x + rng.normal(0.0, 5e-4, SAMPLES))
        rows = "\n".join(f"{a:.4f},{b:.5f},{c:.5f}" for a, b, c in zip(t, *columns, strict=True))
        path = folder / f"run {k + 1}.csv"
        path.write_text(f"t (s),A x (m),B x (m)\n{rows}\n")
        made.append(path)
    return made


def applied(project: Path, files: list[Path], jobs: int) -> tuple[float, bytes]:
    """Seconds, and what was printed."""
    begin = time.perf_counter()
    command = [*PROGRAM, "apply", str(project), *map(str, files)]
    done = subprocess.run(
        [*command, "--json", "--jobs", str(jobs)],
        capture_output=True,
        check=True,
        env={**os.environ, "OPENBLAS_NUM_THREADS": "1"},
    )
    return time.perf_counter() - begin, done.stdout


def main() -> None:
    """Print time and memory of two processes, and whether one says the same of some files."""
    parser = argparse.ArgumentParser()
    parser.add_argument("count", type=int, nargs="?", default=1000)
    count = parser.parse_args().count
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        files = write_files(folder, count)
        project = folder / "pattern.inertian"
        facts = [part for fact in FACTS for part in ("--fact", fact)]
        subprocess.run(
            [
                sys.executable,
                "-m",
                "inertian",
                "account",
                str(files[0]),
                *facts,
                "--save",
                str(project),
            ],
            capture_output=True,
            check=True,
        )
        few = files[: min(40, count)]
        same = applied(project, few, 1)[1] == applied(project, few, 2)[1]
        took, said = applied(project, files, 2)
        peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
        trials = json.loads(said)["trials"]
        clean = sum(not t["problems"] for t in trials)
        print(
            f"{count} files, two processes: {took:.1f} s, {1e3 * (took - 3) / count:.1f} ms a file"
        )
        print(f"largest process {peak:.0f} MB; {len(trials)} trials, {clean} without a problem")
        print(f"same bytes for one process and two: {same}")


if __name__ == "__main__":
    main()
