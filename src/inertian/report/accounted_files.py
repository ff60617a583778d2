"""Files as the trials of a project, with facts: what accounts without a window are drawn up of."""

from collections.abc import Sequence
from dataclasses import replace

from inertian.files.interpretation.parsed_file import ParsedFile
from inertian.motion.recording.prepared_trial import prepare
from inertian.motion.recording.tidying import StepKind, TidyStep
from inertian.motion.recording.trials import Trial
from inertian.motion.spans.span_suggestion import suggest_spans
from inertian.motion.spans.spans import Spans
from inertian.project.project import Project, with_trials
from inertian.project.typed_facts import with_typed_fact
from inertian.quantities.errors import InertianError, unforeseen
from inertian.report.spans_found import trials_or_reason

TOGETHER = "trials"  # the series of files that are taken together


def no_spans(_trial: Trial) -> Spans:
    """Spans are found when samples that jump are set aside."""
    return Spans()


def _without_jumps(project: Project) -> Project:
    """A project whose last trial has samples that jump set aside, by the rule that the window
    offers, and its spans found.
    """
    entry = project.entries[-1]
    step = TidyStep(StepKind.JUMPS)
    jumping = any(rows.size for rows in prepare(entry.trial, (step,)).aside.values())
    entry = replace(entry, steps=(step,) if jumping else ())
    return project.with_entry(replace(entry, spans=suggest_spans(entry.used_trial)))


def project_of_files(
    files: Sequence[tuple[str, ParsedFile]],
    facts: Sequence[str],
    together: bool,
    tidy: bool = True,
) -> tuple[Project, dict[str, str], list[str]]:
    """Return a project of all trials of some files, samples that jump set aside if they are to be
    tidied, their spans found, with facts as they are typed, times in s; the path of each trial by
    id; and why files were refused.

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
                if tidy:
                    project = _without_jumps(with_trials(project, [trial], series, no_spans))
                else:
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
