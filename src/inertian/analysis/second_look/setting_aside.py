"""Remedies that set samples aside, with spans found anew among those that are left."""

from dataclasses import replace

from inertian.analysis.second_look.cases import Case
from inertian.analysis.second_look.notes import Remedy
from inertian.motion.spans.span_suggestion import suggest_spans
from inertian.project.history import Edit
from inertian.project.project import Project
from inertian.project.tidying_edits import rows_set_aside
from inertian.quantities.estimates import Rows


def aside(case: Case, body: str, rows: Rows, reason: str) -> Remedy:
    """Return the remedy that sets raw rows of a body aside, with a reason."""

    def edit(project: Project) -> Edit:
        made = rows_set_aside(project, case.id, body, [int(r) for r in rows], reason)
        return found_anew(project, case.id, made)

    return Remedy(f"Set {len(rows)} samples aside", edit)


def found_anew(before: Project, trial: str, edit: Edit) -> Edit:
    """Return an edit in which spans that stand as they were found are found anew among the
    samples that are left.
    """
    old, new = before.entry(trial), edit.project.entry(trial)
    if old.spans != suggest_spans(old.used_trial):
        return edit
    return Edit(
        edit.name,
        edit.project.with_entry(replace(new, spans=suggest_spans(new.used_trial))),
    )
