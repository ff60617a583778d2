"""What lies on the intake desk: files that were read and not yet brought in, and the one in
hand.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from inertian.desktop.look import words
from inertian.desktop.state.document import Document
from inertian.desktop.state.worker import Worker
from inertian.project.trial_import import FileGroup, file_groups, read_again, read_by_recipes

if TYPE_CHECKING:
    from inertian.files.cells.recipes import Recipe
    from inertian.files.interpretation.parsed_file import ParsedFile


@dataclass(frozen=True)
class FileSource:
    """Something to be read: a file on disk, or text that was pasted or typed."""

    name: str
    path: Path | None = None
    content: bytes = b""


class IntakeDesk(QObject):
    """Holds the files that were read, by make; reading runs on the worker.

    Signals: `changed` when makes came, went or were read anew, `turned` when another file is in
    hand, `progressed` with the number read and the number to read, `failed` with an error that is a
    bug.
    """

    changed = pyqtSignal()
    turned = pyqtSignal()
    progressed = pyqtSignal(int, int)

    def __init__(self, document: Document, worker: Worker) -> None:
        super().__init__()
        self._document, self._worker = document, worker
        self.groups: list[FileGroup] = []
        self.refused: list[ParsedFile] = []
        self.reading_again: str | None = None  # the trial whose file is being read again
        self.editable = False  # whether the text in hand was typed or pasted, and can be changed
        self._reads = 0
        self._group, self._file = 0, 0
        self._cancel = False
        self._lots = 0

    @property
    def busy(self) -> bool:
        """Whether files are still being read."""
        return self._reads > 0

    # -- what is in hand ---------------------------------------------------------------------------

    @property
    def empty(self) -> bool:
        """Whether nothing lies on the desk."""
        return not self.groups and not self.refused

    @property
    def group(self) -> FileGroup | None:
        """The make in hand."""
        return self.groups[self._group] if self.groups else None

    @property
    def parsed(self) -> "ParsedFile | None":
        """The file in hand."""
        group = self.group
        return group.files[min(self._file, len(group.files) - 1)] if group else None

    def files(self) -> list[tuple[int, int, "ParsedFile"]]:
        """Return all files that can be used, with their places."""
        return [(m, f, r) for m, group in enumerate(self.groups) for f, r in enumerate(group.files)]

    def take(self, group: int, file: int) -> None:
        """Take another file in hand."""
        if (group, file) != (self._group, self._file):
            self._group, self._file = group, file
            self.turned.emit()

    def place(self) -> tuple[int, int]:
        """Return the place of the file in hand."""
        return self._group, self._file

    # -- reading -----------------------------------------------------------------------------------

    def read(
        self,
        sources: Sequence[FileSource],
        then: Callable[[], None],
        failed: Callable[[BaseException], None],
    ) -> None:
        """Read files, add them to the desk, then call `then`; recipes of the project are used by
        themselves.
        """
        recipes = self._document.committed.recipes
        self._reads += 1
        self._cancel = False

        def work() -> "list[ParsedFile]":
            found = []
            for number, source in enumerate(sources, start=1):
                if self._cancel:
                    break
                found.append(read_by_recipes(_read(source), recipes))
                self.progressed.emit(number, len(sources))
            return found

        def done(parsed_files: "list[ParsedFile]") -> None:
            self._reads -= 1
            self._add(parsed_files)
            then()

        def broken(error: BaseException) -> None:
            self._reads -= 1
            failed(error)

        self._lots += 1  # each lot has a kind of its own: a second drop must not push out the first
        self._worker.run(f"intake {self._lots}", work, done, broken)

    def cancel(self) -> None:
        """Stop reading after the file under way."""
        self._cancel = True

    def _add(self, parsed_files: "Sequence[ParsedFile]") -> None:
        known = [r for group in self.groups for r in group.files]
        usable = [r for r in parsed_files if r.refused is None]
        first = next((r for r in usable if r.questions), usable[0] if usable else None)
        self.refused += [r for r in parsed_files if r.refused is not None]
        self.groups = file_groups([*known, *parsed_files])
        if first is not None:
            self._group, self._file = next(
                (m, f)
                for m, f, r in self.files()
                if r.sha256 == first.sha256 and r.file == first.file
            )
        self.changed.emit()

    def change(
        self, edit: "Callable[[Recipe], Recipe]", failed: Callable[[BaseException], None]
    ) -> None:
        """Read the make in hand again with its recipe changed."""
        group = self.group
        if group is None:
            return
        recipe, place = edit(group.recipe), self._group

        def done(new: FileGroup) -> None:
            if place < len(self.groups) and self.groups[place].titles == group.titles:
                self.groups[place] = new
                self.changed.emit()

        self._worker.run(
            "intake change", lambda: read_again(group, recipe, lambda: self._cancel), done, failed
        )

    def retype(self, text: str, failed: Callable[[BaseException], None]) -> None:
        """Read the typed text in hand anew."""
        source = FileSource(
            self.parsed.file if self.parsed else words.TYPED_NAME, content=text.encode()
        )

        def done(parsed: "ParsedFile") -> None:
            self.refused = [parsed] if parsed.refused is not None else []
            self.groups = file_groups([parsed])
            self._group = self._file = 0
            self.changed.emit()

        self._worker.run("intake typing", lambda: _read(source), done, failed)

    def again(self, parsed: "ParsedFile", trial: str) -> None:
        """Put the file of a trial on the desk, to be read again by another recipe."""
        self.clear()
        self.reading_again = trial
        self._add([parsed])

    def clear(self) -> None:
        """Take everything off the desk."""
        self.groups, self.refused, self.reading_again, self.editable = [], [], None, False
        self._group = self._file = 0
        self.changed.emit()


def _read(source: FileSource) -> "ParsedFile":
    from inertian.files.reader import read_bytes, read_file

    if source.path is not None:
        return read_file(source.path)
    return read_bytes(source.name, source.content)


def with_rule(recipe: "Recipe", parsed: "ParsedFile", place: int, **changes: Any) -> "Recipe":
    """Return a recipe in which the column at `place` is for something else."""
    from inertian.files.cells.recipes import ColumnRule

    views = {v.place: v for v in parsed.tables[0].columns} if parsed.tables else {}
    view = views[place]
    role = "other" if view.why else view.role
    rule = ColumnRule(view.title, place, role, "" if view.why else view.body, view.axis, view.unit)
    own = next((r for r in recipe.columns if (r.title, r.place) == (rule.title, rule.place)), rule)
    others = tuple(r for r in recipe.columns if (r.title, r.place) != (rule.title, rule.place))
    return replace(recipe, columns=(*others, replace(own, **changes)))
