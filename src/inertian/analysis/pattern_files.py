"""Files treated like a pattern: read by its recipe, tidied, marked and read like it, each by
itself, so that several processes can share them.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

from inertian.analysis.batch_treatment import Problem, treated, with_setup
from inertian.files.cells.findings import Code
from inertian.files.cells.recipes import Recipe, read_recipe, signature
from inertian.files.interpretation.parsed_file import ParsedFile
from inertian.files.reader import read_bytes, read_file
from inertian.files.trial_building import trials_of
from inertian.motion.recording.trials import Channel, Trial
from inertian.motion.spans.span_suggestion import suggest_spans
from inertian.motion.spans.spans import Spans
from inertian.project.project import Entry, Project, with_trials
from inertian.project.trial_import import titles_of
from inertian.quantities.errors import InertianError, Refusal, unforeseen

# What a file's reader finds that a person should know of
TOLD = (
    Code.TRUNCATED,
    Code.CORRUPT,
    Code.TIME_NOT_SORTED,
    Code.DUPLICATE_TIME,
    Code.TIME_RESTART,
    Code.GAP,
    Code.RAGGED_ROWS,
    Code.SATURATED,
    Code.CONSTANT,
)


@dataclass(frozen=True, eq=False)
class Pattern:
    """The trial that others are treated like, and what the finder makes of it."""

    entry: Entry
    recipes: tuple[Recipe, ...]

    @cached_property
    def suggested(self) -> Spans:
        """The spans that the finder suggests for it."""
        return suggest_spans(self.entry.used_trial)

    @cached_property
    def recipe(self) -> Recipe | None:
        """How its file was read, if something was said about that."""
        origin = self.entry.trial.provenance
        return read_recipe(origin.file, origin.recipe) if origin.recipe else None

    @cached_property
    def as_read(self) -> Trial | None:
        """The trial as its file gives it, before units, axes or times were corrected; None where
        the original is not kept.
        """
        origin = self.entry.trial.provenance
        if origin.content is None or origin.others:
            return None
        read = trials_of(read_bytes(origin.file, origin.content, self.recipe))
        return read[origin.part] if origin.part < len(read) else None

    def corrected(self, trial: Trial) -> Trial:
        """Return a trial with times, units and directions as the pattern has them now, where it was
        read as the pattern was.
        """
        read, own = self.as_read, self.entry.trial
        if read is None:
            return trial
        if trial.time_base == read.time_base != own.time_base:
            trial = replace(trial, time_base=own.time_base)
        pairs = {
            (body.name, one.axis): (one, two)
            for body, other in zip(read.bodies, own.bodies, strict=False)
            for one, two in zip(body.channels, other.channels, strict=False)
            if body.name == other.name and one.axis == two.axis
        }

        def mended(body: str, channel: Channel) -> Channel:
            one, two = pairs.get((body, channel.axis), (None, None))
            if one is None or two is None or (channel.unit, channel.sign) != (one.unit, one.sign):
                return channel
            return replace(channel, unit=two.unit, sign=two.sign, shift=two.shift, step=None)

        bodies = tuple(
            replace(b, channels=tuple(mended(b.name, c) for c in b.channels)) for b in trial.bodies
        )
        return replace(trial, bodies=bodies)

    @cached_property
    def titles(self) -> tuple[str, ...]:
        """The titles of the columns of its file; none where its original is not kept."""
        origin = self.entry.trial.provenance
        if self.recipe is not None and self.recipe.titles:
            return self.recipe.titles
        if origin.content is None:
            return ()
        return titles_of(read_bytes(origin.file, origin.content))


@dataclass(frozen=True, eq=False)
class TreatedFile:
    """What became of a file: its trials, with the problems of each, or why there are none."""

    file: str
    trials: tuple[tuple[Entry, tuple[Problem, ...]], ...] = ()
    refused: Problem | None = None


def pattern_of(project: Project, wanted: str = "") -> Pattern:
    """Return the pattern of a project: the trial of an id or a name, else the one that a series
    has, else the first that is marked. Raises Refusal if there is none.
    """
    entries = project.entries
    if wanted:
        found = [e for e in entries if wanted in (e.trial.id, e.trial.name)]
        if not found:
            names = ", ".join(e.trial.name for e in entries)
            raise Refusal(f"There is no trial “{wanted[:60]}”. There are: {names[:400]}.")
    else:
        chosen = {s.pattern for s in project.series} - {""}
        marked = [e for e in entries if e.spans]
        bare = [e for e in entries if not e.trial.followed]  # sensors alone have no spans
        found = [e for e in entries if e.trial.id in chosen] or marked or bare
    if not found:
        raise Refusal("No trial of the project is marked, so none can be a pattern.")
    return Pattern(found[0], project.recipes)


def treated_file(pattern: Pattern, path: Path) -> TreatedFile:
    """Return the trials of a file, treated like the pattern; never raises for what is in it."""
    try:
        return _treated_file(pattern, path)
    except InertianError as error:
        return TreatedFile(str(path), refused=Problem("unreadable", str(error)))
    except Exception as error:  # one bad file stops none of the others
        return TreatedFile(str(path), refused=Problem("unforeseen", unforeseen(error)))


def _treated_file(pattern: Pattern, path: Path) -> TreatedFile:
    parsed, same_make = _read(pattern, path)
    if parsed.refused is not None:
        return TreatedFile(str(path), refused=Problem("unreadable", parsed.refused.why))
    if parsed.questions:
        asked = " ".join(q.text for q in parsed.questions)
        said = f"it leaves something open: {asked} Bring it in by itself"
        return TreatedFile(str(path), refused=Problem("needs-answers", said))
    general = [Problem(str(f.code), f.text) for f in parsed.findings if f.code in TOLD]
    if not same_make:
        said = (
            f"it is of another make: its columns are {', '.join(titles_of(parsed)) or 'nameless'}"
        )
        general.append(Problem("other-make", said))
    found = []
    for trial in trials_of(parsed):
        problems = list(general)
        entry = Entry(pattern.corrected(trial), pattern.entry.series)
        found.append((treated(pattern.entry, pattern.suggested, entry, problems), tuple(problems)))
    return TreatedFile(str(path), tuple(found))


def _read(pattern: Pattern, path: Path) -> tuple[ParsedFile, bool]:
    """A file, read by the recipe of the pattern if it is of its make, else by one that fits; and
    whether it is.
    """
    parsed = read_file(path, pattern.recipe)
    if parsed.refused is not None and pattern.recipe is None:
        return parsed, True
    titles = titles_of(parsed)
    same = not pattern.titles or signature(titles) == signature(pattern.titles)
    if same or pattern.recipe is None:
        return parsed, same
    plain = read_file(path)
    fitting = [r for r in reversed(pattern.recipes) if r.fits(titles_of(plain))]
    return (read_file(path, fitting[0]) if fitting else plain), False


def with_treated(
    project: Project, pattern: Pattern, files: Sequence[TreatedFile], each: bool = False
) -> tuple[Project, dict[str, tuple[str, tuple[Problem, ...]]]]:
    """Return a project with the trials of files that were treated like its pattern, in the
    pattern's series, or `each` in one of its own; and by id of each trial its file and problems.
    """
    told: dict[str, tuple[str, tuple[Problem, ...]]] = {}
    settings = project.series_named(pattern.entry.series)
    if settings.pattern != pattern.entry.trial.id:
        settings = replace(settings, pattern=pattern.entry.trial.id)
        project = project.with_series(settings)
    facts = [(key, f) for key, f in project.setup.items() if key.scope == settings.scope]
    taken = {s.name for s in project.series}
    known = {_origin(e): e.trial.name for e in reversed(project.entries)}
    for file in files:
        for entry, problems in file.trials:
            origin = _origin(entry)
            if origin[0] and origin in known:
                said = f"the same bytes are in the project already, as “{known[origin]}”"
                problems = (*problems, Problem("twice", said))
            series = entry.series
            if each:
                series = _free(f"{entry.series}: {entry.trial.name}", taken)
                project = project.with_series(replace(settings, name=series, pattern=""))
                for key, fact in facts:
                    scope = f"series {series}"
                    project = project.with_fact(replace(key, scope=scope), fact)
            project = with_trials(project, [entry.trial], series, lambda _t: Spans())
            new = project.entries[-1]
            made = replace(entry, trial=new.trial, series=series)
            project = replace(project, entries=(*project.entries[:-1], made))
            project = with_setup(project, pattern.entry, made.trial.id)
            known.setdefault(origin, made.trial.name)
            told[made.trial.id] = file.file, problems
    return project, told


def _origin(entry: Entry) -> tuple[str, int]:
    """What a trial was read from: the SHA-256 of its file, and which trial of it."""
    return entry.trial.provenance.sha256, entry.trial.provenance.part


def _free(name: str, taken: set[str]) -> str:
    """A name of a series that is not taken yet; it is then."""
    free, number = name, 2
    while free in taken:
        free, number = f"{name} ({number})", number + 1
    taken.add(free)
    return free
