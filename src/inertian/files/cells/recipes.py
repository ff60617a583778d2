"""Recipes: how files of one make are read, found once and used for all alike; readable JSON."""

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

from inertian.files.cells.column_titles import folded
from inertian.quantities.errors import InertianError

FORMAT, VERSION = "inertian recipe", 1
_LARGEST = 1_000_000  # bytes
ROLES = (
    "time",
    "frame",
    "position",
    "velocity",
    "acceleration",
    "force",
    "body",
    "trial",
    "row number",
    "uncertainty",
    "other",
    "remark",
)


class RecipeError(InertianError):
    """A recipe cannot be used."""

    def __init__(self, file: str, why: str) -> None:
        super().__init__(file, why)
        self.file, self.why = file, why

    def __str__(self) -> str:
        return f"{self.file}: this is no recipe that can be used ({self.why})."


@dataclass(frozen=True)
class Stated:
    """A number that turns what a file holds into what happened, with its ± and what the ± means."""

    value: float
    plus_minus: float = 0.0
    meaning: str = "limits"


@dataclass(frozen=True)
class ColumnRule:
    """What one column is for: by its title, or by its place where it has none."""

    title: str
    place: int
    role: str
    body: str = ""
    axis: str = ""
    unit: str = ""


@dataclass(frozen=True)
class Recipe:
    """How files of one make are read.

    `titles` are the column titles that the make is known by. What is None was left to the evidence
    in the file. `frame_rate` is in 1/s, `scale` in m per pixel; `time_base` multiplies all times
    (1/12 for footage taken at 300 and exported as 25 frames/s); `flip` names the axes whose
    positive direction is the other way than in the file; `names` pairs the name of a body as read
    with the one it is given; `bodies` says to how many bodies positions without names belong.
    """

    name: str = ""
    titles: tuple[str, ...] = ()
    encoding: str | None = None
    delimiter: str | None = None
    decimal: str | None = None
    time_unit: str | None = None
    frame_rate: float | None = None
    scale: Stated | None = None
    time_base: Stated | None = None
    columns: tuple[ColumnRule, ...] = ()
    flip: tuple[str, ...] = ()
    names: tuple[tuple[str, str], ...] = ()
    bodies: int | None = None

    def fits(self, titles: Sequence[str]) -> bool:
        """Whether a table with these titles is of this make."""
        return signature(titles) == signature(self.titles)

    def rule(self, title: str, place: int) -> ColumnRule | None:
        """Return the rule for a column, or None if there is none."""
        by_title = [r for r in self.columns if r.title == title and title]
        exact = [r for r in by_title if r.place == place]
        if exact or by_title:
            return (exact or by_title)[0]
        return next((r for r in self.columns if not r.title and r.place == place), None)


def signature(titles: Sequence[str]) -> tuple[str, ...]:
    """Return titles as makes are told apart by: without case, accents and blanks at the ends."""
    return tuple(folded(" ".join(t.split())) for t in titles)


def recipe_json(recipe: Recipe) -> str:
    """Return a recipe as readable JSON."""
    return (
        json.dumps(
            {"format": FORMAT, "version": VERSION, **asdict(recipe)}, indent=1, ensure_ascii=False
        )
        + "\n"
    )


def read_recipe(file: str, text: str) -> Recipe:
    """Return the recipe in a JSON text. Raises RecipeError with the reason if it is none."""
    try:
        raw = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise RecipeError(file, "it is not JSON") from error
    if not isinstance(raw, dict) or raw.pop("format", None) != FORMAT:
        raise RecipeError(file, f"it does not say “format”: “{FORMAT}”")
    version = raw.pop("version", None)
    if version != VERSION:
        raise RecipeError(file, f"its version is {version}; this program reads version {VERSION}")
    return recipe_of(file, raw)


def load_recipe(path: Path) -> Recipe:
    """Return the recipe in a file. Raises RecipeError."""
    try:
        if path.stat().st_size > _LARGEST:
            raise RecipeError(path.name, "it is far too large")
        return read_recipe(path.name, path.read_text(encoding="utf-8"))
    except OSError as error:
        raise RecipeError(path.name, f"it cannot be opened: {error.strerror or error}") from error
    except UnicodeDecodeError as error:
        raise RecipeError(path.name, "it is not text") from error


def recipe_of(file: str, raw: object) -> Recipe:
    """Return the recipe in parsed JSON without format and version. Raises RecipeError."""
    from pydantic import ConfigDict, TypeAdapter, ValidationError

    config = ConfigDict(extra="forbid", allow_inf_nan=False)
    try:
        recipe = TypeAdapter(_with_config(Recipe, config)).validate_python(raw)
    except ValidationError as error:
        first = error.errors()[0]
        raise RecipeError(file, f"{'.'.join(map(str, first['loc']))}: {first['msg']}") from error
    _check(file, recipe)
    return recipe


def _with_config(kind: type[Recipe], config: object) -> type[Recipe]:
    for part in (kind, ColumnRule, Stated):
        part.__pydantic_config__ = config  # type: ignore[union-attr]
    return kind


def _check(file: str, recipe: Recipe) -> None:
    for rule in recipe.columns:
        if rule.role not in ROLES:
            raise RecipeError(
                file, f"“{rule.role}” is no role of a column; there are {', '.join(ROLES)}"
            )
    positive = {
        "frame_rate": recipe.frame_rate,
        "scale": recipe.scale.value if recipe.scale else None,
        "time_base": recipe.time_base.value if recipe.time_base else None,
        "bodies": recipe.bodies,
    }
    for name, value in positive.items():
        if value is not None and not value > 0.0:
            raise RecipeError(file, f"{name} has to be above zero")
    if recipe.decimal not in (None, ",", "."):
        raise RecipeError(file, "decimal has to be “,” or “.”")
