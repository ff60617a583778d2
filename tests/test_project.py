"""Edits and history, evaluation, saving, opening of damaged files, recovery."""

import contextlib
import json
import tempfile
import zipfile
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inertian.analysis.evaluation import Evaluator
from inertian.motion.fits.free_motion import FreeMotion
from inertian.physics.accounts.ledger import ENERGY
from inertian.physics.accounts.verdicts import Expectation
from inertian.physics.definitions.fact_names import mass_key
from inertian.project.edits import (
    edge_moved,
    expectation_set,
    fact_set,
    motion_set,
    span_moved,
    spans_suggested,
    trial_removed,
)
from inertian.project.encoding import ProjectFileError, encode
from inertian.project.history import Edit, History
from inertian.project.project import Project
from inertian.project.recovery import Recovery, leftovers
from inertian.project.saving import load, save
from inertian.project.schema import VERSION, SavedAnalysis
from inertian.quantities.facts import Fact, FactId, Meaning, parse_fact
from inertian.quantities.units import unit_of

KG = unit_of("mass", "kg")


def first(project):
    return project.entries[0].trial.id


def test_every_edit_is_undone_exactly_and_redone(demo):
    history, values = History(demo), [demo]
    gram = parse_fact("19100 g", "mass", KG)
    for edit in (
        lambda p: edge_moved(p, first(p), "before", "start", 0.3),
        lambda p: span_moved(p, first(p), "contact", 0.01),
        lambda p: fact_set(p, FactId(mass_key("heavy")), gram),
        lambda p: motion_set(p, "in line", FreeMotion.PARABOLA),
        lambda p: expectation_set(p, "in line", ENERGY, Expectation.CONSERVED),
        lambda p: spans_suggested(p, first(p)),
        lambda p: trial_removed(p, first(p)),
    ):
        made = edit(history.project)
        assert made.name
        assert history.do(made)
        values.append(history.project)
    for value in reversed(values[:-1]):
        history.undo()
        assert history.project is value
    assert history.undo_name is None
    for value in values[1:]:
        history.redo()
        assert history.project is value
    assert history.redo_name is None
    assert len({e.trial.id for e in values[-1].entries}) == len(values[-1].entries)


def test_an_edit_that_changes_nothing_leaves_no_trace(demo):
    history = History(demo)
    start = demo.entries[0].spans.named("before").start
    assert not history.do(edge_moved(demo, first(demo), "before", "start", start))
    assert not history.do(Edit("", demo))
    assert not history.unsaved
    history.do(edge_moved(demo, first(demo), "before", "start", 0.2))
    assert history.unsaved
    history.undo()
    assert not history.unsaved


def test_moving_one_span_fits_one_span_anew(demo, monkeypatch):
    from inertian.analysis import evaluation

    evaluator, calls = Evaluator(), []
    real = evaluation.fit_body
    monkeypatch.setattr(evaluation, "fit_body", lambda *a: calls.append(a[1:3]) or real(*a))
    evaluator.series(demo, "in line")
    assert len(calls) == 40
    calls.clear()
    evaluator.series(edge_moved(demo, first(demo), "before", "start", 0.21).project, "in line")
    assert sorted((body, span.name) for body, span in calls) == [
        ("heavy", "before"),
        ("light", "before"),
    ]
    calls.clear()
    evaluator.series(demo, "in line")
    assert calls == []


def test_results_are_cached_by_what_they_depend_on(demo):
    evaluator, trial = Evaluator(), first(demo)
    once = evaluator.accounts(demo, trial)
    assert evaluator.accounts(demo, trial) is once
    heavier = fact_set(demo, FactId(mass_key("heavy")), Fact(25.0, 0.1, Meaning.LIMITS, KG)).project
    assert (
        evaluator.accounts(heavier, trial).ledgers[0].opening.value > once.ledgers[0].opening.value
    )
    cold = Evaluator().accounts(heavier, trial).ledgers[0].unaccounted
    assert evaluator.accounts(heavier, trial).ledgers[0].unaccounted == cold


def _same(a: Project, b: Project):
    assert (a.name, a.series, dict(a.setup)) == (b.name, b.series, dict(b.setup))
    for old, new in zip(a.entries, b.entries, strict=True):
        assert (old.series, old.spans, old.trial.name) == (new.series, new.spans, new.trial.name)
        assert old.trial.provenance == new.trial.provenance
        assert old.trial.raw_time.tobytes() == new.trial.raw_time.tobytes()
        for body, again in zip(old.trial.bodies, new.trial.bodies, strict=True):
            for c, d in zip(body.channels, again.channels, strict=True):
                assert (c.axis, c.column, c.unit) == (d.axis, d.column, d.unit)
                assert c.raw.tobytes() == d.raw.tobytes()


def test_a_saved_project_comes_back_bit_for_bit_with_the_same_results(demo, tmp_path):
    edited = edge_moved(demo, first(demo), "before", "start", 1 / 3).project
    edited = expectation_set(
        edited, "in line", ENERGY, Expectation.GIVEN_E, parse_fact("0.85 ± 0.03", "number", KG)
    ).project
    path = tmp_path / "a.inertian"
    save(edited, path)
    again = load(path)
    _same(edited, again)
    for entry in edited.entries:
        old, new = (Evaluator().accounts(p, entry.trial.id) for p in (edited, again))
        for a, b in zip(old.ledgers, new.ledgers, strict=True):
            assert a.unaccounted == b.unaccounted
            assert a.judgement == b.judgement
    save(again, tmp_path / "b.inertian")
    assert path.read_bytes() == (tmp_path / "b.inertian").read_bytes()


@settings(max_examples=40, deadline=None)
@given(st.lists(st.floats(-9e29, 9e29, width=64), min_size=2, max_size=8))
def test_any_float_survives_the_file(values):
    from conftest import recording
    from inertian.project.encoding import decode
    from inertian.project.project import Entry, Series

    raw = [*values, np.nan]
    trial = recording(np.cumsum(np.full(len(raw), 0.1)), {"a": {"x": raw}})
    project = Project("p", (Entry(trial, "s"),), (Series("s"),))
    _same(project, decode("p", encode(project).__getitem__))


def test_the_file_is_an_open_data_package_any_spreadsheet_can_read(demo, tmp_path):
    save(demo, tmp_path / "a.inertian")
    with zipfile.ZipFile(tmp_path / "a.inertian") as archive:
        package = json.loads(archive.read("datapackage.json"))
        resource = package["resources"][0]
        header, row = archive.read(resource["path"]).decode().splitlines()[:2]
        assert header.split(",") == [f["name"] for f in resource["schema"]["fields"]]
        assert resource["schema"]["fields"][1]["unit"] == "cm"
        assert float(row.split(",")[1]) == demo.entries[0].trial.bodies[0].channels[0].raw[0]
        original = archive.read(f"sources/{demo.entries[0].trial.provenance.sha256}")
        assert original == demo.entries[0].trial.provenance.content


def test_the_documented_schema_is_the_one_in_use():
    documented = Path(__file__).parents[1] / "docs" / "schemas" / f"analysis-{VERSION}.json"
    assert json.loads(documented.read_text()) == SavedAnalysis.model_json_schema()


def _rewrite(path, target, changes):
    with zipfile.ZipFile(path) as old, zipfile.ZipFile(target, "w") as new:
        for name in old.namelist():
            content = changes.get(name, lambda c: c)(old.read(name))
            if content is not None:
                new.writestr(name, content)


@pytest.mark.parametrize(
    ("change", "why"),
    [
        (
            {"analysis.json": lambda c: c.replace(b'"version": 6', b'"version": 99')},
            "newer Inertian",
        ),
        ({"analysis.json": lambda c: c[: len(c) // 2]}, "damaged"),
        ({"analysis.json": lambda c: None}, "damaged"),
        ({"analysis.json": lambda c: b"[]"}, "damaged"),
        (
            {
                "analysis.json": lambda c: c.replace(b'"kind":"contact"', b'"kind":"x"').replace(
                    b'"contact"', b'"y"'
                )
            },
            "damaged",
        ),
        ({"analysis.json": lambda c: b"[" * 100_000}, "damaged"),
        ({"analysis.json": lambda c: c.replace(b'"start":', b'"start": 1e9, "was":')}, "damaged"),
        ({"datapackage.json": lambda c: b"{}"}, "damaged"),
    ],
)
def test_damaged_and_newer_files_are_refused_in_one_sentence(demo, tmp_path, change, why):
    save(demo, tmp_path / "a.inertian")
    _rewrite(tmp_path / "a.inertian", tmp_path / "bad.inertian", change)
    with pytest.raises(ProjectFileError, match=why) as refusal:
        load(tmp_path / "bad.inertian")
    assert "\n" not in str(refusal.value)


def test_changed_samples_are_noticed(demo, tmp_path):
    save(demo, tmp_path / "a.inertian")
    member = f"data/{first(demo)}.csv"
    _rewrite(
        tmp_path / "a.inertian",
        tmp_path / "b.inertian",
        {member: lambda c: c.replace(b"1", b"2", 1)},
    )
    with pytest.raises(ProjectFileError, match="changed or damaged"):
        load(tmp_path / "b.inertian")


@settings(max_examples=60, deadline=None)
@given(st.floats(0, 1), st.binary(min_size=1, max_size=8))
def test_truncated_and_overwritten_files_never_end_in_a_traceback(share, noise):
    content = _packed()
    at = int(share * len(content))
    for bad in (content[:at], content[:at] + noise + content[at + len(noise) :]):
        with contextlib.suppress(ProjectFileError):
            assert _load_bytes(bad).entries


_pack: list[bytes] = []


def _packed():
    if not _pack:
        from inertian.project.demo_project import demo_project

        with tempfile.TemporaryDirectory() as folder:
            save(demo_project(), Path(folder) / "a.inertian")
            _pack.append((Path(folder) / "a.inertian").read_bytes())
    return _pack[0]


def _load_bytes(content):
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "x.inertian"
        path.write_bytes(content)
        return load(path)


def test_saving_is_all_or_nothing(demo, tmp_path, monkeypatch):
    import os

    path = tmp_path / "a.inertian"
    save(demo, path)
    before = path.read_bytes()

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(ProjectFileError, match="No space left"):
        save(edge_moved(demo, first(demo), "before", "start", 0.4).project, path)
    monkeypatch.undo()
    assert path.read_bytes() == before
    assert [p.name for p in tmp_path.iterdir()] == ["a.inertian"]


def test_work_left_by_a_killed_session_is_offered_back(demo, tmp_path, monkeypatch):
    from inertian.project import recovery

    keeper = Recovery(tmp_path)
    edited = edge_moved(demo, first(demo), "before", "start", 0.25).project
    keeper.keep(demo, None)
    written = {p.name for p in next(tmp_path.iterdir()).iterdir()}
    keeper.keep(edited, tmp_path / "rink.inertian")
    now = {p.name for p in next(tmp_path.iterdir()).iterdir()}
    assert len(now - written) == 1  # the small analysis; raw data are written once
    assert leftovers(tmp_path) == []  # its session still runs
    monkeypatch.setattr(recovery, "_started", lambda pid: "another boot")
    (left,) = leftovers(tmp_path)
    _same(left.project, edited)
    assert left.path == tmp_path / "rink.inertian"
    keeper.forget()
    assert leftovers(tmp_path) == []
