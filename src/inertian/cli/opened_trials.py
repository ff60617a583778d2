"""What commands about trials are given: a project file, or recordings and facts."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from inertian.cli.refusals import in_turn

if TYPE_CHECKING:
    from inertian.files.interpretation.parsed_file import ParsedFile
    from inertian.project.project import Project

PROJECT_ENDING = ".inertian"
Recordings = Annotated[list[Path], typer.Argument(help="Recordings of any kind")]
ProjectOrRecordings = Annotated[
    list[Path], typer.Argument(help="A project file, or recordings of any kind")
]
RecipeOption = Annotated[Path | None, typer.Option(help="A recipe, as exported from the window")]
FactOption = Annotated[
    list[str] | None, typer.Option(help='"mass of A = 1.30 ± 0.01 kg"; may be repeated')
]
TogetherOption = Annotated[
    bool, typer.Option("--together", help="Trials of one series: they share noise and friction")
]
SaveOption = Annotated[Path | None, typer.Option(help="Keep them as a project file")]
JsonOption = Annotated[bool, typer.Option("--json", help="Print JSON, SI at full precision")]


def project_of_recordings(
    files: Sequence[Path],
    recipe: Path | None,
    fact: Sequence[str],
    together: bool,
    tidy: bool = True,
) -> tuple["Project", dict[str, str], list[str]]:
    """Return the project that recordings and facts make, the path of each trial by id, and why
    files were refused. Raises InertianError for a recipe or a fact that cannot be read.
    """
    from inertian.files.cells.recipes import load_recipe
    from inertian.report.accounted_files import project_of_files

    parsed_files: list[tuple[str, ParsedFile]] = []
    chosen = load_recipe(recipe) if recipe is not None else None
    refusals = in_turn(files, chosen, lambda path, one: parsed_files.append((path, one)))
    made, paths, refused = project_of_files(parsed_files, fact, together, tidy=tidy)
    return made, paths, [*refusals, *refused]


def opened(
    files: Sequence[Path],
    recipe: Path | None,
    fact: Sequence[str],
    together: bool,
    tidy: bool = True,
) -> tuple["Project", list[str]]:
    """Return the project of a project file, with facts, or that recordings make; and why files were
    refused. Raises InertianError.
    """
    from inertian.project.saving import load
    from inertian.project.typed_facts import with_typed_fact

    if len(files) == 1 and files[0].suffix.casefold() == PROJECT_ENDING:
        project = load(files[0])
        for text in fact:
            project = with_typed_fact(project, text)
        return project, []
    project, _, refusals = project_of_recordings(files, recipe, fact, together, tidy)
    return project, refusals
