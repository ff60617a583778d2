"""Receiving recordings: from files, clipboard or keyboard onto the intake desk, and from there into
the project.
"""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox, QWidget

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.followed_folders import all_files
from inertian.desktop.intake.intake_desk import FileSource, IntakeDesk
from inertian.desktop.look import words
from inertian.desktop.look.messages import ask, tell
from inertian.desktop.look.tokens import Theme
from inertian.desktop.state.document import Document
from inertian.desktop.state.timers import once_after
from inertian.desktop.state.worker import Worker
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.project.history import Edit
from inertian.project.project import Project
from inertian.quantities.errors import InertianError

if TYPE_CHECKING:
    from inertian.desktop.intake.intake_margin import IntakeMargin
    from inertian.desktop.intake.intake_stage import IntakeStage
    from inertian.files.cells.recipes import Recipe
    from inertian.files.interpretation.parsed_file import ParsedFile

BREATH_MS = 10  # between two steps that take long, so that clicks and keys come through


class ImportController(QObject):
    """Everything between a file and a trial. The stage and its margin are made when they are first
    shown.
    """

    def __init__(
        self,
        window: QWidget,
        say: Callable[[str], None],
        show: Callable[[str], None],
        document: Document,
        theme: Theme,
    ) -> None:
        super().__init__(window)
        self._window, self._say, self._show = window, say, show
        self._document, self._theme = document, theme
        self._breath = once_after(self, BREATH_MS, lambda: self._show(words.BENCH))
        self._worker = Worker()  # of its own: nothing else waits for two hundred files
        self.desk = IntakeDesk(document, self._worker)
        self._stage: IntakeStage | None = None
        self._margin: IntakeMargin | None = None

    @property
    def stage(self) -> "IntakeStage":
        """The intake stage."""
        if self._stage is None:
            from inertian.desktop.intake.intake_stage import IntakeStage

            stage = self._stage = IntakeStage(self.desk, self._document, self._theme)
            stage.wanted.connect(self.bring_in)
            stage.open_button.clicked.connect(self.ask_open)
            stage.paste_button.clicked.connect(self.paste)
            stage.type_button.clicked.connect(self.type_table)
            stage.view.retyped.connect(lambda text: self.desk.retype(text, self._failed))
        return self._stage

    @property
    def margin(self) -> "IntakeMargin":
        """What stands beside the intake stage."""
        if self._margin is None:
            from inertian.desktop.intake.intake_margin import IntakeMargin

            margin = self._margin = IntakeMargin(self.desk, self._document, self._theme)
            margin.changed_recipe.connect(self.change_recipe)
            margin.line_wanted.connect(lambda line: self.stage.view.go_to(line))
        return self._margin

    @property
    def built(self) -> bool:
        """Whether the stage was made already."""
        return self._stage is not None

    # -- onto the desk -----------------------------------------------------------------------------

    def ask_open(self) -> None:
        """Ask for recordings and read them."""
        title = words.OPEN_RECORDINGS.replace("&", "").rstrip("…")
        names, _ = QFileDialog.getOpenFileNames(self._window, title, "", words.FILE_FILTER)
        if names:
            self.receive([Path(name) for name in names])

    def receive(self, paths: list[Path]) -> None:
        """Read files, or the files of folders, and show what was understood."""
        if self.desk.reading_again is not None:
            self.desk.clear()
        self.desk.editable = False  # what was typed stays on the desk, beside the files
        files = all_files(paths)
        self._read([FileSource(p.name, p) for p in files])

    def _read(self, sources: list[FileSource]) -> None:
        if not sources:
            return
        count = len(sources)
        self._say(words.BRINGING_IN.format(file=sources[0].name) if count == 1 else "")

        def done() -> None:
            read = len(self.desk.files()) + len(self.desk.refused)
            self._say(words.READ_CANCELLED.format(number=read, count=count) if read < count else "")
            self._show(words.INTAKE)
            self.stage.bring_in.setFocus()

        self.desk.read(sources, done, self._failed)
        self._show(words.INTAKE)
        self.stage.refresh()

    def paste(self) -> None:
        """Read a table from the clipboard."""
        text = QApplication.clipboard().text()
        if not text.strip():
            self._say(words.NOTHING_TO_PASTE)
            return
        if self.desk.reading_again is not None:
            self.desk.clear()
        self.desk.editable = self.desk.empty
        self._read([FileSource(words.PASTED_NAME, content=text.encode())])

    def type_table(self) -> None:
        """Begin a table that is typed by hand."""
        self.desk.clear()
        self.desk.editable = True
        self._show(words.INTAKE)
        self.stage.refresh()
        self.stage.view.setPlainText("\t".join(words.TYPED_TITLES) + "\n")
        self.stage.view.moveCursor(self.stage.view.textCursor().MoveOperation.End)
        self.stage.view.setFocus()

    def clear(self) -> None:
        """Take all files off the desk."""
        self.desk.cancel()
        self.desk.clear()

    # -- understanding -----------------------------------------------------------------------------

    def change_recipe(self, edit: "Callable[[Recipe], Recipe]") -> None:
        """Read the make in hand again with a changed recipe."""
        self.desk.change(edit, self._failed)

    def use_recipe(self) -> None:
        """Ask for a recipe file and read the make in hand by it."""
        name, _ = QFileDialog.getOpenFileName(
            self._window, words.IMPORT_RECIPE.strip("&…"), "", words.RECIPE_FILTER
        )
        if not name:
            return
        from inertian.files.cells.recipes import load_recipe

        try:
            recipe = load_recipe(Path(name))
        except InertianError as error:
            tell(self._window, words.TROUBLE_TITLE, str(error))
            return
        self.change_recipe(lambda _old: recipe)

    def export_recipe(self) -> None:
        """Save the recipe of the make in hand, as readable JSON."""
        group = self.desk.group
        if group is None:
            return
        from inertian.files.cells.recipes import recipe_json
        from inertian.project.saving import write_whole
        from inertian.project.trial_import import whole_recipe

        name, _ = QFileDialog.getSaveFileName(
            self._window, words.EXPORT_RECIPE.strip("&…"), "recipe.json", words.RECIPE_FILTER
        )
        if not name:
            return
        recipe = replace(whole_recipe(group), name=Path(name).stem)
        try:
            write_whole(Path(name), recipe_json(recipe).encode())
        except OSError as error:
            tell(
                self._window,
                words.SAVE_TROUBLE_TITLE,
                f"{Path(name).name}: {error.strerror or error}",
            )
            return
        self._say(words.RECIPE_KEPT.format(file=Path(name).name))

    def read_again(self) -> None:
        """Put the file of the trial in hand on the desk again."""
        entry = self._document.entry
        if entry is None:
            return
        origin = entry.trial.provenance
        if origin.others:
            tell(
                self._window, words.TROUBLE_TITLE, words.JOINED_CANNOT.format(name=entry.trial.name)
            )
            return
        if origin.content is None:
            tell(
                self._window,
                words.TROUBLE_TITLE,
                words.ORIGINAL_GONE.format(file=origin.file or entry.trial.name),
            )
            return

        def work() -> "ParsedFile":
            from inertian.files.cells.recipes import read_recipe
            from inertian.files.reader import read_bytes

            recipe = read_recipe(origin.file, origin.recipe) if origin.recipe else None
            return read_bytes(origin.file, origin.content, recipe)

        def done(parsed: "ParsedFile") -> None:
            self.desk.again(parsed, entry.trial.id)
            self._show(words.INTAKE)

        self._worker.run("read again", work, done, self._failed)

    def join(self) -> None:
        """Ask how another recording belongs to the trial in hand, and join it."""
        from inertian.desktop.intake.join_dialog import JoinDialog

        entry = self._document.entry
        if entry is None:
            return
        if len(self._document.committed.entries) < 2:
            self._say(words.JOIN_ALONE)
            return
        JoinDialog(self._window, self._document, self._theme, entry).exec()

    # -- off the desk ------------------------------------------------------------------------------

    def bring_in(self) -> None:
        """Make trials of all files on the desk."""
        from inertian.project.trial_import import bring_in, reread, whole_recipe

        desk, project = self.desk, self._document.committed
        groups, again = list(desk.groups), desk.reading_again
        if not groups or any(group.topics() for group in groups) or desk.busy:
            return
        series, masses = (
            self.margin.series.text().strip() or words.DEFAULT_SERIES,
            dict(self.margin.masses),
        )

        def work() -> tuple[Project, Edit, list[str], Evaluator]:
            reasons: list[str] = []
            if again is not None:
                edit = reread(project, again, whole_recipe(groups[0]))
            else:
                edit, reasons = bring_in(project, groups, series, masses)
            return project, edit, reasons, warmed(edit.project, project)

        self.stage.bring_in.setEnabled(False)
        self._worker.run("bring in", work, self._brought_in, self._failed)

    def _brought_in(self, made: tuple[Project, Edit, list[str], Evaluator]) -> None:
        project, edit, reasons, known = made
        if (
            project is not self._document.committed
        ):  # something was changed meanwhile: do it on top of that
            self.bring_in()
            return
        before = len(project.entries)
        self.margin.masses = {}
        self.desk.clear()
        self._document.evaluator.adopt(known)
        self._document.do(edit)
        count = len(edit.project.entries) - before
        said = (
            words.BROUGHT_IN
            if any(e.spans for e in edit.project.entries[before:])
            else words.BROUGHT_IN_BARE
        )
        self._say(
            said.format(count="1 trial" if count == 1 else f"{count} trials") if count else ""
        )
        self._breath.start()
        if reasons:
            tell(self._window, words.SOME_NOT, "\n\n".join(reasons))

    def _failed(self, error: BaseException) -> None:
        self.stage.refresh()
        self._say("")
        if not isinstance(error, InertianError):
            raise error
        tell(self._window, words.TROUBLE_TITLE, str(error))

    def may_leave(self) -> bool:
        """Ask before a table is lost that was typed or pasted and not brought in; files are on disk
        anyway.
        """
        if not (self.desk.editable and self.desk.groups):
            return True
        buttons = QMessageBox.StandardButton
        answer = ask(
            self._window, words.DESK_TITLE, words.DESK_NOT_EMPTY, buttons.Discard | buttons.Cancel
        )
        return answer == buttons.Discard

    def leave(self) -> None:
        """Stop reading: the window closes."""
        self.desk.cancel()
        self._worker.stop()


def warmed(project: Project, before: Project, shown: str = "") -> Evaluator:
    """Return an evaluator that knows the series of all new trials, and what is shown next: a trial
    by its id, else the first new one.
    """
    evaluator = Evaluator()
    old = {id(e.trial) for e in before.entries}
    new = [e for e in project.entries if id(e.trial) not in old]
    for series in dict.fromkeys(e.series for e in new):
        evaluator.series(project, series)
    for entry in [project.entry(shown)] if shown else new[:1]:
        evaluator.accounts(project, entry.trial.id)
        for body in entry.trial.followed:
            for axis in body.axes:
                evaluator.band(project, entry, QuantityRef(Quantity.VELOCITY, axis), body.name)
    return evaluator
