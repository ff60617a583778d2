"""From a mouse move on the rail to all numbers on screen, on the demo's first trial.

Run: QT_QPA_PLATFORM=offscreen .venv/bin/python benchmarks/dragging.py
"""

import os
import statistics
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtWidgets import QApplication

from inertian.desktop.bench.gestures import Drag, Handle
from inertian.desktop.shell.application import application, make_window
from inertian.desktop.shell.screenshots import settle
from inertian.project.demo_project import demo_project


def main() -> None:
    """Print the median and the longest time of 100 moves."""
    application()
    with tempfile.TemporaryDirectory() as folder:
        window = make_window(demo_project(), recovery_root=Path(folder))
        window.show()
        settle(window, lambda: bool(window.shelf.trials.verdicts))
        drag, times = Drag(window.document, Handle("before", "start"), 0.0), []
        for step in range(100):
            begin = time.perf_counter()
            drag.move(0.004 * step)
            QApplication.processEvents()
            times.append(1e3 * (time.perf_counter() - begin))
        drag.cancel()
        window.close()
    print(
        f"one move, numbers and picture: median {statistics.median(times):.0f} ms, longest "
        f"{max(times):.0f} ms"
    )


if __name__ == "__main__":
    main()
