"""Entry point: the window, the demo, or a stage without a window.

The command line is only loaded for commands that need it: the window opens a tenth of a second
earlier without.
"""

import os
import sys
from pathlib import Path

COMMANDS = ("demo", "derive", "inspect", "ledger", "model", "results", "shots", "spans", "trend")
NO_DISPLAY = (
    "No display was found, so the window cannot open; start it from a desktop session, or use "
    "`inertian --help`."
)


def open_window(demo: bool, files: list[Path]) -> int:
    """Open the window and return the exit code when it closes; 2 with one line on stderr if there
    is no display.
    """
    if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        print(f"inertian: {NO_DISPLAY}", file=sys.stderr)
        return 2
    import gc

    gc.disable()  # the window collects garbage itself, on its own thread; see desktop.collector
    from inertian.desktop.shell.application import start

    return start(demo=demo, files=files)


def take_shots(folder: Path) -> list[Path]:
    """Write pictures of the main views, from the demo, as PNG 1280 × 800, and return their paths.
    Raises OSError.
    """
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from inertian.desktop.shell.screenshots import take_shots

    return take_shots(folder)


def run() -> None:
    """Run the program; the console script calls this."""
    arguments = sys.argv[1:]
    if arguments in ([], ["demo"]):
        sys.exit(open_window(demo=bool(arguments), files=[]))
    files = [Path(a) for a in arguments]
    if arguments[0] not in COMMANDS and all(path.is_file() for path in files):
        sys.exit(open_window(demo=False, files=files))
    from inertian.cli import make_app

    try:
        make_app(open_window, take_shots)(prog_name="inertian")
    except Exception as error:
        from inertian.quantities.errors import unforeseen

        print(f"inertian: {unforeseen(error)}", file=sys.stderr)
        sys.exit(2)


if __name__ == "__main__":
    run()
