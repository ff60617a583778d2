"""Bringing recordings in: files of one make together, what is still to be answered, and the edit
that adds them.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from inertian.motion.recording.trials import Trial
from inertian.physics.definitions.fact_names import SCALE, TIME_BASE, mass_key
from inertian.project.history import Edit
from inertian.project.project import Project, with_trials
from inertian.quantities.facts import Fact, FactId, Meaning
from inertian.quantities.units import Unit

if TYPE_CHECKING:
    from inertian.files.cells.findings import Topic
    from inertian.files.cells.recipes import Recipe, Stated
    from inertian.files.interpretation.parsed_file import ParsedFile


@dataclass(frozen=True, eq=False)
class FileGroup:
    """Files that are read alike: the same kind, the same titles, one recipe."""

    titles: tuple[str, ...]
    files: tuple["ParsedFile", ...]

    @property
    def recipe(self) -> "Recipe":
        """The recipe in force: the one the files were read with, or one that leaves all to the
        evidence.
        """
        from inertian.files.cells.recipes import Recipe

        return self.files[0].recipe or Recipe(titles=self.titles)

    def bodies(self) -> tuple[str, ...]:
        """Return the names of all bodies, in order."""
        return tuple(dict.fromkeys(b.name for r in self.files for t in r.trials for b in t.bodies))

    def topics(self) -> tuple["Topic", ...]:
        """Return what has to be answered before the files mean anything."""
        return tuple(dict.fromkeys(q.topic for r in self.files for q in r.questions))

    def count(self) -> int:
        """Return how many trials there are to bring in."""
        from inertian.files.trial_building import can_be_brought_in

        return sum(can_be_brought_in(t) for r in self.files for t in r.trials)


def file_groups(parsed_files: Sequence["ParsedFile"]) -> list[FileGroup]:
    """Return the files that can be used, those of one kind together, in the order in which the
    groups appear.
    """
    from inertian.files.cells.recipes import signature

    groups: dict[object, list[ParsedFile]] = {}
    for parsed in parsed_files:
        if parsed.refused is None:
            groups.setdefault(
                (parsed.kind, signature(titles_of(parsed)), parsed.recipe), []
            ).append(parsed)
    return [FileGroup(titles_of(group[0]), tuple(group)) for group in groups.values()]


def titles_of(parsed: "ParsedFile") -> tuple[str, ...]:
    """Return the column titles that files of a group have in common."""
    return parsed.tables[0].titles if parsed.tables else ()


def read_by_recipes(parsed: "ParsedFile", recipes: Sequence["Recipe"]) -> "ParsedFile":
    """Read a file again by the newest of some recipes that is for its titles; as it is if there is
    none.
    """
    from inertian.files.reader import read_bytes

    fitting = next(
        (r for r in reversed(recipes) if parsed.tables and r.fits(titles_of(parsed))), None
    )
    return parsed if fitting is None else read_bytes(parsed.file, parsed.content, fitting)


def read_again(
    group: FileGroup, recipe: "Recipe", cancelled: Callable[[], bool] = lambda: False
) -> FileGroup:
    """Return a make read by another recipe; files not yet reached keep their reading when
    cancelled.
    """
    from inertian.files.reader import read_bytes

    recipe = replace(recipe, titles=group.titles)
    parsed_files = [
        r if cancelled() else read_bytes(r.file, r.content, recipe) for r in group.files
    ]
    return FileGroup(group.titles, tuple(parsed_files))


def whole_recipe(group: FileGroup) -> "Recipe":
    """Return the recipe of a make with everything in it that was understood of the columns."""
    from inertian.files.cells.recipes import ColumnRule

    parsed = group.files[0]
    views = parsed.tables[0].columns if parsed.tables else ()
    rules = {
        (v.title, v.place): ColumnRule(
            v.title, v.place, "other" if v.why else v.role, "" if v.why else v.body, v.axis, v.unit
        )
        for v in views
    }
    name = group.recipe.name or f"files like {parsed.file}"
    return replace(group.recipe, name=name, titles=group.titles, columns=tuple(rules.values()))


def bring_in(
    project: Project, groups: Sequence[FileGroup], series: str, masses: Mapping[str, Fact]
) -> tuple[Edit, list[str]]:
    """Return the edit that adds all trials of some makes to a series, and why some could not be
    added.

    Recipes are kept with the project; a scale and a time base become facts of the series.
    """
    from inertian.files.trial_building import can_be_brought_in, trials_of
    from inertian.quantities.errors import InertianError

    trials: list[Trial] = []
    reasons: list[str] = []
    for group in groups:
        recipe = whole_recipe(group)
        for parsed in group.files:
            short = [t.name for t in parsed.trials if not can_be_brought_in(t)]
            reasons += [f"{name}: a trial needs at least 2 samples." for name in short]
            try:
                trials += trials_of(replace(parsed, recipe=recipe))
            except InertianError as error:
                reasons.append(str(error))
        project = _with_scale_facts(
            project.with_recipe(recipe), _with_stated_scale(group, recipe), f"series {series}"
        )
    for body, mass in masses.items():
        project = project.with_fact(FactId(mass_key(body)), mass)
    name = f"Bring in “{trials[0].name}”" if len(trials) == 1 else f"Bring in {len(trials)} trials"
    return Edit(name, with_trials(project, trials, series)), reasons


def _with_stated_scale(group: FileGroup, recipe: "Recipe") -> "Recipe":
    """The recipe with the scale that the files themselves state, if they all state the same one."""
    stated = {parsed.scale for parsed in group.files}
    return (
        replace(recipe, scale=stated.pop()) if recipe.scale is None and len(stated) == 1 else recipe
    )


def _with_scale_facts(project: Project, recipe: "Recipe", scope: str) -> Project:
    if recipe.scale is not None:
        project = project.with_fact(
            FactId(SCALE, scope), _fact(recipe.scale, Unit("m/px", "number", 1.0))
        )
    if recipe.time_base is not None:
        project = project.with_fact(
            FactId(TIME_BASE, scope), _fact(recipe.time_base, Unit("", "number", 1.0))
        )
    return project


def _fact(stated: "Stated", unit: Unit) -> Fact:
    meaning = Meaning(stated.meaning) if stated.plus_minus else Meaning.EXACT
    return Fact(stated.value, stated.plus_minus, meaning, unit)


def reread(project: Project, trial: str, recipe: "Recipe") -> Edit:
    """Read a trial's file again by another recipe, keeping its id, name, series, tidy steps and
    spans.

    Spans are in s of file time; where the time base changed, they are stretched with it. Raises
    UnreadableFileError if the original is not kept, or the recipe leaves nothing of the trial.
    """
    from inertian.files.cells.findings import Code, UnreadableFileError
    from inertian.files.reader import read_bytes
    from inertian.files.trial_building import trials_of
    from inertian.motion.recording.tidying import carried_over
    from inertian.project.edits import fitting, with_trial_in_other_time

    entry = project.entry(trial)
    origin = entry.trial.provenance
    if origin.content is None:
        why = "the original was too large to be kept. Bring the file in again."
        raise UnreadableFileError(origin.file, Code.TOO_LARGE, why)
    read = trials_of(read_bytes(origin.file, origin.content, recipe))
    if origin.part >= len(read):
        why = "read this way, the file has fewer trials than before."
        raise UnreadableFileError(origin.file, Code.NO_TABLE, why)
    new = replace(read[origin.part], id=entry.trial.id, name=entry.trial.name)
    ratio = (
        new.time_base
        * new.time_unit.factor
        / (entry.trial.time_base * entry.trial.time_unit.factor)
    )
    kept = (
        with_trial_in_other_time(entry, new, ratio) if ratio != 1.0 else replace(entry, trial=new)
    )
    steps = carried_over(entry.steps, ratio * entry.trial.t, new.t)
    kept = replace(kept, steps=steps, frame=fitting(new, steps, kept.frame))
    project = project.with_entry(kept).with_recipe(recipe)
    return Edit(
        f"Read “{new.name}” again", _with_scale_facts(project, recipe, f"series {entry.series}")
    )
