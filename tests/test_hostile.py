"""What is meant badly, or by no one: claims of files, fields full of nonsense, disks and files that
change, and errors no one thought of.
"""

import io
import os
import sys
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLabel, QMessageBox

from inertian.desktop.look import words
from inertian.desktop.shell import project_files
from inertian.files.cells.stated_scales import parse_rate, parse_scale, parse_time_base
from inertian.files.reader import read_bytes
from inertian.motion.derivatives.local_derivatives import parse_window
from inertian.physics.definitions.derived_quantities import parse_formula
from inertian.project import saving
from inertian.project.edits import fact_set
from inertian.project.saving import load, save
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import FactId, parse_fact, parse_positive
from inertian.quantities.units import unit_of
from inertian.report.derived import parse_noise
from pointing import LEFT

KG, S = unit_of("mass", "kg"), unit_of("time", "s")
READERS = {
    "mass": lambda text: parse_positive(text, "mass", KG),
    "time": lambda text: parse_fact(text, "time", S),
    "number": lambda text: parse_fact(text, "number", unit_of("number", "")),
    "scale": parse_scale,
    "time base": parse_time_base,
    "rate": parse_rate,
    "window": parse_window,
    "noise": parse_noise,
    "formula": parse_formula,
}
PIECES = st.one_of(
    st.sampled_from(
        [
            *("5²", "9" * 5000, "1e999", "1e-999", "±", "+-", "(", "5)", "%", "kg", "mm/px", "="),
            *("10^", "10⁻⁷", "×", "−", ".", ",", "½", "٣", "１", "∞", "nan", "\ud800", "\0", "as"),
            *("v_²", "x_٣", "rate(", "1e300", "1e-300", "0", "samples"),
        ]
    ),
    st.text(max_size=4),
    st.floats().map(repr),
)


@pytest.mark.parametrize("name", READERS)
@given(pieces=st.lists(PIECES, max_size=5), gap=st.sampled_from(["", " "]))
@settings(max_examples=300, deadline=None)
def test_whatever_is_typed_into_a_field_is_read_or_refused_in_words(name, pieces, gap):
    said = "it was read"
    try:
        READERS[name](gap.join(pieces))
    except InertianError as error:
        said = str(error)
    assert 10 < len(said) < 500


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("1e300 kg", "no laboratory"),
        ("5 ± 1e300 kg", "no laboratory"),
        ("1e-40 kg", "no laboratory"),
        ("5 ± 1e-200 kg", "nothing is known so well"),
        ("1" * 5000, "too long"),
    ],
)
def test_facts_beyond_any_laboratory_are_refused_with_the_reason(text, said):
    with pytest.raises(InertianError, match=said):
        parse_fact(text, "mass", KG)


def npy(shape, kind="<f8"):
    made = io.BytesIO()
    header = {"descr": kind, "fortran_order": False, "shape": shape}
    np.lib.format.write_array_header_1_0(made, header)
    return made.getvalue()


WIDE = ",".join(f"c{k} (m)" for k in range(20_000)) + "\n" + (",1" * 20_000)[1:] + "\n"


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        ("a.npy", npy((10**18, 10**18)), "it says that it holds"),
        ("a.npy", npy((10**12,), "|V0"), "holds no numbers"),
        ("a.npy", npy((0, 10**15)), "holds no numbers"),
        ("a.npy", npy((3, 2), "|O"), "Python objects"),
        ("wide.csv", (WIDE + WIDE).encode(), "20000 columns"),
        ("a.xml", b'<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>', "DOCTYPE"),
    ],
)
def test_a_claim_is_held_against_what_is_there(name, content, said):
    begin = time.perf_counter()
    reading = read_bytes(name, content)
    assert said in reading.refused.why
    assert reading.refused.file == name
    assert time.perf_counter() - begin < 5.0


def test_a_large_array_is_read_without_a_text_of_every_number():
    made, n = io.BytesIO(), 300_000
    t = np.arange(n) * 1e-3
    x = np.sin(t)
    x[n // 2] = np.nan
    np.savez(made, **{"t (s)": t, "heavy (cm)": x, "light (m)": x.astype(np.float32)})
    trial = read_bytes("a.npz", made.getvalue()).trials[0]
    assert np.array_equal(trial.time.seconds, t)
    heavy, light = (body.channels[0] for body in trial.bodies)
    assert (heavy.unit.symbol, light.unit.symbol) == ("cm", "m")
    assert np.array_equal(heavy.values, x, equal_nan=True)
    written = [float(str(v)) for v in x[:2000].astype(np.float32)]
    assert np.array_equal(light.values[:2000], written)


@pytest.mark.parametrize(
    ("many", "seed"), [(12, 2), pytest.param(40, 2, marks=pytest.mark.slow)], ids=["some", "many"]
)
def test_no_wild_recording_stops_any_stage(many, seed):
    sys.path.insert(0, str(Path(__file__).parent.parent / "benchmarks"))
    import fuzz

    assert [t for t in fuzz.run(many, seed=seed, stages=True) if " s, " not in t] == []


def test_no_mutated_project_stops_the_program():
    sys.path.insert(0, str(Path(__file__).parent.parent / "benchmarks"))
    import fuzz_projects

    assert fuzz_projects.run(300, seed=8) == []


EXTREMES = [
    ("1e15 kg", "1e15 m", "999999999 samples"),
    ("1e-17 kg", "1e-17 m", "3 samples"),
    ("5 ± 9e14 kg", "1e-12 m", "1e14 s"),
    ("9e14 ± 1e-20 kg", "1e12 m", "1e-14 s"),
    ("1e-17 ± 9e14 kg", "2 mm", ""),
]


@pytest.mark.parametrize(("mass", "noise", "span"), EXTREMES)
def test_inside_the_bounds_nothing_overflows_on_any_stage(
    open_window, demo, qtbot, mass, noise, span
):
    window = open_window(demo, verdicts=False)
    margin = window.margin
    qtbot.mouseClick(margin.noise_form.head, LEFT)
    fields = (margin.masses["heavy"].line, margin.noise_form.noise_field.line)
    for field, text in zip(fields, (mass, noise), strict=True):
        field.setFocus()
        field.selectAll()
        qtbot.keyClicks(field, text)
        qtbot.keyClick(field, Qt.Key.Key_Return)
    margin.noise_form.window_field.setFocus()
    qtbot.keyClicks(margin.noise_form.window_field, span)
    qtbot.keyClick(margin.noise_form.window_field, Qt.Key.Key_Return)
    assert window.document.history.undo_name
    for stage in (words.LEDGER, words.BENCH):
        window.show_stage(stage)
        QApplication.processEvents()
    window.bench.view.move_line(0.5)
    for page in (words.PAGE_READINGS, words.PAGE_FORMULAS, words.PAGE_TIDY):
        window.show_page(page)
        QApplication.processEvents()
    shown = [line.said.text() for line in window.verdicts.lines.values()]
    assert len(shown) == 2
    assert not any("nan" in text or "inf" in text for text in shown)


def test_work_that_a_killed_session_left_is_offered_to_one_session_only(
    demo, tmp_path, monkeypatch
):
    from inertian.project import recovery

    kept = recovery.Recovery(tmp_path)
    kept.keep(demo, None)
    monkeypatch.setattr(recovery, "_started", lambda pid: "another boot")
    assert [left.folder for left in recovery.leftovers(tmp_path)] == [kept.folder]
    assert recovery.leftovers(tmp_path) == []


# -- saving ----------------------------------------------------------------------------------------


def edited(window):
    """Change a mass, so that there is something to save."""
    document = window.document
    mass = parse_positive("18.5 ± 0.1 kg", "mass", KG)
    document.do(fact_set(document.committed, FactId("mass of heavy"), mass))


def saved_as(window, qtbot, path):
    window.document.path = path
    window.project_files.save()
    qtbot.waitUntil(lambda: not window.document.history.unsaved, timeout=10_000)


def test_saving_through_a_link_writes_what_it_leads_to(demo, tmp_path):
    target, link = tmp_path / "kept" / "real.inertian", tmp_path / "link.inertian"
    target.parent.mkdir()
    save(demo, target)
    link.symlink_to(target)
    save(replace(demo, name="again"), link)
    assert link.is_symlink()
    assert load(target).name == "again"
    (tmp_path / "a.inertian").symlink_to(tmp_path / "b.inertian")
    (tmp_path / "b.inertian").symlink_to(tmp_path / "a.inertian")
    with pytest.raises(InertianError, match="cannot be saved here"):
        save(demo, tmp_path / "a.inertian")


@pytest.mark.parametrize("why", ["protected", "changed"])
def test_a_file_that_is_protected_or_newer_on_disk_is_not_replaced_without_a_word(
    open_window, demo, qtbot, tmp_path, monkeypatch, why
):
    window, path = open_window(demo, verdicts=False), tmp_path / "day.inertian"
    edited(window)
    saved_as(window, qtbot, path)
    before = path.read_bytes()
    if why == "changed":  # by another window, a second later
        save(replace(demo, name="of someone else"), path)
        os.utime(path, (time.time() + 1, time.time() + 1))
        before = path.read_bytes()
    else:
        path.chmod(0o444)
    window.document.undo()
    asked, answers = [], [words.SAVE_ELSEWHERE, "", words.SAVE_REPLACE]

    def choose(_window, title, text, offered):
        asked.append((title, text))
        assert offered[0] == words.SAVE_ELSEWHERE  # the safe one first
        return answers[len(asked) - 1]

    monkeypatch.setattr(project_files, "choose", choose)
    other = tmp_path / "other.inertian"
    monkeypatch.setattr(window.project_files, "_ask_path", lambda: other)
    window.project_files.save()
    qtbot.waitUntil(other.exists, timeout=10_000)
    assert path.read_bytes() == before
    assert "day.inertian" in asked[0][1]
    qtbot.waitUntil(lambda: not window.document.history.unsaved, timeout=10_000)
    window.document.path = path
    if why == "protected":
        window.project_files.save()  # answered with nothing: nothing is written
        assert path.read_bytes() == before
        window.project_files.save()
        qtbot.waitUntil(lambda: path.read_bytes() != before, timeout=10_000)


def test_an_unforeseen_error_is_told_with_the_work_kept_and_can_be_copied(
    open_window, demo, qtbot, monkeypatch, tmp_path
):
    window = open_window(demo, verdicts=False)
    edited(window)
    reports = window.error_reports

    def out_of_memory(_project, _path):
        raise MemoryError

    monkeypatch.setattr(saving, "save", out_of_memory)
    monkeypatch.setattr(window.project_files, "_ask_path", lambda: tmp_path / "a.inertian")
    monkeypatch.setattr(project_files, "ask", lambda *_a: QMessageBox.StandardButton.Save)
    reports.watch()
    try:
        window.close()  # *Save* is answered, which fails: the window stays
        assert window.isVisible()
        assert window.document.history.unsaved
        qtbot.waitUntil(lambda: reports.dialog is not None, timeout=5000)
        said = " ".join(one.text() for one in reports.dialog.findChildren(QLabel))
    finally:
        reports.leave()
    folder = window.project_files.keep_now()
    assert str(folder) in said
    assert "not enough memory" in said
    assert (folder / "index.json").is_file()
    reports.dialog.copy.click()
    copied = QApplication.clipboard().text()
    assert "MemoryError" in copied
    assert str(Path.home()) not in copied
    reports.dialog.reject()
    assert reports.dialog is None
