"""The stages without a window: JSON or text out, exit 2 with one line on stderr for each thing refused."""

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

app = typer.Typer(add_completion=False, no_args_is_help=False, pretty_exceptions_enable=False)


def refuse(lines: list[str]) -> None:
    """Print one line for each refusal and leave with 2, if there are any. Raises typer.Exit."""
    for line in lines:
        print(f"inertian: {' '.join(line.split())}", file=sys.stderr)
    if lines:
        raise typer.Exit(2)


@app.command()
def ledger(
    project: Annotated[Path, typer.Argument(help="A project file, NAME.inertian")],
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON, SI at full precision")] = False,
) -> None:
    """Print every ledger of every trial."""
    from inertian.project.saving import load
    from inertian.quantities.errors import InertianError
    from inertian.report.ledgers import ledgers_json

    try:
        opened = load(project)
    except InertianError as error:
        refuse([str(error)])
        return
    result, refusals = ledgers_json(opened, opened.name)
    if as_json:
        print(json.dumps(result, ensure_ascii=False, allow_nan=False))
    else:
        _print_text(result)
    refuse(refusals)


def _print_text(result: dict) -> None:  # type: ignore[type-arg]
    from inertian.quantities.rounding import write

    for trial in result["trials"]:
        print(trial["name"])
        for item in trial["ledgers"]:
            amounts = [
                write(item[k]["value"], item[k]["u"], item["unit"]) for k in ("opening", "closing", "unaccounted")
            ]
            print(f"  {item['law']}: before {amounts[0]}, after {amounts[1]}, unaccounted {amounts[2]}", end="")
            print(f": {item['verdict']}" if item["verdict"] else "")
