"""Undo and redo: every value the project has had, by the name of the edit that made it."""

from dataclasses import dataclass

from inertian.project.project import Project


@dataclass(frozen=True, eq=False)
class Edit:
    """A finished edit: the name for the Undo menu, and the project it makes."""

    name: str
    project: Project


class History:
    """Keeps every value of a project; untouched parts stay identical, so undo is exact and
    cheap.
    """

    def __init__(self, project: Project) -> None:
        self._steps = [Edit("", project)]
        self._now = 0
        self._saved: Project | None = project

    @property
    def project(self) -> Project:
        """The current value."""
        return self._steps[self._now].project

    @property
    def undo_name(self) -> str | None:
        """The edit that undo would take back, or None."""
        return self._steps[self._now].name if self._now > 0 else None

    @property
    def redo_name(self) -> str | None:
        """The edit that redo would repeat, or None."""
        return self._steps[self._now + 1].name if self._now + 1 < len(self._steps) else None

    @property
    def unsaved(self) -> bool:
        """Whether the current value differs from the saved one."""
        return self.project is not self._saved

    def do(self, edit: Edit) -> bool:
        """Make an edit current and forget what was undone; an edit that changes nothing leaves no
        trace.
        """
        if edit.project is self.project:
            return False
        del self._steps[self._now + 1 :]
        self._steps.append(edit)
        self._now += 1
        return True

    def undo(self) -> None:
        """Go back one edit, if there is one."""
        self._now = max(self._now - 1, 0)

    def redo(self) -> None:
        """Repeat the edit last undone, if there is one."""
        self._now = min(self._now + 1, len(self._steps) - 1)

    def mark_saved(self, project: Project | None = None) -> None:
        """Remember that a value, by default the current one, is on disk."""
        self._saved = self.project if project is None else project

    def mark_unsaved(self) -> None:
        """Remember that nothing of this project is on disk."""
        self._saved = None
