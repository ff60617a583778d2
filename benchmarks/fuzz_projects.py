"""Mutated project files: opened or refused in one line; what opens can be shown and saved.

Run: .venv/bin/python benchmarks/fuzz_projects.py 100000
     .venv/bin/python benchmarks/fuzz_projects.py 2000 --window

Changes values, keys and lists of analysis.json at random, and members of the archive; samples are
changed with their hashes, so that they are believed.
"""

import argparse
import copy
import hashlib
import io
import json
import os
import random
import sys
import tempfile
import time
import traceback
import warnings
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any

from inertian.analysis.evaluation import Evaluator
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.project.account_edits import dates_set
from inertian.project.demo_project import demo_project
from inertian.project.encoding import encode
from inertian.project.project import Project
from inertian.project.ready_projects import ready_project
from inertian.project.saving import load, save
from inertian.quantities.errors import InertianError
from inertian.report.ledgers import ledgers_json

VALUES: tuple[Any, ...] = (
    None, True, -1, 0, 1, 2, 10**400, 0.5, -0.0, 1e300, -1e300, 1e-300, 1e154, "", "x", "heavy",
    "light", "\ud800", "\0", "1+1", "m", "kg", "m/s²", "5²", "a" * 5000, [], {}, [1, 2], ["x"],
    "contact", "velocity", "trial 1", "series", float("nan"), float("inf"), "mass of heavy", "=1+1",
)  # fmt: skip


def places(value: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Return the paths to all parts of parsed JSON."""
    found = [path] if path else []
    if isinstance(value, (dict, list)):
        for key, part in value.items() if isinstance(value, dict) else enumerate(value):
            found += places(part, (*path, key))
    return found


def mutate(analysis: dict[str, Any], rng: random.Random) -> dict[str, Any]:
    """Return an analysis changed in one to three places."""
    made = copy.deepcopy(analysis)
    for _ in range(rng.choice((1, 1, 2, 3))):
        every = places(made)
        if not every:
            break
        path = rng.choice(every)
        holder: Any = made
        for key in path[:-1]:
            holder = holder[key]
        key, old = path[-1], holder[path[-1]]
        match rng.randint(0, 6):
            case 0:
                del holder[key]
            case 1 if isinstance(holder, list):
                holder.insert(rng.randint(0, len(holder)), copy.deepcopy(old))
            case 2 if isinstance(old, list) and old:
                holder[key] = []
            case 3 if isinstance(old, (int, float)) and -1e100 < old < 1e100 and old is not True:
                holder[key] = old * rng.choice((-1, 0, 1e3, 1e12, 1e40, 1e-12, 1e200))
            case 4:
                other: Any = made
                for step in (twin := rng.choice(every)):
                    other = other[step]
                del twin
                holder[key] = copy.deepcopy(other)
            case _:
                holder[key] = rng.choice(VALUES)
    return made


def packed(pieces: dict[str, bytes], rng: random.Random) -> bytes:
    """Return a project file of some pieces, now and then with members missing, twice or broken."""
    out = io.BytesIO()
    with warnings.catch_warnings(), zipfile.ZipFile(out, "w") as archive:
        warnings.simplefilter("ignore")
        for name, content in pieces.items():
            if rng.random() < 0.004:
                continue
            archive.writestr(name, content)
            if rng.random() < 0.004:
                archive.writestr(name, content)
    return out.getvalue()


def with_table(pieces: dict[str, bytes], rng: random.Random) -> dict[str, bytes]:
    """Return pieces with some cells of a table changed, and the hash that goes with it."""
    name = rng.choice([n for n in pieces if n.startswith("data/")])
    rows = pieces[name].decode().split("\n")
    for _ in range(rng.randint(1, 20)):
        row = rng.randrange(1, len(rows) - 1)
        cells = rows[row].split(",")
        cells[rng.randrange(len(cells))] = rng.choice(
            ("", "0", "1e30", "-1e30", "1e300", "nan", "inf", "x", cells[0])
        )
        rows[row] = ",".join(cells)
    table = "\n".join(rows).encode()
    package = json.loads(pieces["datapackage.json"])
    for resource in package["resources"]:
        if resource["path"] == name:
            resource["hash"] = f"sha256:{hashlib.sha256(table).hexdigest()}"
    return {**pieces, name: table, "datapackage.json": json.dumps(package).encode()}


def small_project() -> Project:
    """Return the first and the glancing trial of the demo, with a reading, a curve, a quantity; and
    two of a slope, one with dates of its own.
    """
    from inertian.motion.fits.curve_shapes import CurveShape
    from inertian.physics.definitions.derived_quantities import DerivedQuantity
    from inertian.physics.definitions.requests import (
        CurveRequest,
        NamedReading,
        ReadingKind,
    )

    demo = demo_project()
    first, glancing = demo.entries[0], demo.entries[10]
    speed = QuantityRef(Quantity.VELOCITY, "x")
    reading = NamedReading("v", ReadingKind.VALUE, speed, "heavy", (0.5,))
    curve = CurveRequest(speed, "heavy", first.spans[0].name, CurveShape.LINE)
    first = replace(first, named=(reading,), curves=(curve,))
    own = DerivedQuantity("Energy of motion", "K", "J", "½ m v_x^2")
    bank = ready_project("Sled up the bank").project
    slope = dates_set(bank, bank.entries[0].trial.id, [0.1, 0.4, 0.9]).project.entries[0]
    return replace(
        demo,
        entries=(first, glancing, slope, bank.entries[1]),
        series=(*demo.series, replace(bank.series[0], laws=("momentum x", "mechanical energy"))),
        setup={**demo.setup, **bank.setup},
        derived=(own,),
    )


def show(project: Project) -> None:
    """Reckon and save what the window would show."""
    evaluator = Evaluator()
    ledgers_json(project)
    for entry in project.entries:
        evaluator.accounts(project, entry.trial.id)
        evaluator.named(project, entry)
        evaluator.curves(project, entry)
        for body in entry.trial.followed:
            for axis in body.axes:
                for quantity in (Quantity.POSITION, Quantity.VELOCITY):
                    evaluator.band(project, entry, QuantityRef(quantity, axis), body.name)
            evaluator.band(project, entry, QuantityRef(Quantity.KINETIC), body.name)
    encode(project)


def run(count: int, seed: int, window: bool = False) -> list[str]:
    """Open mutated projects and show what opens; return what went wrong, one text each."""
    rng = random.Random(seed)
    base = encode(small_project())
    analysis = json.loads(base["analysis.json"])
    troubles: list[str] = []
    opened = 0
    shower = _window_shower() if window else show
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "mutant.inertian"
        for number in range(count):
            text = json.dumps(mutate(analysis, rng)).encode()
            pieces = {**base, "analysis.json": text}
            pieces = with_table(pieces, rng) if rng.random() < 0.1 else pieces
            path.write_bytes(packed(pieces, rng))
            begin = time.perf_counter()
            try:
                project = load(path)
                opened += 1
                # What was not changed is known already; each is shown with some odds only
                if window or rng.random() < 0.2:
                    shower(project)
                save(project, path)
            except InertianError as error:
                if "\n" in str(error):
                    troubles.append(f"{number}: several lines: {error}")
            except Exception:
                troubles.append(f"{number}: {traceback.format_exc(limit=-4)}")
                print(troubles[-1], flush=True)
            if (took := time.perf_counter() - begin) > 10.0:
                troubles.append(f"{number}: {took:.1f} s")
                print(troubles[-1], flush=True)
    print(f"{opened} of {count} opened")
    return troubles


def _window_shower() -> Any:
    """Return what shows a project in a window, on all stages and pages."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtWidgets import QApplication

    from inertian.desktop.look import words
    from inertian.desktop.shell.application import make_window

    window = make_window(Project(), recovery_root=Path(tempfile.mkdtemp()))
    window.resize(1280, 800)
    window.show()
    caught: list[BaseException] = []
    sys.excepthook = lambda _kind, error, _trace: caught.append(error)

    def shower(project: Project) -> None:
        caught.clear()
        window.document.replace(project, None)
        window.margin.results_ready = window.ledger.results_ready = True
        window.bench.results_ready = True
        for stage in (words.BENCH, words.LEDGER):
            window.show_stage(stage)
            for entry in project.entries:
                window.document.select(entry.trial.id)
                for _ in range(3):
                    QApplication.processEvents()
        window.show_stage(words.BENCH)
        for page in (words.PAGE_TIDY, words.PAGE_READINGS, words.PAGE_FORMULAS):
            window.show_page(page)
            for _ in range(3):
                QApplication.processEvents()
        window.worker.wait()
        QApplication.processEvents()
        if caught:
            raise caught[0]

    return shower


def main() -> None:
    """Print troubles, and leave with 1 if there were any."""
    parser = argparse.ArgumentParser()
    parser.add_argument("count", type=int, nargs="?", default=2000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--window", action="store_true")
    chosen = parser.parse_args()
    begin = time.perf_counter()
    troubles = run(chosen.count, chosen.seed, chosen.window)
    took = time.perf_counter() - begin
    print(f"{chosen.count} projects, {len(troubles)} troubles, {took:.0f} s")
    sys.exit(bool(troubles))


if __name__ == "__main__":
    main()
