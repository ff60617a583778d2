"""Shared parts of the tests: recordings made from exact motions, and a window on the demo."""

import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
# As the program does before NumPy is loaded: two processes with two threads each hinder each other
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np
import pytest
from hypothesis import settings

from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.quantities.units import unit_of

# Machines are slow at times, and times are not tested
settings.register_profile("inertian", deadline=None)
settings.load_profile("inertian")

METRE, CENTIMETRE, SECOND = unit_of("length", "m"), unit_of("length", "cm"), unit_of("time", "s")


def recording(t, channels, name="made", unit=METRE):
    """Return a trial from times in s and {body: {axis: values in `unit`}}."""
    bodies = tuple(
        Body(
            body,
            tuple(Channel(axis, f"{body} {axis}", unit, np.asarray(x)) for axis, x in axes.items()),
        )
        for body, axes in channels.items()
    )
    return Trial(name, name, "time", SECOND, np.asarray(t, dtype=float), bodies)


@pytest.fixture(scope="session")
def demo():
    """The demo project, made once; it is an immutable value."""
    from inertian.project.demo_project import demo_project

    return demo_project()


@pytest.fixture
def open_window(qtbot, tmp_path):
    """Return a function that opens a real window on a project and waits until its results are
    there.
    """
    from inertian.desktop.look.tokens import LIGHT
    from inertian.desktop.shell.application import make_window

    opened = []

    def open_it(project, theme=LIGHT, size=(1280, 800), verdicts=True):
        window = make_window(project, theme, tmp_path / "recovery")
        opened.append(window)
        window.resize(*size)
        window.show()
        qtbot.waitExposed(window)
        window.activateWindow()  # shortcuts need it
        qtbot.waitUntil(window.isActiveWindow, timeout=5000)
        if project.entries:
            qtbot.waitUntil(
                lambda: (
                    window.margin.results_ready
                    and (bool(window.shelf.trials.verdicts) or not verdicts)
                ),
                timeout=20_000,
            )
        return window

    yield open_it
    for window in opened:
        window.project_files.may_leave = window.import_controller.may_leave = lambda: True
        window.close()
        window.deleteLater()
