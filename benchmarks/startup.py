"""Start to a usable window with the demo, against an empty pyqtgraph window.

Both are timed as whole processes, from start to the first painted picture, ours through the real
command `inertian demo`: by then the demo is made and read, its spans are suggested and the bench is
drawn. Run: make bench
"""

import argparse
import os
import statistics
import subprocess
import sys
import time

EMPTY = """
import sys
import pyqtgraph as pg
from PyQt6.QtWidgets import QApplication, QMainWindow
app = QApplication(sys.argv)
window = QMainWindow()
window.setCentralWidget(pg.PlotWidget())
window.resize(1280, 800)
window.show()
app.processEvents()
window.grab()
"""
OURS = """
import os, sys
sys.argv = ["inertian", "demo"]
from PyQt6.QtWidgets import QApplication
def first_picture(app=None):
    QApplication.processEvents()
    QApplication.topLevelWidgets()[0].window().grab()
    os._exit(0)
QApplication.exec = first_picture
from inertian.main import run
run()
"""


def seconds(code: str) -> float:
    """Return how long a fresh Python takes to run some code."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    # An installed program is compiled once, not at each start
    environment.pop("PYTHONDONTWRITEBYTECODE", None)
    begin = time.perf_counter()
    subprocess.run(
        [sys.executable, "-c", code], check=True, env=environment, stderr=subprocess.DEVNULL
    )
    return time.perf_counter() - begin


def main() -> None:
    """Print medians and the median of the paired ratios."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--runs", type=int, default=9)
    runs = parser.parse_args().runs
    seconds(OURS), seconds(EMPTY)
    pairs = [(seconds(OURS), seconds(EMPTY)) for _ in range(runs)]
    ours, empty = (statistics.median(p[i] for p in pairs) for i in (0, 1))
    ratio = statistics.median(a / b for a, b in pairs)
    print(
        f"start with the demo {ours:.2f} s, empty pyqtgraph window {empty:.2f} s, ratio "
        f"{ratio:.2f} (at most 1.6)"
    )


if __name__ == "__main__":
    main()
