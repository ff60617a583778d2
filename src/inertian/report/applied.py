"""Files treated like a pattern: their spans, results and ledgers, as JSON and as tables;
docs/schemas/apply-1.json describes the form.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from inertian.analysis.batch_treatment import Problem
from inertian.analysis.evaluation import Evaluator
from inertian.analysis.pattern_files import (
    Pattern,
    TreatedFile,
    treated_file,
    with_treated,
)
from inertian.analysis.processes import Processes
from inertian.analysis.results.trial_values import ColumnKind, trial_values
from inertian.analysis.second_look.look import look_at
from inertian.analysis.second_look.notes import Severity
from inertian.analysis.series_results import SeriesResult
from inertian.motion.spans.spans import Spans
from inertian.project.project import Entry, Project
from inertian.quantities.coverage import Scalar
from inertian.quantities.errors import InertianError, unforeseen
from inertian.report.ledgers import ledger_json, scalar_json, unit_name
from inertian.report.written_tables import write_table

SCHEMA = 1
TOGETHER = 8  # trials whose accounts are drawn up together, whoever does it
Progress = Callable[[str, int, int], None]  # what is done, how many, of how many


@dataclass(frozen=True, eq=False)
class _Share:
    """Trials whose accounts are drawn up together, and what all of their series tell them."""

    entries: tuple[Entry, ...]
    known: SeriesResult | None


@dataclass(frozen=True, eq=False)
class Applied:
    """What became of files: the project with their trials, and a line of JSON for each trial; files
    that gave none, with the reason.
    """

    project: Project
    trials: list[dict[str, Any]]
    refused: list[tuple[str, Problem]]
    pattern: str


def applied(
    project: Project,
    pattern: Pattern,
    files: Sequence[Path],
    jobs: int = 1,
    each: bool = False,
    progress: Progress = lambda _what, _done, _of: None,
    known: dict[Path, TreatedFile] | None = None,
) -> Applied:
    """Treat files like a pattern and draw up their accounts, in their order; the same for any
    number of processes. `known` remembers files that were treated, for the next time.
    """
    known = {} if known is None else known
    new_files = [path for path in dict.fromkeys(files) if path not in known]
    with Processes(jobs if new_files else 1, pattern) as pool:
        for path, one in zip(new_files, pool.each(treated_file, new_files), strict=True):
            known[path] = one
            progress("read", len(known), len(files))
    treated = [known[path] for path in files]
    refused = [(one.file, one.refused) for one in treated if one.refused is not None]
    project, told = with_treated(project, pattern, treated, each)
    new = [e for e in project.entries if e.trial.id in told]
    lines: list[dict[str, Any]] = []
    shares = list(_shares(project, new, each))
    bare = _bare(project)
    with Processes(jobs if len(shares) > 1 else 1, bare) as pool:
        for made in pool.each(_accounted, shares):
            lines += made
            progress("accounts", len(lines), len(new))
    evaluator = Evaluator()  # what hangs on other trials than those beside it is done here
    for place, entry in enumerate(new):
        if lines[place].pop("whole", False):
            lines[place] = _line(project, entry, evaluator)
        file, problems = told[entry.trial.id]
        own = [{"code": p.code, "text": p.text} for p in problems]
        own += [p for p in lines[place]["problems"] if p not in own]
        lines[place] = {"file": file, **lines[place], "problems": own}
    return Applied(project, lines, refused, pattern.entry.trial.name)


def _bare(project: Project) -> Project:
    """A project without its trials: what all shares have in common."""
    return replace(project, entries=())


def _shares(project: Project, new: Sequence[Entry], each: bool) -> Iterator[_Share]:
    """Trials in shares of a fixed size, so that their accounts do not hang on who draws them up."""
    evaluator = Evaluator()
    if each:
        yield from (_Share((entry,), None) for entry in new)
        return
    series: SeriesResult | None = None
    for k in range(0, len(new), TOGETHER):
        entries = tuple(new[k : k + TOGETHER])
        if series is None:
            series = evaluator.series(project, entries[0].series)
        yield _Share(entries, _part(series, {e.trial.id for e in entries}))


def _part(series: SeriesResult, ids: set[str]) -> SeriesResult:
    """What a series tells, with the fits of some of its trials only."""
    return replace(
        series,
        before={t: fits for t, fits in series.before.items() if t in ids},
        after={t: fits for t, fits in series.after.items() if t in ids},
        refused={t: why for t, why in series.refused.items() if t in ids},
        bent=series.bent & frozenset(ids),
    )


def _accounted(bare: Project, share: _Share) -> list[dict[str, Any]]:
    """The lines of a share of trials; of one that hangs on others of its series, only that it
    does.
    """
    project, evaluator = replace(bare, entries=share.entries), Evaluator()
    lines = []
    for entry in share.entries:
        try:
            if share.known is not None:
                evaluator.know_series(project, entry.series, share.known)
                event = evaluator.event(project, entry)
                if not event.kind.contact or any(b.sensors for b in entry.trial.bodies):
                    lines.append({"whole": True})
                    continue
            lines.append(_line(project, entry, evaluator))
        except Exception as error:  # one bad trial stops none of the others
            lines.append(_empty(entry, Problem("unforeseen", unforeseen(error))))
    return lines


def _empty(entry: Entry, problem: Problem) -> dict[str, Any]:
    return {
        "trial": entry.trial.name,
        "problems": [{"code": problem.code, "text": problem.text}],
        "spans": _spans(entry.spans),
        "results": {},
        "ledgers": [],
    }


def _spans(spans: Spans) -> dict[str, list[float]]:
    return {s.name: [float(s.start), float(s.stop)] for s in spans}


def _line(project: Project, entry: Entry, evaluator: Evaluator) -> dict[str, Any]:
    """What one trial says."""
    try:
        accounts = evaluator.accounts(project, entry.trial.id)
    except InertianError as error:
        accounts = error
    if isinstance(accounts, InertianError):
        line = _empty(entry, Problem("no-accounts", str(accounts)))
    else:
        line = _empty(entry, Problem("", ""))
        line["problems"] = []
        line["ledgers"] = [ledger_json(ledger) for ledger in accounts.ledgers]
    line["results"] = {
        name: _result_json(one, unit)
        for name, (one, unit) in _results(project, entry, evaluator).items()
    }
    line["problems"] += [
        {"code": note.code, "text": note.text}
        for note in look_at(project, entry.trial.id, evaluator)
        if note.severity is not Severity.LOW
    ]
    return line


def _results(project: Project, entry: Entry, evaluator: Evaluator) -> dict[str, tuple[Scalar, str]]:
    return {
        name: (one.scalar, one.unit)
        for name, one in trial_values(project, entry, evaluator).items()
        if one.kind in (ColumnKind.RESULT, ColumnKind.READING, ColumnKind.CURVE)
        and one.scalar is not None
    }


def _result_json(one: Scalar, unit: str) -> dict[str, Any]:
    whole = scalar_json(one)
    return {
        "value": whole["value"],
        "u": whole["u"],
        "unit": unit_name(unit),
        "dof": whole["dof"],
    }


def applied_json(made: Applied) -> dict[str, Any]:
    """Return what became of all files that gave trials."""
    return {"schema": SCHEMA, "pattern": made.pattern, "trials": made.trials}


def refusals(made: Applied) -> list[str]:
    """Return a line for each file that gave no trial."""
    return [f"{file}: {problem.text}" for file, problem in made.refused]


def table(made: Applied) -> tuple[list[str], list[list[Any]]]:
    """Return titles and rows of a table: a row a trial, and for each result its value and u, with
    the unit in the title.
    """
    units: dict[str, str] = {}
    for line in made.trials:
        for name, one in line["results"].items():
            units.setdefault(name, one["unit"])
    titles = ["file", "trial"]
    for name, unit in units.items():
        said = f" ({unit})" if unit else ""
        titles += [f"{name}{said}", f"u of {name}{said}"]
    rows = []
    for line in made.trials:
        row: list[Any] = [line["file"], line["trial"]]
        for name in units:
            one = line["results"].get(name)
            row += [one["value"], one["u"]] if one else [None, None]
        row.append("; ".join(p["text"] for p in line["problems"]))
        rows.append(row)
    return [*titles, "problems"], rows


def write_results(made: Applied, out: Path) -> None:
    """Write the table as CSV, or as a workbook where the name ends in .xlsx: numbers as numbers.
    Raises OSError.
    """
    titles, rows = table(made)
    write_table(out, titles, rows)
