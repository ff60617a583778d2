"""200 files of 500 rows through the window: drop, understand, bring in; and the longest gap of the
event loop.

Run: QT_QPA_PLATFORM=offscreen .venv/bin/python benchmarks/intake.py
"""

import tempfile
import time
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from inertian.desktop.shell.application import make_window
from inertian.desktop.shell.screenshots import settle
from inertian.project.project import Project

FILES, ROWS = 200, 500


def write(folder: Path) -> list[Path]:
    """Write recordings of a hit between two stones."""
    rng = np.random.default_rng(2)
    t = np.arange(ROWS) / 50
    paths = []
    for number in range(FILES):
        hit = rng.uniform(4, 6)
        heavy = np.where(t < hit, 0.3 * t, 0.3 * hit + 0.1 * (t - hit)) + rng.normal(0, 1e-3, ROWS)
        light = np.where(t < hit, 2.0, 2.0 + 0.34 * (t - hit)) + rng.normal(0, 1e-3, ROWS)
        rows = "".join(
            f"{a:.2f}\t{h:.4f}\t{x:.4f}\n" for a, h, x in zip(t, heavy, light, strict=True)
        )
        paths.append(folder / f"run {number:03d}.tsv")
        paths[-1].write_text("time (s)\theavy (m)\tlight (m)\n" + rows)
    return paths


def main() -> None:
    """Print seconds for both halves and the longest gap between two ticks of the event loop."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        paths = write(folder)
        window = make_window(Project("p"), recovery_root=folder / "recovery")
        window.show()
        _ = window.import_controller.stage, window.import_controller.margin
        for _ in range(50):
            QApplication.processEvents()
            time.sleep(0.01)
        gaps, last = [], [time.perf_counter()]

        def tick() -> None:
            now = time.perf_counter()
            gaps.append((now - last[0], now))
            last[0] = now

        beat = QTimer(interval=5)
        beat.timeout.connect(tick)
        beat.start()
        begin = last[0] = time.perf_counter()
        window.project_files.open_files(paths)
        desk = window.import_controller.desk
        settle(window, lambda: not desk.busy and not desk.empty)
        read = time.perf_counter()
        window.import_controller.bring_in()
        settle(window, lambda: bool(window.document.project.entries))
        done = time.perf_counter()
        total, first, second = done - begin, read - begin, done - read
        longest, when = max(gaps)
        print(
            f"{FILES} files of {ROWS} rows: {total:.2f} s (understood {first:.2f}, brought in "
            f"{second:.2f}; at most 4)"
        )
        window.project_files.may_leave = lambda: True
        window.close()
        print(
            f"longest gap of the event loop {1000 * longest:.0f} ms, at {when - begin:.2f} s "
            "(at most 100)"
        )


if __name__ == "__main__":
    main()
