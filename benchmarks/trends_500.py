"""The trends stage with 500 trials and twelve columns: how soon the table is there, how table and
figure follow a dragged edge of the trial in view, and how it scrolls.

Run: QT_QPA_PLATFORM=offscreen .venv/bin/python benchmarks/trends_500.py [TRIALS]
"""

import os
import sys
import time
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np
from PyQt6.QtWidgets import QApplication

from inertian.desktop.look import words
from inertian.desktop.look.tokens import LIGHT
from inertian.desktop.shell.application import make_window
from inertian.project.demo_project import demo_project
from inertian.project.edits import edge_moved
from inertian.project.project import with_trials
from inertian.project.trend_requests import Column

COLUMNS = 12


def project_of(many: int):
    """The in-line trials of the demo over and over, with another noise each."""
    rng, demo = np.random.default_rng(1), demo_project()
    source = demo.entries_of("in line")
    project = replace(demo, entries=(), series=())
    for k in range(many):
        entry = source[k % len(source)]
        bodies = []
        for body in entry.trial.bodies:
            c = body.channels[0]
            moved = replace(c, raw=c.raw + rng.normal(0, 0.05, len(c.raw)))
            bodies.append(replace(body, channels=(moved,)))
        trial = replace(entry.trial, id=f"t{k}", name=f"Go {k + 1}", bodies=tuple(bodies))
        project = with_trials(project, [trial], "in line", lambda _t, e=entry: e.spans)
    return project


def main() -> None:
    many = int(sys.argv[1]) if len(sys.argv) > 1 else 500
    app, project = QApplication([]), project_of(many)
    with TemporaryDirectory() as folder:
        window = make_window(project, LIGHT, Path(folder))
        window.show()
        while not window.margin.results_ready:
            app.processEvents()
        begun = time.perf_counter()
        gaps, last = [], begun
        window.show_stage(words.TRENDS)
        state = window.trends_state
        while state.known_for is not window.document.committed:
            app.processEvents()
            now = time.perf_counter()
            gaps.append(now - last)
            last = now
        print(f"table of {many} trials after {time.perf_counter() - begun:.1f} s; "
              f"longest gap {1e3 * max(gaps):.0f} ms")  # fmt: skip
        names = list(state.table.offered)[:COLUMNS]
        trends = replace(window.document.committed.trends, columns=tuple(map(Column, names)))
        from inertian.project.trend_edits import with_trends

        begun = time.perf_counter()
        window.document.do(with_trends(window.document.committed, trends, "columns"))
        while state.known_for is not window.document.committed:
            app.processEvents()
        print(f"other columns after {time.perf_counter() - begun:.2f} s")
        quiet = time.perf_counter() + 2.0
        while time.perf_counter() < quiet:
            app.processEvents()
        window.looks.wait()
        window.worker.wait()
        document, entry = window.document, window.document.entry
        stop, times = entry.spans.before.stop, []
        for k in range(25):
            edit = edge_moved(
                document.committed, entry.trial.id, "before", "stop", stop - 0.02 * (k % 10) - 0.02
            )
            begun = time.perf_counter()
            document.preview(edit)
            app.processEvents()
            times.append(time.perf_counter() - begun)
        print(f"a move of an edge: median {1e3 * np.median(times):.0f} ms, "
              f"worst {1e3 * max(times[1:]):.0f} ms, first {1e3 * times[0]:.0f} ms")  # fmt: skip
        document.abandon()
        bar, frames = window.trends.table.verticalScrollBar(), []
        for k in range(60):
            begun = time.perf_counter()
            bar.setValue(k * bar.maximum() // 60)
            window.trends.table.viewport().repaint()
            frames.append(time.perf_counter() - begun)
        print(
            f"scrolling: median {1e3 * np.median(frames):.1f} ms, worst {1e3 * max(frames):.1f} ms"
        )
        os._exit(0)


if __name__ == "__main__":
    main()
