"""Pictures of the main views, from the demo project."""

import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QApplication

from inertian.desktop.look import words
from inertian.desktop.look.tokens import DARK, LIGHT, Theme
from inertian.desktop.shell.application import make_window
from inertian.desktop.shell.window import MainWindow
from inertian.desktop.state.timers import once_after
from inertian.motion.fits.curve_shapes import CurveShape
from inertian.motion.recording.tidying import Reason
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.project.demo_project import demo_project
from inertian.project.marking_edits import span_added
from inertian.project.project import Project
from inertian.project.ready_projects import ready_project
from inertian.project.tidying_edits import jumps_set_aside, rows_set_aside
from inertian.project.typed_facts import with_typed_fact
from inertian.rink.day import day

SIZE = (1280, 800)
WAIT_MS, POLL_MS = 20_000, 20
SETTLED_S = 0.4  # until what follows a moved line is there


def _has_verdicts(window: MainWindow) -> bool:
    """Whether all that is worked out beside the window is there; some trials have no accounts."""
    trends, models = window.trends_controller, window.models_controller
    told = trends.built and window.trends_state.known_for is not None
    told = told or (models.built and models.state.known_for is not None)
    return told or bool(window.shelf.trials.verdicts)


def _is_past(moment: float) -> bool:
    return time.monotonic() > moment


def settle(window: MainWindow, ready: Callable[[], bool]) -> None:
    """Let the window work until it is ready and painted."""
    loop, poll = QEventLoop(), QTimer()
    limit = once_after(loop, WAIT_MS, loop.quit)

    def look() -> None:
        if ready():
            loop.quit()

    poll.setInterval(POLL_MS)
    poll.timeout.connect(look)
    poll.start()
    limit.start()
    loop.exec()
    poll.stop()
    limit.stop()
    for _ in range(5):
        QApplication.processEvents()


def _fill_desk(window: MainWindow, folder: Path, trial: int) -> None:
    """Put recordings of another afternoon on the intake desk, as if dropped: those like the trial
    in hand.
    """
    files = [f for f in day(seed=7) if (f.series == "glancing") == (trial >= 10)]
    paths = []
    for file in files:
        paths.append(folder / file.name)
        paths[-1].write_bytes(file.content)
    window.project_files.open_files(paths)
    settle(
        window,
        lambda: not window.import_controller.desk.busy and not window.import_controller.desk.empty,
    )


def _mark_tidy(window: MainWindow) -> None:
    """Samples set aside for two reasons, a rule for jumps, and a span named by the user."""
    document, view = window.document, window.bench.view
    trial = document.entry.trial.id
    for body, rows, reason in (
        ("heavy", range(20, 24), Reason.BLURRED),
        ("light", [70], Reason.LOST),
    ):
        document.do(rows_set_aside(document.committed, trial, body, rows, reason))
    document.do(jumps_set_aside(document.committed, trial, 6.0))
    document.do(span_added(document.committed, trial, 0.3, 0.8, "early"))
    view.choose_strips(
        [
            QuantityRef(Quantity.POSITION, "x"),
            QuantityRef(Quantity.VELOCITY, "x"),
            QuantityRef(Quantity.KINETIC),
        ]
    )
    window.show_page(words.PAGE_TIDY)


def _mark_readings(window: MainWindow) -> None:
    """A fit with its residuals, a plumb line, and two pins."""
    view = window.bench.view
    view.take(QuantityRef(Quantity.POSITION, "x"), "heavy")
    window.show_page(words.PAGE_READINGS)
    window.readings.fits.ask(CurveShape.PARABOLA)
    t = window.document.entry.trial.t
    view.pins = [float(t[len(t) // 8]), float(t[len(t) // 3])]
    view.move_line(float(t[len(t) // 3]))


def _mark_formulas(window: MainWindow) -> None:
    """A derived quantity as a strip, and another being written."""
    window.show_page(words.PAGE_FORMULAS)
    page = window.formulas
    for field, text in (
        (page.symbol, "K"),
        (page.unit, "J"),
        (page.name, "Energy of motion"),
        (page.formula, "½ m v_x^2"),
    ):
        field.setText(text)
    page.take()
    for field, text in ((page.symbol, "P_K"), (page.unit, "W"), (page.formula, "rate(K)")):
        field.setText(text)
    page.formula.textEdited.emit(page.formula.text())


def _turn_to(panel: str) -> Callable[[MainWindow], None]:
    """The last account with one view of the panel in front."""

    def mark(window: MainWindow) -> None:
        window.ledger.choose(list(window.ledger.accounts)[-1])
        window.ledger.panel.show_panel(panel)

    return mark


def _mistaken(project: Project) -> Project:
    """The demo with a decimal slip in a mass, and two samples that jump."""
    project = with_typed_fact(project, "mass of light = 1.13 ± 0.01 kg")
    entry = project.entries[0]
    body = entry.trial.bodies[0]
    raw = np.array(body.channels[0].raw)
    raw[[14, 15 + len(raw) // 2]] += np.array([0.3, -0.2]) * float(np.ptp(raw))
    channels = (replace(body.channels[0], raw=raw), *body.channels[1:])
    bodies = (replace(body, channels=channels), *entry.trial.bodies[1:])
    return project.with_entry(replace(entry, trial=replace(entry.trial, bodies=bodies)))


def _look_again(window: MainWindow) -> None:
    """Wait until the second look is there."""
    settle(window, lambda: window.looks.known_for is window.document.committed)


def _trends_known(window: MainWindow) -> None:
    """Wait until table and trend are there."""
    settle(window, lambda: window.trends_state.known_for is window.document.committed)


def _lay_over(window: MainWindow) -> None:
    """The trials of the series laid over one another."""
    _trends_known(window)
    window.trends.show_view(words.LAID_VIEW)
    settle(window, lambda: window.trends.laid.laid is not None)


def _models_known(window: MainWindow) -> None:
    """The last of the models that stand beside a trial, fitted."""
    state, entry = window.models_controller.state, window.document.entry
    state.choose(entry.models[-1].name)
    settle(window, lambda: state.known_for == (window.document.committed, entry.trial.id))


def _model_account(window: MainWindow) -> None:
    """The account of a model beside that of the samples."""
    _models_known(window)
    window.models.show_view(words.MODEL_VIEW_ACCOUNT)


def take_shots(folder: Path) -> list[Path]:
    """Write one PNG of each main view and return the paths. Raises OSError if the folder cannot be
    made.
    """
    import tempfile

    folder.mkdir(parents=True, exist_ok=True)
    project = demo_project()
    bank, bumpers, hops = (
        ready_project(name).project
        for name in ("Sled up the bank", "Sled and bumpers", "Hopping puck")
    )
    driven = ready_project("Disc at twelve settings").project
    lone = ready_project("Lone stone gliding").project
    views: list[tuple[str, Theme, str, Project, int, Callable[[MainWindow], None] | None]] = [
        ("intake-light", LIGHT, words.INTAKE, project, 0, None),
        ("intake-dark", DARK, words.INTAKE, project, 10, None),
        ("bench-light", LIGHT, words.BENCH, project, 0, None),
        ("ledger-light", LIGHT, words.LEDGER, project, 0, None),
        ("bench-dark", DARK, words.BENCH, project, 0, None),
        ("bench-glancing-light", LIGHT, words.BENCH, project, 10, None),
        ("ledger-glancing-dark", DARK, words.LEDGER, project, 10, None),
        ("bench-tidy-dark", DARK, words.BENCH, project, 0, _mark_tidy),
        ("bench-readings-light", LIGHT, words.BENCH, project, 0, _mark_readings),
        ("bench-formulas-light", LIGHT, words.BENCH, project, 0, _mark_formulas),
        ("ledger-slope-light", LIGHT, words.LEDGER, bank, 2, _turn_to(words.PANEL_IN_TIME)),
        ("ledger-bumper-dark", DARK, words.LEDGER, bumpers, 0, _turn_to(words.PANEL_HOW)),
        ("ledger-hops-light", LIGHT, words.LEDGER, hops, 0, _turn_to(words.PANEL_HOW)),
        ("second-look-light", LIGHT, words.BENCH, _mistaken(project), 0, _look_again),
        ("trends-light", LIGHT, words.TRENDS, project, 0, _trends_known),
        ("trends-settings-dark", DARK, words.TRENDS, driven, 3, _trends_known),
        ("trends-laid-over-light", LIGHT, words.TRENDS, bank, 1, _lay_over),
        ("models-light", LIGHT, words.MODELS, lone, 0, _models_known),
        ("models-account-dark", DARK, words.MODELS, bank, 0, _model_account),
    ]
    written = []
    with tempfile.TemporaryDirectory() as recovery:
        for name, theme, stage, shown, trial, mark in views:
            window = make_window(shown, theme, Path(recovery) / name)
            window.resize(*SIZE)
            window.document.select(shown.entries[trial].trial.id)
            window.show_stage(stage)
            window.show()
            settle(window, partial(_has_verdicts, window))
            if stage == words.INTAKE:
                _fill_desk(window, Path(recovery), trial)
            if mark is not None:
                mark(window)
                pause = time.monotonic() + SETTLED_S
                settle(window, partial(_is_past, pause))
            path = folder / f"{name}.png"
            if not window.grab().save(str(path), "PNG"):
                raise OSError(f"cannot write {path}")
            written.append(path)
            # What was marked for the picture is not asked about
            window.document.history.mark_saved()
            window.close()
    return written
