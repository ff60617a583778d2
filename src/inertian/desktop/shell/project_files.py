"""Opening, saving and not losing: files in, project files out, and the recovery copy."""

import sys
from collections.abc import Callable
from datetime import date, datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from inertian.desktop.look import words
from inertian.desktop.look.messages import ask, choose, tell
from inertian.desktop.state.document import Document
from inertian.desktop.state.timers import once_after
from inertian.desktop.state.worker import Worker
from inertian.project.project import Project
from inertian.quantities.errors import InertianError

RECOVERY_PAUSE_MS = 300  # every edit is on disk within a second


if TYPE_CHECKING:
    from inertian.project.recovery import Recovery
    from inertian.project.saving import FileStamp


class ProjectFiles(QObject):
    """Everything between the document and the disk. Slow parts run on the worker."""

    def __init__(
        self,
        window: QWidget,
        say: Callable[[str], None],
        document: Document,
        worker: Worker,
        root: Path | None,
    ) -> None:
        super().__init__(window)
        self._window, self._say, self._document, self._worker = window, say, document, worker
        self._root = root
        self.receive: Callable[[list[Path]], None] = lambda _paths: None  # what takes recordings
        self._recovery: Recovery | None = None
        self._disk = Worker()  # of its own, so that nothing slow delays the recovery copy
        # A leftover that is open again, until this session has its own copy
        self._taken_back: Path | None = None
        self._soon = once_after(self, RECOVERY_PAUSE_MS, self._keep)
        document.changed.connect(self._keep_soon)
        self._stamp: FileStamp | None = None  # of the project's file, as it was read or written

    # -- opening -----------------------------------------------------------------------------------

    def ask_open(self) -> None:
        """Ask for files and open them."""
        names, _ = QFileDialog.getOpenFileNames(
            self._window, words.OPEN.strip("&…"), "", words.FILE_FILTER
        )
        if names:
            self.open_files([Path(name) for name in names])

    def open_files(self, paths: list[Path]) -> None:
        """Open a project, or read recordings; a file that cannot be read leaves what is open
        untouched.
        """
        projects = [p for p in paths if p.suffix == ".inertian"]
        recordings = [p for p in paths if p not in projects]
        if projects:
            if self.may_leave():
                self._open_project(projects[0])
                left = [p.name for p in paths if p != projects[0]]
                if left:
                    tell(
                        self._window,
                        words.TROUBLE_TITLE,
                        words.ONE_PROJECT.format(files=", ".join(left)),
                    )
        elif recordings:
            self.receive(recordings)

    def _open_project(self, path: Path) -> None:
        def work() -> "tuple[Project, FileStamp | None]":
            from inertian.project.saving import load, stamp_of

            stamp = stamp_of(path)
            return load(path), stamp

        def done(opened: "tuple[Project, FileStamp | None]") -> None:
            project, self._stamp = opened
            self._forget()
            self._document.replace(project, path)
            self._say(words.OPENED.format(file=path.name))

        self._say(words.BRINGING_IN.format(file=path.name))
        self._worker.run("open", work, done, self._trouble)

    def _trouble(self, error: BaseException) -> None:
        self._say("")
        if not isinstance(error, InertianError):
            raise error
        tell(self._window, words.TROUBLE_TITLE, str(error))

    def open_demo(self) -> None:
        """Open the demo in place of what is open."""
        from inertian.project.demo_project import demo_project

        if self.may_leave():
            self._forget()
            self._worker.run(
                "open", demo_project, lambda p: self._document.replace(p, None), self._trouble
            )

    def open_ready(self, name: str) -> None:
        """Open a ready project in place of what is open, and say what to find out with it."""
        from inertian.project.ready_projects import ReadyProject, ready_project

        def show(ready: ReadyProject) -> None:
            self._document.replace(ready.project, None)
            self._say(ready.task)

        if self.may_leave():
            self._forget()
            self._worker.run("open", partial(ready_project, name), show, self._trouble)

    def new(self) -> None:
        """Begin an empty project."""
        if self.may_leave():
            self._forget()
            self._document.replace(Project(words.UNTITLED), None)

    # -- saving ------------------------------------------------------------------------------------

    def save(self) -> None:
        """Save to the project's file, or ask for one."""
        if self._document.path is None:
            self.save_as()
        else:
            self._save_to(self._document.path)

    def save_as(self) -> None:
        """Ask for a file and save to it."""
        path = self._ask_path()
        if path is not None:
            self._save_to(path)

    def _ask_path(self) -> Path | None:
        start = str(self._document.path or f"{self._document.name}.inertian")
        name, _ = QFileDialog.getSaveFileName(
            self._window, words.SAVE_AS.replace("&", ""), start, words.PROJECT_FILTER
        )
        if not name:
            return None
        path = Path(name)
        return path if path.suffix == ".inertian" else path.with_name(path.name + ".inertian")

    def _may_replace(self, path: Path) -> bool:
        """Ask before a file is replaced that is protected, or newer than what was opened; another
        name may be chosen instead.
        """
        from inertian.project.saving import is_protected, stamp_of

        now = stamp_of(path)
        own = path == self._document.path
        if own and now is not None and self._stamp is not None and now != self._stamp:
            said = words.CHANGED.format(
                name=path.name, disk=_clock(now.time), here=_clock(self._stamp.time)
            )
            return self._asked_to_replace(words.CHANGED_TITLE, said)
        if is_protected(path):
            said = words.PROTECTED.format(name=path.name)
            return self._asked_to_replace(words.PROTECTED_TITLE, said)
        return True

    def _asked_to_replace(self, title: str, text: str) -> bool:
        chosen = choose(self._window, title, text, (words.SAVE_ELSEWHERE, words.SAVE_REPLACE))
        if chosen == words.SAVE_ELSEWHERE:
            self.save_as()
        return chosen == words.SAVE_REPLACE

    def _save_to(self, path: Path) -> None:
        if not self._may_replace(path):
            return
        project = self._document.committed
        self._worker.run(
            "save",
            lambda: _save(project, path),
            lambda stamp: self._saved(project, path, stamp),
            self._not_saved,
        )

    def _saved(self, project: Project, path: Path, stamp: "FileStamp | None") -> None:
        self._stamp = stamp
        self._document.mark_saved(project, path)
        self._say(words.SAVED.format(file=path.name))
        if not self._document.history.unsaved:
            self._forget()

    def _not_saved(self, error: BaseException) -> None:
        if not isinstance(error, InertianError):
            raise error
        tell(self._window, words.SAVE_TROUBLE_TITLE, str(error))

    def may_leave(self) -> bool:
        """Ask what to do with unsaved changes; True if the open project may be given up."""
        if not self._document.history.unsaved:
            return True
        buttons = QMessageBox.StandardButton
        text = words.UNSAVED.format(name=self._document.name)
        answer = ask(
            self._window, words.UNSAVED_TITLE, text, buttons.Save | buttons.Discard | buttons.Cancel
        )
        if answer == buttons.Discard:
            return True
        return answer == buttons.Save and self._save_now()

    def _save_now(self) -> bool:
        """Save before going on; closing must wait for the disk, so this one is not on the
        worker.
        """
        path, project = self._document.path or self._ask_path(), self._document.committed
        if path is None or not self._may_replace(path):
            return False
        try:
            stamp = _save(project, path)
        except InertianError as error:
            self._not_saved(error)
            return False
        except Exception as error:  # the window stays open, and so does the work
            sys.excepthook(type(error), error, error.__traceback__)
            return False
        self._saved(project, path, stamp)
        return True

    # -- recovery ----------------------------------------------------------------------------------

    def _keep_soon(self) -> None:
        """Count from the first edit, so that going on editing puts nothing off."""
        if not self._soon.isActive():
            self._soon.start()

    def keep_now(self) -> Path | None:
        """Write the recovery copy before going on, and return where it is; None if nothing is to be
        kept. Raises OSError.
        """
        from inertian.project.recovery import Recovery, default_folder

        if not self._document.history.unsaved:
            return None
        if self._recovery is None:
            self._recovery = Recovery(self._root or default_folder())
        self._disk.wait()
        self._recovery.keep(self._document.committed, self._document.path)
        return self._recovery.folder

    def _keep(self) -> None:
        from inertian.project.recovery import Recovery, default_folder

        project, path = self._document.committed, self._document.path
        if self._document.history.unsaved:
            recovery = self._recovery = self._recovery or Recovery(self._root or default_folder())
            self._disk.run(
                "keep",
                lambda: recovery.keep(project, path),
                lambda _none: self._drop_taken_back(),
                self._not_kept,
            )

    def _drop_taken_back(self) -> None:
        import shutil

        if self._taken_back is not None:
            shutil.rmtree(self._taken_back, ignore_errors=True)
            self._taken_back = None

    def _not_kept(self, error: BaseException) -> None:
        if not isinstance(error, OSError):
            raise error
        self._say(words.RECOVERY_FAILED.format(why=error.strerror or error))

    def _forget(self) -> None:
        self._soon.stop()
        self._drop_taken_back()
        if self._recovery is not None:
            recovery, self._recovery = self._recovery, None
            self._disk.run("forget", recovery.forget, lambda _none: None, self._not_kept)

    def leave(self) -> None:
        """Stop working and give up the recovery copy: the window closes on purpose."""
        self._soon.stop()
        self._worker.stop()
        self._disk.stop()
        self._drop_taken_back()
        if self._recovery is not None:
            self._recovery.forget()

    def offer_leftovers(self) -> None:
        """Offer back work that an earlier session did not close, unless something is being worked
        on.
        """
        import shutil

        from inertian.project.recovery import default_folder, leftovers

        for left in leftovers(self._root or default_folder()):
            buttons = QMessageBox.StandardButton
            name = left.path.stem if left.path else left.project.name
            answer = ask(
                self._window,
                words.RECOVER_TITLE,
                words.RECOVER.format(name=name),
                buttons.Yes | buttons.Discard,
            )
            if answer == buttons.Yes and self.may_leave():
                self._stamp = None
                self._document.replace(left.project, left.path, unsaved=True)
                self._taken_back = left.folder
                self._soon.start()
                break
            if answer == buttons.Discard:
                shutil.rmtree(left.folder, ignore_errors=True)


def _save(project: Project, path: Path) -> "FileStamp | None":
    from inertian.project.saving import save, stamp_of

    save(project, path)
    return stamp_of(path)


def _clock(nanoseconds: int) -> str:
    """A moment as the clock on the wall shows it, with the date where it was not today."""
    moment = datetime.fromtimestamp(nanoseconds / 1e9)
    return f"{moment:%H:%M:%S}" if moment.date() == date.today() else f"{moment:%Y-%m-%d %H:%M:%S}"
