"""Edits of notes of the second look: put away with a reason, and taken back."""

from collections.abc import Iterable
from dataclasses import replace

from inertian.project.history import Edit
from inertian.project.project import Dismissal, Project

LONGEST_REASON = 500  # characters


def note_dismissed(
    project: Project, trials: Iterable[str], code: str, subject: str, reason: str
) -> Edit:
    """Put a note away in some trials, with the reason; it is kept in the file, and shown."""
    new = Dismissal(code, subject, " ".join(reason.split())[:LONGEST_REASON])
    for trial in trials:
        entry = project.entry(trial)
        others = tuple(d for d in entry.dismissed if (d.code, d.subject) != (code, subject))
        project = project.with_entry(replace(entry, dismissed=(*others, new)))
    return Edit("Dismiss a note", project)


def dismissal_taken_back(project: Project, trial: str, code: str, subject: str) -> Edit:
    """Let a note that was put away be told again."""
    entry = project.entry(trial)
    kept = tuple(d for d in entry.dismissed if (d.code, d.subject) != (code, subject))
    if kept == entry.dismissed:
        return Edit("", project)
    return Edit("Show a note again", project.with_entry(replace(entry, dismissed=kept)))
