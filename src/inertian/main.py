"""Entry point: the window, the demo, or a stage without a window."""

import os
import sys
from pathlib import Path
from typing import Annotated

import typer

from inertian.cli import app, refuse

NO_DISPLAY = (
    "No display was found, so the window cannot open; start it from a desktop session, or use `inertian --help`."
)


@app.callback(invoke_without_command=True)
def window(context: typer.Context) -> None:
    """Open the window; with a command, do that instead."""
    if context.invoked_subcommand is None:
        _open_window(demo=False, files=[])


@app.command()
def open_files(files: list[Path]) -> None:
    """Open the window with a project or with recordings."""
    _open_window(demo=False, files=files)


@app.command()
def demo(
    write: Annotated[Path | None, typer.Option(help="Write the demo's files into this folder; no window")] = None,
) -> None:
    """Open the window on the demo: a day at the ice rink."""
    if write is None:
        _open_window(demo=True, files=[])
        return
    from inertian.project.demo import write_demo
    from inertian.quantities.errors import InertianError

    try:
        for path in write_demo(write):
            print(path)
    except OSError as error:
        refuse([f"{write}: the demo cannot be written here ({error.strerror or error})."])
    except InertianError as error:
        refuse([str(error)])


@app.command()
def shots(folder: Path) -> None:
    """Write pictures of the main views, from the demo, as PNG 1280 × 800."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from inertian.desktop.shots import take_shots

    try:
        for path in take_shots(folder):
            print(path)
    except OSError as error:
        refuse([f"{folder}: pictures cannot be written here ({error.strerror or error})."])


def _open_window(demo: bool, files: list[Path]) -> None:
    if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        refuse([NO_DISPLAY])
    from inertian.desktop.application import start

    raise typer.Exit(start(demo=demo, files=files))


def run() -> None:
    """Run the program; the console script calls this."""
    app(prog_name="inertian")


if __name__ == "__main__":
    sys.exit(run())
