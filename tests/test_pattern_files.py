"""Files treated like a pattern: dropped on its series in the window, appearing in a folder, and on
the command line.
"""

import json
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import jsonschema
import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from typer.testing import CliRunner

from inertian.analysis.pattern_files import pattern_of, treated_file, with_treated
from inertian.cli import make_app
from inertian.desktop.look import words
from inertian.desktop.pages.notes_list import DismissDialog
from inertian.files.reader import read_file
from inertian.project.edits import pattern_set, scale_set
from inertian.project.project import Project, with_trials
from inertian.project.saving import load, save
from inertian.project.trial_import import bring_in, file_groups
from inertian.project.typed_facts import with_typed_fact
from inertian.project.unit_edits import body_flipped, length_unit_set
from inertian.quantities.facts import Fact, Meaning
from inertian.quantities.units import Unit

MASSES = ("mass of heavy = 19.1 ± 0.05 kg", "mass of light = 11.3 ± 0.05 kg")
LATER = {2: 0.1, 10: -0.1}  # runs that hit later, or earlier


def written(folder, number, rng, spoilt=None, title="heavy (cm);light (cm)"):
    """A file of one hit: semicolons, decimal commas, centimetres."""
    t = np.arange(0.0, 3.0, 0.02)
    hit, m1, m2, e = 1.5 + LATER.get(number, 0.0), 19.1, 11.3, 0.8
    v = 0.6 + 0.05 * number
    j = (1 + e) * m1 * m2 / (m1 + m2) * v
    s = t - hit
    x = {
        "heavy": np.where(s < 0, v, v - j / m1) * s,
        "light": 0.4 + np.where(s < 0, 0.0, j / m2) * s,
    }
    columns = [100.0 * (one + rng.normal(0.0, 5e-4, len(t))) for one in x.values()]
    if spoilt:
        spoilt(columns)
    rows = [
        ";".join(f"{v:.3f}".replace(".", ",") for v in row) for row in zip(t, *columns, strict=True)
    ]
    path = folder / f"run {number}.csv"
    path.write_text(f"time (s);{title}\n" + "\n".join(rows))
    return path


def lost(columns):
    columns[0][[40, 41, 90]] = 900.0


@pytest.fixture
def files(tmp_path):
    """Twelve files: one cut short, one of another make, one with a planted flaw."""
    rng, folder = np.random.default_rng(5), tmp_path / "runs"
    folder.mkdir()
    made = [written(folder, k, rng, lost if k == 7 else None) for k in range(1, 13)]
    made[4].write_text("\n".join(made[4].read_text().split("\n")[:40]))
    written(folder, 6, rng, title="puck A (cm);puck B (cm)")
    return made


@pytest.fixture
def project(tmp_path):
    """A project with one trial that is the pattern."""
    folder = tmp_path / "first"
    folder.mkdir()
    path = written(folder, 0, np.random.default_rng(6))
    edit, reasons = bring_in(Project("class"), file_groups([read_file(path)]), "hits", {})
    assert not reasons
    made = edit.project
    for text in MASSES:
        made = with_typed_fact(made, text)
    return pattern_set(made, made.entries[0].trial.id).project


def drop(window, paths):
    """Drop files on the first trial of the shelf, as a person does."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    place = QPointF(window.shelf.mapTo(window, QPoint(90, 60)))
    copy, left, none = (
        Qt.DropAction.CopyAction,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    window.dropEvent(QDropEvent(place, copy, data, left, none))


def test_twelve_files_dropped_on_a_series_are_treated_like_its_pattern(
    open_window, project, files, qtbot
):
    window = open_window(project)
    before = window.document.committed
    drop(window, files[::-1])
    dialog = window.pattern_controller.dialog
    qtbot.waitUntil(lambda: dialog.button.text() == words.TREAT_FILES_CLOSE, timeout=60_000)
    entries = window.document.committed.entries_of("hits")
    assert [e.trial.name for e in entries] == [f"run {k}" for k in range(13)]  # 2 before 10
    assert [s.name for s in entries[2].spans] == [s.name for s in entries[0].spans]
    assert entries[2].spans.contact.start == pytest.approx(1.6, abs=0.03)
    assert entries[10].spans.contact.start == pytest.approx(1.4, abs=0.03)
    said = [dialog.list.item(k).text() for k in range(dialog.list.count())]
    assert [text.split("\n")[0] for text in said] == ["run 5", "run 6", "run 7"]
    assert "no contact" in said[0]
    assert "another make" in said[1]
    assert "lost its target" in said[2]
    dialog.list.itemActivated.emit(dialog.list.item(2))
    assert window.document.entry.trial.name == "run 7"
    qtbot.waitUntil(lambda: bool(window.margin.notes.cards), timeout=20_000)
    assert window.margin.notes.cards[0].note.code == "lost-target"
    window.document.undo()
    assert window.document.project is before


def test_stopping_brings_nothing_in(open_window, project, files, qtbot):
    window = open_window(project)
    drop(window, files)
    window.pattern_controller.dialog.button.click()
    window.pattern_controller._worker.wait()
    qtbot.wait(50)
    assert window.document.committed is project
    assert words.TREAT_FILES_STOPPED in window.note_label.text()


def test_a_note_is_shown_put_right_dismissed_and_told_again(
    open_window, project, files, qtbot, monkeypatch
):
    edit, _ = bring_in(project, file_groups([read_file(files[6])]), "hits", {})
    window = open_window(edit.project)
    window.document.select(edit.project.entries[1].trial.id)
    qtbot.waitUntil(lambda: bool(window.margin.notes.cards), timeout=20_000)
    card = window.margin.notes.cards[0]
    qtbot.mouseClick(card.show_place, Qt.MouseButton.LeftButton)
    shown = window.bench.strip("position", "x").plot.getPlotItem().vb.viewRange()[0]
    assert shown[0] < 0.8 < 1.8 < shown[1]
    monkeypatch.setattr(
        DismissDialog, "exec", lambda dialog: dialog.reason.setText("it was hidden") or True
    )
    qtbot.mouseClick(card.dismiss, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not window.margin.notes.cards, timeout=20_000)
    assert window.document.entry.dismissed[0].reason == "it was hidden"
    window.margin.notes.dismissed.head.click()
    qtbot.waitUntil(lambda: "it was hidden" in window.margin.notes.said())
    window.document.undo()
    qtbot.waitUntil(lambda: bool(window.margin.notes.cards), timeout=20_000)
    qtbot.mouseClick(window.margin.notes.cards[0].remedy, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not window.margin.notes.isVisible(), timeout=20_000)
    assert sum(len(r) for r in window.document.entry.prepared.aside.values()) == 3
    window.document.undo()
    assert not window.document.entry.steps


def test_a_folder_is_followed_until_it_is_stopped(open_window, project, files, qtbot, tmp_path):
    window, folder = open_window(project), tmp_path / "afternoon"
    folder.mkdir()
    controller = window.pattern_controller
    controller._timer.setInterval(50)
    controller.follow(folder, project.entries[0].trial.id)
    assert window.following.isVisible()
    (folder / "run 1.csv").write_text(files[0].read_text()[:900])  # still being written
    (folder / "run 1.csv").write_text(files[0].read_text())
    qtbot.waitUntil(lambda: len(window.document.committed.entries) == 2, timeout=30_000)
    (folder / "run 7.csv").write_text(files[6].read_text())
    qtbot.waitUntil(lambda: len(window.document.committed.entries) == 3, timeout=30_000)
    assert "to be looked at" in window.note_label.text()
    qtbot.mouseClick(window.following, Qt.MouseButton.LeftButton)
    assert not window.following.isVisible()
    (folder / "run 2.csv").write_text(files[1].read_text())
    qtbot.wait(300)
    assert len(window.document.committed.entries) == 3
    # Followed again: what is there already does not come twice, whatever it is called
    (folder / "again.csv").write_text(files[0].read_text())
    controller.follow(folder, project.entries[0].trial.id)
    qtbot.waitUntil(lambda: len(window.document.committed.entries) == 4, timeout=30_000)
    assert window.document.committed.entries[-1].trial.name == "run 2"
    qtbot.wait(300)
    assert len(window.document.committed.entries) == 4


def in_order(schema, made):
    path = Path(__file__).parents[1] / "docs" / "schemas" / f"{schema}.json"
    jsonschema.validate(made, json.loads(path.read_text()))


def run(*arguments):
    app = make_app(lambda _demo, _files: 0, lambda _folder: [])
    return CliRunner().invoke(app, [str(a) for a in arguments])


def test_apply_gives_the_numbers_of_the_window_whoever_works(project, files, tmp_path):
    path, kept = tmp_path / "class.inertian", tmp_path / "all.inertian"
    save(project, path)
    missing = tmp_path / "nothing.csv"
    order = [files[9], missing, *files[:4]]
    one = run("apply", path, *order, "--json", "--save", kept)
    two = run("apply", path, *order, "--json", "--jobs", 2)
    assert (one.exit_code, one.stdout) == (2, two.stdout)
    assert "nothing.csv: it cannot be found" in one.stderr
    made = json.loads(one.stdout)
    assert (made["schema"], made["pattern"]) == (1, "run 0")
    assert [t["trial"] for t in made["trials"]] == ["run 10", "run 1", "run 2", "run 3", "run 4"]
    in_order("apply-1", made)
    told = {t["name"]: t for t in json.loads(run("ledger", kept, "--json").stdout)["trials"]}
    for trial in made["trials"]:
        assert trial["ledgers"] == told[trial["trial"]]["ledgers"]
        for name, one_result in trial["results"].items():
            assert one_result["value"] == told[trial["trial"]]["results"][name]["value"]
    alone = json.loads(run("apply", path, *files[:2], "--json", "--each").stdout)["trials"]
    assert alone[0]["ledgers"] != made["trials"][1]["ledgers"]  # noise of its own
    assert len({e.series for e in load(kept).entries}) == 1


def test_results_are_written_as_a_table_and_a_workbook_of_numbers(project, files, tmp_path):
    path, out = tmp_path / "class.inertian", tmp_path / "results.csv"
    save(project, path)
    assert run("apply", path, files[0], "--out", out).exit_code == 0
    titles, row = (line.split(",") for line in out.read_text().splitlines())
    place = titles.index("restitution")
    assert float(row[place]) == pytest.approx(0.8, abs=0.02)
    assert titles[place + 1] == "u of restitution"
    sheet = tmp_path / "results.xlsx"
    assert run("apply", path, files[0], "--out", sheet).exit_code == 0
    first = sheet.read_bytes()
    read = read_file(sheet)
    assert read.kind.startswith("xlsx") or read.refused is None
    run("apply", path, files[0], "--out", sheet, "--jobs", 2)
    assert sheet.read_bytes() == first
    assert run("apply", path, files[0], "--out", tmp_path / "a.pdf").exit_code == 2


def test_look_speaks_of_files_and_projects(project, files, tmp_path):
    said = json.loads(run("look", files[6], files[0], "--json").stdout)
    in_order("look-1", said)
    assert [t["name"] for t in said["trials"]] == ["run 7", "run 1"]
    note = said["trials"][0]["notes"][0]
    assert (note["code"], note["severity"]) == ("lost-target", "medium")
    assert note["remedy"] == "Set 3 samples aside"
    assert said["trials"][1]["notes"] == []
    wrong = run("look", files[0], "--fact", "mass of heavy = 1.91 ± 0.005 kg", "--fact", MASSES[1])
    assert "mass-decimal" in wrong.stdout
    save(project, tmp_path / "class.inertian")
    assert (
        json.loads(run("look", tmp_path / "class.inertian", "--json").stdout)["trials"][0]["notes"]
        == []
    )


def test_a_pattern_has_to_be_marked(tmp_path, files):
    bare = with_trials(Project("bare"), [], "s")
    save(bare, tmp_path / "bare.inertian")
    refused = run("apply", tmp_path / "bare.inertian", files[0], "--json")
    assert refused.exit_code == 2
    assert "can be a pattern" in refused.stderr
    assert not Path(tmp_path / "results.csv").exists()


def test_a_folder_is_followed_without_a_window_till_it_is_interrupted(project, files, tmp_path):
    path, folder, out = tmp_path / "class.inertian", tmp_path / "late", tmp_path / "table.csv"
    save(project, path)
    folder.mkdir()
    shutil.copy(files[0], folder)
    command = [sys.executable, "-m", "inertian", "apply", path, folder, "--follow", "--out", out]
    with subprocess.Popen([str(a) for a in command], stderr=subprocess.PIPE, text=True) as running:
        wait_for(lambda: out.exists() and len(out.read_text().splitlines()) == 2)
        shutil.copy(files[6], folder)
        wait_for(lambda: len(out.read_text().splitlines()) == 3)
        running.send_signal(signal.SIGINT)
        said = running.communicate(timeout=30)[1]
    assert running.returncode == 0
    assert "to be looked at: run 7" in said
    assert "Traceback" not in said


def wait_for(ready):
    begin = time.monotonic()
    while not ready():
        assert time.monotonic() < begin + 60.0
        time.sleep(0.1)


def test_units_and_times_that_were_corrected_are_corrected_in_other_files(project, files):
    entry = project.entries[0]
    base = Fact(0.5, 0.0, Meaning.EXACT, Unit("", "number", 1.0))
    slower = scale_set(project, "hits", "time base", base).project
    finer = length_unit_set(slower, "hits", 0.1).project
    changed = body_flipped(finer, [entry.trial.id], "light", "x")
    pattern = pattern_of(changed.project)
    made, _ = treated_file(pattern, files[0]).trials[0]
    own, read = made.trial, read_file(files[0])
    assert own.t[-1] == pytest.approx(0.5 * read.trials[0].time.values[-1])
    assert own.body("heavy").channel("x").unit.symbol == "mm"
    assert own.body("light").channel("x").sign == -1.0
    assert own.body("heavy").channel("x").sign == 1.0
    plain, _ = treated_file(pattern_of(project), files[0]).trials[0]
    assert plain.trial.body("heavy").channel("x").unit.symbol == "cm"


def test_the_same_bytes_are_told_when_they_come_twice(project, files):
    pattern = pattern_of(project)
    file = treated_file(pattern, files[0])
    once, first = with_treated(project, pattern, [file])
    _, second = with_treated(once, pattern, [file, treated_file(pattern, files[1])])
    codes = [[p.code for p in problems] for _, problems in (*first.values(), *second.values())]
    assert codes == [[], ["twice"], []]
