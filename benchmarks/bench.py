"""The bench with a million samples: from mouse move to all numbers while an edge is dragged, and
panning.

The drag goes through the real window: an edge of “before” is moved in small steps; timed is each
step until every number in the margin is set. Panning is timed per painted frame, against one
untouched pyqtgraph curve of the same size. Run: QT_QPA_PLATFORM=offscreen python
benchmarks/bench.py [samples]
"""

import statistics
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import pyqtgraph as pg
from PyQt6.QtWidgets import QApplication

from inertian.desktop.look import words
from inertian.desktop.look.tokens import LIGHT
from inertian.desktop.shell.application import application, make_window
from inertian.desktop.shell.screenshots import settle
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.physics.definitions.fact_names import mass_key
from inertian.project.edits import edge_moved
from inertian.project.project import Project, Series, with_trials
from inertian.quantities.facts import Fact, FactId, Meaning
from inertian.quantities.units import unit_of

STEPS = 40


def project_of(samples: int, epoch: float = 1.7e9) -> Project:
    """One collision of two stones, sampled so often, at epoch times."""
    t = np.arange(samples) * (20.0 / samples)
    rng = np.random.default_rng(5)
    metre, second = unit_of("length", "m"), unit_of("time", "s")
    heavy = np.where(t < 10, 0.2 * t, 2.0 + 0.05 * (t - 10)) + rng.normal(0, 1e-3, samples)
    light = np.where(t < 10, 2.3, 2.3 + 0.25 * (t - 10)) + rng.normal(0, 1e-3, samples)
    bodies = tuple(
        Body(name, (Channel("x", f"{name} (m)", metre, x),))
        for name, x in (("heavy", heavy), ("light", light))
    )
    trial = Trial("long", "long", "time (s)", second, t + epoch, bodies)
    kg = unit_of("mass", "kg")
    setup = {
        FactId(mass_key(b)): Fact(m, 0.1, Meaning.LIMITS, kg)
        for b, m in (("heavy", 19.1), ("light", 11.3))
    }
    return with_trials(Project("long", series=(Series("s"),), setup=setup), [trial], "s")


def shown_window(project: Project) -> object:
    """Return a window on the bench, its results there."""
    window = make_window(project, LIGHT, Path(tempfile.mkdtemp()))
    window.resize(1280, 800)
    window.show()
    settle(window, lambda: bool(window.shelf.trials.verdicts))
    window.show_stage(words.BENCH)
    QApplication.processEvents()
    return window


def drag_times(window: object, span: str, edge: str) -> list[float]:
    """Seconds from each mouse move to all numbers."""
    document = window.document
    entry = document.entry
    start = getattr(entry.spans.named(span), edge)
    found = []
    for k in range(STEPS):
        begun = time.perf_counter()
        document.preview(
            edge_moved(document.committed, entry.trial.id, span, edge, start - 0.001 * (k + 1))
        )
        found.append(time.perf_counter() - begun)
        QApplication.processEvents()
    document.abandon()
    return found


def frame_times(paint: object, box: object, width: float) -> list[float]:
    """Seconds of each frame while the view moves along; `width` is the share of the trial that is
    seen.
    """
    low, high = box.viewRange()[0]
    whole = high - low
    found = []
    for k in range(30):
        start = low + whole * ((1.0 - width) * 0.2 + 0.03 * width * (k + 1))
        begun = time.perf_counter()
        box.setXRange(start, start + width * whole, padding=0)
        QApplication.processEvents()
        paint()
        found.append(time.perf_counter() - begun)
    box.setXRange(low, high, padding=0)
    return found


def untouched(samples: int, width: float) -> float:
    """Median seconds of a frame of one plain pyqtgraph curve."""
    plot = pg.PlotWidget()
    plot.resize(800, 600)
    t = np.linspace(0.0, 20.0, samples)
    plot.plot(t, np.sin(t) + np.random.default_rng(1).normal(0, 1e-3, samples))
    plot.show()
    QApplication.processEvents()
    times = frame_times(plot.grab, plot.getPlotItem().vb, width)
    plot.close()
    return statistics.median(times)


def main() -> None:
    """Measure and print."""
    samples = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    application()
    window = shown_window(project_of(samples))
    print(f"spans: {[s.name for s in window.document.entry.spans]}")
    for span, edge in (("before", "start"), ("before", "stop"), ("contact", "start")):
        times = drag_times(window, span, edge)
        print(
            f"drag {span} {edge}: median {1e3 * statistics.median(times):.1f} ms, worst "
            f"{1e3 * max(times):.1f} ms"
        )
    window.bench.view.choose_strips([*window.bench.view.shown_strips()])
    box = window.bench.strips()[0].plot.getPlotItem().vb
    for width in (1.0, 0.01):
        times = frame_times(window.bench.grab, box, width)
        reference = untouched(samples, width)
        median = statistics.median(times)
        print(
            f"panning at {100 * width:.0f} %: {1e3 * median:.1f} ms a frame, "
            f"{median / reference:.2f} × one plain "
            f"curve ({1e3 * reference:.1f} ms), worst {max(times) / median:.1f} × median"
        )


if __name__ == "__main__":
    main()
