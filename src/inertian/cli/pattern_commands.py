"""Commands for many files at once: treated like a pattern, or looked over."""

import json
import signal
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from inertian.cli.opened_trials import (
    FactOption,
    JsonOption,
    ProjectOrRecordings,
    RecipeOption,
    TogetherOption,
    opened,
)
from inertian.cli.refusals import refuse

if TYPE_CHECKING:
    from inertian.analysis.pattern_files import TreatedFile
    from inertian.report.applied import Applied

MOST_JOBS = 64
POLL = 1.0  # s between two looks at a folder that is followed


def apply(
    project: Annotated[Path, typer.Argument(help="A project with a trial that is the pattern")],
    files: Annotated[
        list[Path], typer.Argument(help="Recordings, or folders of them, treated like the pattern")
    ],
    pattern: Annotated[
        str, typer.Option(help="The trial that is the pattern, by name; else the project's own")
    ] = "",
    as_json: JsonOption = False,
    out: Annotated[
        Path | None, typer.Option(help="Write the table of results, NAME.csv or NAME.xlsx")
    ] = None,
    save: Annotated[Path | None, typer.Option(help="Keep all trials as a project file")] = None,
    jobs: Annotated[int, typer.Option(help="Processes", min=1, max=MOST_JOBS)] = 1,
    each: Annotated[
        bool, typer.Option("--each", help="Each trial by itself: no noise or friction in common")
    ] = False,
    follow: Annotated[
        bool, typer.Option("--follow", help="Go on with files that appear, until interrupted")
    ] = False,
) -> None:
    """Treat recordings like one that was treated by hand: read, tidied, marked, accounted for."""
    from inertian.analysis.pattern_files import pattern_of
    from inertian.project.saving import load
    from inertian.quantities.errors import InertianError
    from inertian.report.applied import applied, refusals

    if out is not None and out.suffix.casefold() not in (".csv", ".xlsx"):
        refuse([f"{out}: results are written as NAME.csv or NAME.xlsx."])
    try:
        opened = load(project)
        chosen = pattern_of(opened, pattern)
    except InertianError as error:
        refuse([str(error)])
        return
    troubles: list[str] = []
    made = None
    treated: dict[Path, TreatedFile] = {}
    for known in _growing(files, follow):
        made = applied(opened, chosen, known, jobs, each, _say_progress, treated)
        troubles = _written(made, out, save)
        if follow:
            _told(made)
    if made is None:
        refuse(["there are no files to treat."])
        return
    if as_json:
        _print_json(made)
    elif out is None:
        _print_text(made)
    refuse([*refusals(made), *troubles])


def _growing(files: list[Path], follow: bool) -> Iterator[list[Path]]:
    """Yield the files to treat: all that are there; and, if they are followed, all again when more
    have appeared, until the program is interrupted.
    """
    from inertian.analysis.followed_folders import FollowedFolder, files_in

    known: list[Path] = []
    watches = []
    for path in files:
        if path.is_dir():
            known += files_in(path)
            watches.append(FollowedFolder(path, known))
        else:
            known.append(path)
    if known:
        yield known
    if not follow:
        return
    with _interrupted() as stopped:
        while not stopped.wait(POLL):
            new = [path for watch in watches for path in watch.new_files()]
            if new:
                known += new
                yield known


@contextmanager
def _interrupted() -> Iterator[threading.Event]:
    """An event that is set when the program is asked to stop; what was done till then is kept."""
    stopped = threading.Event()
    before = {s: signal.getsignal(s) for s in (signal.SIGINT, signal.SIGTERM)}
    for one in before:
        signal.signal(one, lambda _signal, _frame: stopped.set())
    try:
        yield stopped
    finally:
        for one, handler in before.items():
            signal.signal(one, handler)


def _say_progress(what: str, done: int, of: int) -> None:
    """Progress on stderr: one line that is written over, on a terminal; else one at each tenth."""
    word = {"read": "read and marked", "accounts": "accounted for"}[what]
    if sys.stderr.isatty():
        print(f"\r{done} of {of} {word}  ", end="\n" if done == of else "", file=sys.stderr)
    elif done == of or done % max(of // 10, 1) == 0:
        print(f"{done} of {of} {word}", file=sys.stderr)


def _told(made: "Applied") -> None:
    """Which trials of a folder that is followed need a look."""
    doubtful = [line for line in made.trials if line["problems"]]
    said = f"{len(made.trials)} trials"
    if doubtful:
        said += f"; to be looked at: {', '.join(line['trial'] for line in doubtful)}"
    print(said, file=sys.stderr, flush=True)


def _written(made: "Applied", out: Path | None, save: Path | None) -> list[str]:
    """Write table and project; return what went wrong."""
    from inertian.project.saving import save as save_project
    from inertian.quantities.errors import InertianError
    from inertian.report.applied import write_results

    troubles = []
    try:
        if out is not None:
            write_results(made, out)
    except OSError as error:
        troubles.append(f"{out}: the table cannot be written here ({error.strerror or error}).")
    try:
        if save is not None:
            save_project(made.project, save)
    except InertianError as error:
        troubles.append(str(error))
    return troubles


def _print_json(made: "Applied") -> None:
    from inertian.report.applied import applied_json

    print(json.dumps(applied_json(made), ensure_ascii=False, allow_nan=False))


def _print_text(made: "Applied") -> None:
    from inertian.quantities.rounding import write_estimate

    for line in made.trials:
        print(f"{line['trial']}:")
        for name, one in line["results"].items():
            print(f"  {name}: {write_estimate(one['value'], one['u'], one['unit'])}")
        for problem in line["problems"]:
            print(f"  ! {problem['text']}")


def look(
    files: ProjectOrRecordings,
    recipe: RecipeOption = None,
    fact: FactOption = None,
    together: TogetherOption = False,
    as_json: JsonOption = False,
) -> None:
    """Say what is likely wrong with trials, the gravest first, with the evidence."""
    from inertian.quantities.errors import InertianError
    from inertian.report.noted import notes_json, notes_text

    try:
        project, refusals = opened(files, recipe, fact or [], together, tidy=False)
    except InertianError as error:
        refuse([str(error)])
        return
    if as_json:
        print(json.dumps(notes_json(project), ensure_ascii=False, allow_nan=False))
    else:
        print("\n".join(notes_text(project)))
    refuse(refusals)
