"""What was understood, in plain sentences, in the order a person would check it."""

from inertian.files.cells.dialects import NAMES, WHITESPACE
from inertian.files.interpretation.assembly import ROW
from inertian.files.interpretation.parsed_file import ParsedFile
from inertian.files.interpretation.parsed_trial import ParsedTrial

_WHAT = {"x": "x", "y": "y", "F": "force", "a": "acceleration", "v": "velocity"}


def sentences(parsed: ParsedFile) -> tuple[str, ...]:
    """Return what a file was taken for: how it is cut, its time, its bodies, its trials, what was
    left out.
    """
    if parsed.refused is not None or not parsed.trials:
        return ()
    first = parsed.trials[0]
    return (
        how_it_is_cut(parsed),
        *how_time_is_told(parsed, first),
        who_is_in_it(first),
        how_much(parsed),
        *stated_uncertainties(first),
        *(f"left out: {title} ({why})" for title, why in left_out(parsed)),
    )


def how_it_is_cut(parsed: ParsedFile) -> str:
    """Return format, delimiter and decimal mark in words."""
    mark = "decimal comma" if parsed.decimal == "," else "decimal point"
    if parsed.delimiter is None:
        return parsed.kind if parsed.kind != "text" else f"pairs of names and values, {mark}"
    name = (
        NAMES[WHITESPACE]
        if parsed.delimiter == " "
        else NAMES.get(parsed.delimiter, f"“{parsed.delimiter}”")
    )
    return f"{name} between columns, {mark}"


def how_time_is_told(parsed: ParsedFile, trial: ParsedTrial) -> tuple[str, ...]:
    """Return where time is and in what unit."""
    unit = trial.time.unit
    if unit.symbol == ROW:
        return (
            ("no time in it; rows are counted",)
            if unit.factor == 1.0
            else (f"rows at {1 / unit.factor:g} per second",)
        )
    where = f"time in column “{trial.time.column}”"
    if unit.symbol == "frame":
        rate = (
            f"{1 / unit.factor:g} frames/s" if parsed.frame_rate else "frames per second not known"
        )
        return (f"{where}, in frames; {rate}",)
    return (f"{where}, in {unit.symbol}",)


def who_is_in_it(trial: ParsedTrial) -> str:
    """Return the bodies with their channels and units."""
    count = len(trial.bodies)
    said = ", ".join(
        f"{b.name} ({', '.join(f'{_WHAT[c.axis]} in {c.unit.symbol}' for c in b.channels)})"
        for b in trial.bodies
    )
    return f"{count} {'body' if count == 1 else 'bodies'}: {said}"


def how_much(parsed: ParsedFile) -> str:
    """Return numbers of trials, samples and unusable lines."""
    count = len(parsed.trials)
    samples = sum(len(t.time.values) for t in parsed.trials)
    lost = sum(len(t.unusable) for t in parsed.trials)
    trials = "" if count == 1 else f"{count} trials, "
    return f"{trials}{samples} samples, {lost} {'line' if lost == 1 else 'lines'} unusable"


def stated_uncertainties(trial: ParsedTrial) -> tuple[str, ...]:
    """Return which readings have an uncertainty in a column of their own."""
    named = [
        f"{b.name} {_WHAT[c.axis]}" for b in trial.bodies for c in b.channels if c.u is not None
    ]
    return (f"uncertainty of each reading in a column: {', '.join(named)}",) if named else ()


def left_out(parsed: ParsedFile) -> list[tuple[str, str]]:
    """Return titles and reasons of the columns that are not used."""
    found = [
        (v.title or f"column {v.place + 1}", v.why)
        for t in parsed.tables
        for v in t.columns
        if v.why
    ]
    return list(dict.fromkeys(found))
