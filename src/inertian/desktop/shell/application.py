"""Starting the window."""

import sys
from pathlib import Path
from typing import cast

from PyQt6.QtWidgets import QApplication

from inertian.desktop.look.theme import apply_theme, desktop_theme
from inertian.desktop.look.tokens import ActiveTheme, Theme
from inertian.desktop.shell.actions import Actions
from inertian.desktop.shell.garbage_collection import GarbageCollector
from inertian.desktop.shell.window import MainWindow
from inertian.desktop.state.document import Document
from inertian.project.project import Project

_kept: list[QApplication] = []  # Python drops what nothing holds, and Qt would go with it


def application() -> QApplication:
    """Return the one QApplication, made if needed."""
    made = cast(QApplication, QApplication.instance() or QApplication(sys.argv[:1]))
    if not _kept:
        GarbageCollector(made)
    _kept[:] = [made]
    made.setApplicationName("inertian")
    made.setApplicationDisplayName("")
    made.setDesktopFileName("inertian")
    return made


def make_window(
    project: Project, theme: Theme | None = None, recovery_root: Path | None = None
) -> MainWindow:
    """Return a window on a project, not yet shown."""
    app = application()
    worn = ActiveTheme(theme or desktop_theme())
    apply_theme(app, worn)
    window = MainWindow(Document(project), worn, recovery_root)
    window.menus = Actions(window)
    return window


def start(demo: bool, files: list[Path]) -> int:
    """Open the window and return the exit code when it closes."""
    app = application()
    if demo:
        from inertian.project.demo_project import demo_project

        project = demo_project()
    else:
        project = Project()
    window = make_window(project)
    window.error_reports.watch()
    window.show()
    if files:
        window.project_files.open_files(files)
    return app.exec()
