"""Reading, understanding and hashing a clean table of 1,000,000 × 3, against polars.read_csv of it.

Prints the median of paired ratios and the peak of memory above the start over the file's size.
Run: .venv/bin/python benchmarks/reading.py
"""

import argparse
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import polars as pl

from inertian.files.reader import read_file

ROWS = 1_000_000
MEMORY = """
import re, sys
from pathlib import Path
import polars
from inertian.files.reader import read_file
small, large = map(Path, sys.argv[1:])
read_file(small)
def peak():
    return int(re.search(r"VmHWM:\\s+(\\d+)", open("/proc/self/status").read())[1])
before = peak()
reading = read_file(large)
print((peak() - before) * 1024 / large.stat().st_size)
"""


def write(path: Path, rows: int) -> None:
    """Write a clean recording of two stones."""
    rng = np.random.default_rng(1)
    t = np.arange(rows) * 1e-3
    x = t + np.cumsum(rng.normal(0, 1e-3, rows))
    y = 2 + np.cumsum(rng.normal(0, 1e-3, rows))
    columns = {"time (s)": np.round(t, 3), "heavy (m)": np.round(x, 5), "light (m)": np.round(y, 5)}
    pl.DataFrame(columns).write_csv(path)


def seconds(work: object) -> float:
    """Return how long a call takes."""
    begin = time.perf_counter()
    work()  # type: ignore[operator]
    return time.perf_counter() - begin


def main() -> None:
    """Print the figures."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--runs", type=int, default=15)
    runs = parser.parse_args().runs
    with tempfile.TemporaryDirectory() as folder:
        path, small = Path(folder) / "long.csv", Path(folder) / "short.csv"
        write(path, ROWS)
        write(small, 30_000)
        pl.read_csv(path), read_file(path)
        pairs = [
            (seconds(lambda: read_file(path)), seconds(lambda: pl.read_csv(path)))
            for _ in range(runs)
        ]
        ours, theirs = (statistics.median(p[i] for p in pairs) for i in (0, 1))
        ratio = statistics.median(a / b for a, b in pairs)
        print(
            f"reading {ours:.3f} s, polars.read_csv {theirs:.3f} s, ratio {ratio:.2f} (at most 2)"
        )
        command = [sys.executable, "-c", MEMORY, str(small), str(path)]
        memory = float(subprocess.run(command, check=True, capture_output=True, text=True).stdout)
        print(f"memory {memory:.1f} × the file's size (at most 6)")


if __name__ == "__main__":
    main()
