"""Pictures of the main views, from the demo project."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QApplication

from inertian.desktop import words
from inertian.desktop.application import make_window
from inertian.desktop.tokens import DARK, LIGHT, Theme
from inertian.desktop.window import MainWindow
from inertian.project.demo import demo_project
from inertian.rink.day import day

SIZE = (1280, 800)
WAIT_MS = 20_000


def settle(window: MainWindow, ready: Callable[[], bool]) -> None:
    """Let the window work until it is ready and painted."""
    loop, poll, limit = QEventLoop(), QTimer(interval=20), QTimer(singleShot=True, interval=WAIT_MS)
    poll.timeout.connect(lambda: ready() and loop.quit())
    limit.timeout.connect(loop.quit)
    poll.start()
    limit.start()
    loop.exec()
    poll.stop()
    limit.stop()
    for _ in range(5):
        QApplication.processEvents()


def _fill_desk(window: MainWindow, folder: Path, trial: int) -> None:
    """Put recordings of another afternoon on the intake desk, as if dropped: those like the trial in hand."""
    files = [f for f in day(seed=7) if (f.series == "glancing") == (trial >= 10)]
    paths = []
    for file in files:
        paths.append(folder / file.name)
        paths[-1].write_bytes(file.content)
    window.keeping.open_files(paths)
    settle(window, lambda: not window.receiving.desk.busy and not window.receiving.desk.empty)


def take_shots(folder: Path) -> list[Path]:
    """Write one PNG of each main view and return the paths. Raises OSError if the folder cannot be made."""
    import tempfile

    folder.mkdir(parents=True, exist_ok=True)
    views: list[tuple[str, Theme, str, int]] = [
        ("intake-light", LIGHT, words.INTAKE, 0),
        ("intake-dark", DARK, words.INTAKE, 10),
        ("bench-light", LIGHT, words.BENCH, 0),
        ("ledger-light", LIGHT, words.LEDGER, 0),
        ("bench-dark", DARK, words.BENCH, 0),
        ("bench-glancing-light", LIGHT, words.BENCH, 10),
        ("ledger-glancing-dark", DARK, words.LEDGER, 10),
    ]
    written = []
    with tempfile.TemporaryDirectory() as recovery:
        project = demo_project()
        for name, theme, stage, trial in views:
            window = make_window(project, theme, Path(recovery))
            window.resize(*SIZE)
            window.document.select(project.entries[trial].trial.id)
            window.show_stage(stage)
            window.show()
            settle(window, lambda w=window: bool(w.shelf.trials.verdicts))
            if stage == words.INTAKE:
                _fill_desk(window, Path(recovery), trial)
            path = folder / f"{name}.png"
            if not window.grab().save(str(path), "PNG"):
                raise OSError(f"cannot write {path}")
            written.append(path)
            window.close()
    return written
