"""What a file was read as."""

import posixpath
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from inertian.files.cells.column_titles import names_trial
from inertian.files.cells.findings import Finding, Question, UnreadableFileError
from inertian.files.cells.recipes import Recipe, Stated
from inertian.files.interpretation.column_roles import DEFAULT_BODY
from inertian.files.interpretation.grid_interpretation import Conclusion, TableView
from inertian.files.interpretation.parsed_trial import ParsedTrial


@dataclass(frozen=True, eq=False)
class ParsedFile:
    """One file as read: what it is, what was understood, and what could not be used.

    `refused` says in one sentence why nothing of it can be used, or is None.
    """

    file: str
    sha256: str
    size: int
    kind: str = ""
    encoding: str | None = None
    delimiter: str | None = None
    decimal: str | None = None
    refused: UnreadableFileError | None = None
    trials: tuple[ParsedTrial, ...] = ()
    findings: tuple[Finding, ...] = ()
    questions: tuple[Question, ...] = ()
    conclusions: tuple[Conclusion, ...] = ()
    tables: tuple[TableView, ...] = ()
    frame_rate: float | None = None
    scale: Stated | None = None
    body_counts: tuple[int, ...] = ()  # to how many bodies positions without names can belong
    content: bytes = field(default=b"", repr=False)
    recipe: Recipe | None = None

    def bodies_fed(self, table: TableView) -> dict[int, int]:
        """Return, for each column of the table that is a channel, the place of its body among those
        of the file.
        """
        bodies = list(dict.fromkeys(b.name for t in self.trials for b in t.bodies))
        names = dict(self.recipe.names) if self.recipe else {}
        fed = {}
        for view in table.columns:
            own = names.get(view.body, view.body)
            if own not in bodies and names_trial(
                view.body
            ):  # trials side by side, of one body each
                own = names.get(DEFAULT_BODY, DEFAULT_BODY)
            if view.axis and not view.why and own in bodies:
                fed[view.place] = bodies.index(own)
        return fed


def trials_named(file: str, trials: Sequence[ParsedTrial]) -> tuple[ParsedTrial, ...]:
    """Give every trial without a name one from its file, numbered if there are several; no name
    stands twice.
    """
    stem = trial_name(file)
    bare = sum(not t.name for t in trials)
    named: list[ParsedTrial] = []
    taken: set[str] = set()
    for place, trial in enumerate(trials, start=1):
        base = trial.name or (stem if bare == 1 and len(trials) == 1 else f"{stem} {place}")
        name, number = base, 2
        while name in taken:
            name, number = f"{base} ({number})", number + 1
        taken.add(name)
        named.append(replace(trial, name=name))
    return tuple(named)


def trial_name(file: str) -> str:
    """Return the name a file gives its trial: without endings, underscores as blanks."""
    stem = posixpath.basename(file)
    for _ in range(2):
        head, dot, ending = stem.rpartition(".")
        if dot and head and len(ending) <= 8 and ending.isalnum() and not ending.isdigit():
            stem = head
        if ending.casefold() != "gz":
            break
    return stem.replace("_", " ").strip() or file
