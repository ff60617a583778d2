"""The commands: one for each stage without a window."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from inertian.cli.model_commands import model
from inertian.cli.opened_trials import (
    FactOption,
    JsonOption,
    RecipeOption,
    Recordings,
    SaveOption,
    TogetherOption,
    project_of_recordings,
)
from inertian.cli.pattern_commands import apply, look
from inertian.cli.refusals import in_turn, refuse
from inertian.cli.trend_commands import results, trend

if TYPE_CHECKING:
    from inertian.files.interpretation.parsed_file import ParsedFile


def ledger(
    project: Annotated[Path, typer.Argument(help="A project file, NAME.inertian")],
    as_json: JsonOption = False,
) -> None:
    """Print every ledger of every trial."""
    from inertian.project.saving import load
    from inertian.quantities.errors import InertianError
    from inertian.report.ledgers import ledgers_json, ledgers_text

    try:
        opened = load(project)
    except InertianError as error:
        refuse([str(error)])
        return
    if as_json:
        result, refusals = ledgers_json(opened, opened.name)
        print(json.dumps(result, ensure_ascii=False, allow_nan=False))
    else:
        lines, refusals = ledgers_text(opened)
        print("\n".join(lines))
    refuse(refusals)


def account(
    files: Recordings,
    recipe: RecipeOption = None,
    fact: FactOption = None,
    together: TogetherOption = False,
    save: SaveOption = None,
    as_json: JsonOption = False,
) -> None:
    """Draw up the accounts of recordings: spans found, the event recognised, ledgers and
    results.
    """
    from inertian.quantities.errors import InertianError
    from inertian.report.ledgers import ledgers_json, ledgers_text

    try:
        made, paths, refusals = project_of_recordings(files, recipe, fact or [], together)
        if save is not None:
            from inertian.project.saving import save as save_project

            save_project(made, save)
    except InertianError as error:
        refuse([str(error)])
        return
    if as_json:
        result, refused = ledgers_json(made, None if save is None else made.name, paths)
        print(json.dumps(result, ensure_ascii=False, allow_nan=False))
    else:
        lines, refused = ledgers_text(made)
        print("\n".join(lines))
    refuse([*refusals, *refused])


def inspect(
    files: Recordings,
    recipe: RecipeOption = None,
    as_json: JsonOption = False,
) -> None:
    """Say how each file is understood: format, columns, units, time base, trials, bodies, unusable
    lines, warnings.
    """
    from inertian.files.cells.recipes import RecipeError, load_recipe
    from inertian.report.inspection import file_json, inspection_json, inspection_text

    try:
        chosen = load_recipe(recipe) if recipe is not None else None
    except RecipeError as error:
        refuse([str(error)])
        return
    result = inspection_json([])
    refusals: list[str] = []

    def look_into(path: str, parsed: "ParsedFile") -> None:
        made = file_json(path, parsed)
        json.dumps(made, allow_nan=False)  # what cannot be written is refused for this file alone
        result["files"].append(made)
        if not as_json:
            print("\n".join(inspection_text(path, parsed)))
        if parsed.refused is not None:
            refusals.append(f"{path}: {parsed.refused.why}")

    refusals += in_turn(files, chosen, look_into)
    if as_json:
        print(json.dumps(result, ensure_ascii=False, allow_nan=False))
    refuse(refusals)


def spans(
    files: Recordings,
    recipe: RecipeOption = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON, times in s")] = False,
) -> None:
    """Say what happens in each trial and when: rest, steady motion, contacts, turning points, with
    the reason why.
    """
    from inertian.files.cells.recipes import RecipeError, load_recipe
    from inertian.report.spans_found import spans_json, spans_text

    try:
        chosen = load_recipe(recipe) if recipe is not None else None
    except RecipeError as error:
        refuse([str(error)])
        return
    result, refusals = spans_json([])

    def find(path: str, parsed: "ParsedFile") -> None:
        if as_json:
            made, refused = spans_json([(path, parsed)])
            json.dumps(made, allow_nan=False)
            result["files"] += made["files"]
        else:
            lines, refused = spans_text([(path, parsed)])
            print("\n".join(lines))
        refusals.extend(refused)

    refusals += in_turn(files, chosen, find)
    if as_json:
        print(json.dumps(result, ensure_ascii=False, allow_nan=False))
    refuse(refusals)


def derive(
    files: Recordings,
    out: Annotated[Path, typer.Option(help="The table to write, as CSV")],
    method: Annotated[str, typer.Option(help="local, central or two-point")] = "local",
    window: Annotated[
        str, typer.Option(help='"0.2 s" or "15 samples"; by the data if left out')
    ] = "",
    noise: Annotated[
        str, typer.Option(help='σ of a reading: "0.5 mm", resolution, column or estimated')
    ] = "",
    recipe: RecipeOption = None,
    as_json: Annotated[
        bool, typer.Option("--json", help="Print method, windows and noise as JSON")
    ] = False,
) -> None:
    """Write t, x, v, a and their standard uncertainties, one row for each reading of each axis of
    each body.
    """
    from inertian.files.cells.recipes import load_recipe
    from inertian.motion.derivatives.derive import Method
    from inertian.motion.derivatives.local_derivatives import parse_window
    from inertian.quantities.errors import InertianError
    from inertian.report import derived

    if method not in set(Method):
        refuse([f"--method {method}: choose one of {', '.join(Method)}."])
    try:
        chosen = load_recipe(recipe) if recipe is not None else None
        asked = parse_window(window), derived.parse_noise(noise)
    except InertianError as error:
        refuse([str(error)])
        return
    parsed_files: list[tuple[str, ParsedFile]] = []
    refusals = in_turn(files, chosen, lambda path, parsed: parsed_files.append((path, parsed)))
    found, refused = derived.derive_files(parsed_files, Method(method), *asked)
    refusals += refused
    try:
        rows = derived.write_table(out, found)
    except OSError as error:
        refuse([*refusals, f"{out}: the table cannot be written here ({error.strerror or error})."])
        return
    if as_json:
        result = derived.derived_json(found, Method(method), out, rows)
        print(json.dumps(result, ensure_ascii=False, allow_nan=False))
    else:
        print("\n".join(derived.derived_text(found, Method(method))))
    refuse(refusals)


def _write_demo(folder: Path) -> None:
    from inertian.project.demo_project import write_demo
    from inertian.quantities.errors import InertianError

    try:
        for path in write_demo(folder):
            print(path)
    except OSError as error:
        refuse([f"{folder}: the demo cannot be written here ({error.strerror or error})."])
    except InertianError as error:
        refuse([str(error)])


def make_app(
    open_window: Callable[[bool, list[Path]], int], take_shots: Callable[[Path], list[Path]]
) -> typer.Typer:
    """Return the command line; what needs a window is handed in from above."""
    app = typer.Typer(add_completion=False, pretty_exceptions_enable=False)
    app.command()(account)
    app.command()(ledger)
    app.command()(inspect)
    app.command()(spans)
    app.command()(derive)
    app.command()(apply)
    app.command()(look)
    app.command()(results)
    app.command()(trend)
    app.command()(model)

    @app.callback(invoke_without_command=True)
    def window(context: typer.Context) -> None:
        """Honest accounts of momentum and energy. Without a command, opens the window; files may be
        named to open.
        """
        if context.invoked_subcommand is None:
            raise typer.Exit(open_window(False, []))

    @app.command()
    def demo(
        write: Annotated[
            Path | None, typer.Option(help="Write the demo's files into this folder; no window")
        ] = None,
    ) -> None:
        """Open the window on the demo: a day at the ice rink."""
        if write is None:
            raise typer.Exit(open_window(True, []))
        _write_demo(write)

    @app.command()
    def shots(folder: Path) -> None:
        """Write pictures of the main views, from the demo, as PNG 1280 × 800."""
        try:
            for path in take_shots(folder):
                print(path)
        except OSError as error:
            refuse([f"{folder}: pictures cannot be written here ({error.strerror or error})."])

    return app
