"""What all commands share: refusals, and files that are read one after another."""

import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import typer

if TYPE_CHECKING:
    from inertian.files.cells.recipes import Recipe
    from inertian.files.interpretation.parsed_file import ParsedFile


def refuse(lines: list[str]) -> None:
    """Print one line for each refusal and leave with 2, if there are any. Raises typer.Exit."""
    for line in lines:
        print(f"inertian: {' '.join(line.split())}", file=sys.stderr)
    if lines:
        raise typer.Exit(2)


def in_turn(
    files: Sequence[Path], recipe: "Recipe | None", work: Callable[[str, "ParsedFile"], None]
) -> list[str]:
    """Read files one after another and do some work with each; what goes wrong with one, foreseen
    or not, stops none of the others. Return what was not foreseen, one line for each file.
    """
    from inertian.files.reader import read_file
    from inertian.quantities.errors import unforeseen

    troubles = []
    for path in files:
        try:
            work(str(path), read_file(path, recipe))
        except Exception as error:
            troubles.append(f"{path}: {unforeseen(error)}")
    return troubles
