"""Files as the trials of a project, with facts: what accounts without a window are drawn up of."""

from collections.abc import Sequence

from inertian.files.interpretation.parsed_file import ParsedFile
from inertian.project.project import Project, with_trials
from inertian.project.typed_facts import with_typed_fact
from inertian.quantities.errors import InertianError, unforeseen
from inertian.report.spans_found import trials_or_reason

TOGETHER = "trials"  # the series of files that are taken together


def project_of_files(
    files: Sequence[tuple[str, ParsedFile]], facts: Sequence[str], together: bool
) -> tuple[Project, dict[str, str], list[str]]:
    """Return a project of all trials of some files, their spans found, with facts as they are
    typed, times in s; the path of each trial by id; and why files were refused.

    With `together` they are one series, else each is its own. Raises Refusal for a fact that no
    trial uses, and FactError or UnitError for one that cannot be read.
    """
    project, paths = Project("Accounts"), {}
    refusals: list[str] = []
    for path, parsed in files:
        trials, why = trials_or_reason(path, parsed)
        refusals += [why] if why else []
        for trial in trials:
            series = TOGETHER if together else f"{len(project.entries) + 1} {trial.name}"
            try:
                project = with_trials(project, [trial], series)
            except InertianError as error:
                refusals.append(f"{path}: {error}")
            except Exception as error:  # one bad trial stops none of the others
                refusals.append(f"{path}: {unforeseen(error)}")
            else:
                paths[project.entries[-1].trial.id] = path
    for text in facts if project.entries else ():
        project = with_typed_fact(project, text)
    return project, paths, refusals
