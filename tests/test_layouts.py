"""Where things stand in files: long tables, blocks, clocks of their own, restarts, packages,
archives, flaws.
"""

import io
import json
import zipfile

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inertian.files.cells.findings import Code
from inertian.files.interpretation.data_checks import check_time, saturated_at, step_of
from inertian.files.interpretation.parsed_file import trial_name
from inertian.files.interpretation.parsed_trial import ParsedChannel
from inertian.files.interpretation.trial_separation import restarts
from inertian.files.reader import read_bytes, read_file
from inertian.files.trial_building import trials_of
from inertian.project.saving import save
from inertian.quantities.units import unit_of

METRE, NEWTON = unit_of("length", "m"), unit_of("force", "N")
VALUE = st.integers(-99_999, 99_999).map(lambda k: k / 1000)
NAMES = st.lists(
    st.sampled_from(["heavy", "light", "sled", "puck"]), min_size=2, max_size=4, unique=True
)


def codes(reading):
    return {f.code for f in reading.findings}


def values(trial, body, axis="x"):
    found = next(b for b in trial.bodies if b.name == body)
    return next(c for c in found.channels if c.axis == axis).si


@settings(max_examples=60, deadline=None)
@given(NAMES, st.integers(3, 12), st.data())
def test_a_long_table_gives_the_same_bodies_in_any_order_of_its_rows(names, n, data):
    columns = {b: data.draw(st.lists(VALUE, min_size=n, max_size=n)) for b in names}
    rows = [(k / 10, b, columns[b][k]) for k in range(n) for b in names]
    by_body = data.draw(st.booleans())
    rows = sorted(rows, key=lambda r: (names.index(r[1]), r[0])) if by_body else rows
    text = "time (s),body,x (m)\n" + "".join(f"{t},{b},{x}\n" for t, b, x in rows)
    trial = read_bytes("long.csv", text.encode()).trials[0]
    assert {b.name for b in trial.bodies} == set(names)
    for body, column in columns.items():
        np.testing.assert_allclose(values(trial, body), column)


@settings(max_examples=60, deadline=None)
@given(st.integers(2, 5), st.integers(4, 15), st.booleans(), st.booleans())
def test_trials_in_blocks_come_apart_by_header_blank_line_or_restart(trials, n, headers, blanks):
    text, wanted = "time (s),heavy (m)\n", []
    for k in range(trials):
        wanted.append([k + j * 0.25 for j in range(n)])
        if k and blanks:
            text += "\n"
        if k and headers:
            text += "time (s),heavy (m)\n"
        text += "".join(f"{j / 50},{x}\n" for j, x in enumerate(wanted[-1]))
    reading = read_bytes("blocks.csv", text.encode())
    assert len(reading.trials) == trials
    for trial, column in zip(reading.trials, wanted, strict=True):
        np.testing.assert_allclose(values(trial, "heavy"), column)
    assert (Code.TIME_RESTART in codes(reading)) == (not headers and not blanks)


@settings(max_examples=60, deadline=None)
@given(st.integers(4, 20), st.integers(4, 20), st.floats(0.001, 0.009))
def test_clocks_of_their_own_may_differ_in_length(n1, n2, late):
    t1, t2 = [k / 50 for k in range(n1)], [round(k / 25 + late, 6) for k in range(n2)]
    rows = []
    for k in range(max(n1, n2)):
        left = f"{t1[k]},{k + 0.5}" if k < n1 else ","
        right = f"{t2[k]},{10 - k}" if k < n2 else ","
        rows.append(f"{left},{right}\n")
    reading = read_bytes(
        "clocks.csv", ("t heavy (s),heavy (m),t light (s),light (m)\n" + "".join(rows)).encode()
    )
    assert codes(reading) <= {Code.CONSTANT}
    trial = trials_of(reading)[0]
    for body, times in (("heavy", t1), ("light", t2)):
        x = trial.body(body).channel("x").si
        np.testing.assert_allclose(trial.t[np.isfinite(x)], times)


def test_restarts_are_told_from_a_few_samples_out_of_order():
    assert restarts(np.array([0, 1, 2, 3, 0, 1, 2, 3.0])) == [4]
    assert restarts(np.array([0, 1, 3, 2, 4, 5.0])) == []
    assert restarts(np.array([5, 6, 7, 5.2, 6.2, 7.2, 5.1, 6.1])) == [3, 6]
    assert restarts(np.array([3, 2, 1, 0.0])) == []
    assert restarts(np.array([0, 1, 0, 1, 2.0]), marked=[2]) == [2]


@given(
    st.floats(0.001, 10),
    st.integers(5, 200),
    st.sets(st.integers(1, 150), max_size=4),
    st.integers(-(10**6), 10**9),
)
def test_an_even_step_is_found_though_samples_are_lost_at_any_offset(step, n, lost, start):
    kept = np.array([k for k in range(n) if k not in lost])
    times = start + kept * step
    if len(kept) > 4 * len(lost):
        assert step_of(times, 1e-7 * abs(start) * 1e-6) == pytest.approx(step, rel=1e-3)


def test_an_uneven_step_is_none_and_rounding_is_no_unevenness():
    assert step_of(np.array([0, 0.1, 0.25, 0.3, 0.5])) is None
    assert step_of(np.array([0.0, 0.033, 0.067, 0.1, 0.133, 0.167]), 0.0005) == pytest.approx(
        1 / 30, rel=0.01
    )
    assert step_of(np.array([1.0])) is None
    gates = np.array([0.41, 0.66, 1.20, 2.00])
    assert step_of(gates) is None
    assert check_time(gates) == []


def test_gaps_are_told_and_single_lost_frames_are_not():
    t = np.arange(50) / 50
    assert check_time(np.delete(t, [7, 20, 21])) == []
    assert [f.code for f in check_time(np.delete(t, range(20, 30)))] == [Code.GAP]
    assert {f.code for f in check_time(np.array([0, 1, 1, 3, 2, 4.0]))} == {
        Code.TIME_NOT_SORTED,
        Code.DUPLICATE_TIME,
    }


def channel(x, axis="x"):
    return ParsedChannel(axis, "c", NEWTON if axis == "F" else METRE, np.asarray(x, dtype=float))


def test_a_sensor_at_its_end_is_told_from_rest_turning_and_walls():
    t = np.linspace(0, 2, 81)
    bump = 80 * np.exp(-(((t - 1) / 0.2) ** 2))
    assert saturated_at(channel(np.minimum(np.round(bump, 1), 50), "F")) == 50
    assert saturated_at(channel(np.round(bump, 1), "F")) is None
    for fine in (
        np.round(1 - (t - 1) ** 2, 2),  # a turning point, coarse
        np.round(np.minimum(t, 1.2), 3),  # runs into a wall and stays
        np.round(np.maximum(t - 0.8, 0), 3),  # rests, then goes
        np.round(np.abs(t - 1), 3),  # bounces off
        np.where(t < 1, 0.0, 5.0),  # switched
    ):
        assert saturated_at(channel(fine)) is None
    cut = np.clip(np.round(2 * np.sin(4 * t), 4), -9, 1.5)
    assert saturated_at(channel(cut)) == 1.5


TABLE = "t,heavy\n" + "".join(f"{k / 10},{k * 1.5}\n" for k in range(6))


def package(path="data/run.csv", inline=None):
    resource = {
        "name": "run",
        "schema": {"fields": [{"name": "t", "unit": "s"}, {"name": "heavy", "unit": "cm"}]},
    }
    return json.dumps(
        {"name": "p", "resources": [resource | ({"data": inline} if inline else {"path": path})]}
    )


def test_a_data_package_is_read_from_a_folder_with_the_units_of_its_schema(tmp_path):
    (tmp_path / "data").mkdir()
    (tmp_path / "data" / "run.csv").write_text(TABLE)
    (tmp_path / "datapackage.json").write_text(package())
    reading = read_file(tmp_path / "datapackage.json")
    assert reading.refused is None
    assert codes(reading) == set()
    np.testing.assert_allclose(values(reading.trials[0], "heavy"), np.arange(6) * 0.015)
    (tmp_path.parent / "secret.csv").write_text(TABLE)
    (tmp_path / "datapackage.json").write_text(package("../secret.csv"))
    assert read_file(tmp_path / "datapackage.json").refused is not None
    rows = [{"t": k / 10, "heavy": k} for k in range(4)]
    (tmp_path / "datapackage.json").write_text(package(inline=rows))
    np.testing.assert_allclose(
        values(read_file(tmp_path / "datapackage.json").trials[0], "heavy"), np.arange(4) / 100
    )


def test_our_own_projects_are_read_back_as_recordings_to_the_last_digit(demo, tmp_path):
    save(demo, tmp_path / "demo.inertian")
    reading = read_file(tmp_path / "demo.inertian")
    assert len(reading.trials) == len(demo.entries)
    for trial, entry in zip(reading.trials, demo.entries, strict=True):
        assert trial.name == entry.trial.name
        np.testing.assert_array_equal(trial.time.seconds, entry.trial.t)
        for body in entry.trial.bodies:
            for c in body.channels:
                np.testing.assert_array_equal(values(trial, body.name, c.axis), c.si)


def zipped(**members):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, content in members.items():
            archive.writestr(name.replace("__", "/").replace("_dot_", "."), content)
    return out.getvalue()


def test_archives_give_what_is_usable_and_say_what_is_not():
    inner = zipped(deep_dot_csv=TABLE)
    reading = read_bytes(
        "a.zip",
        zipped(
            run_dot_csv=TABLE,
            inner_dot_zip=inner,
            read_dot_txt="hello there",
            p_dot_png=b"\x89PNG\r\n\x1a\n\0",
        ),
    )
    assert [t.name for t in reading.trials] == ["deep", "run"]
    assert Code.BINARY in codes(reading)
    assert read_bytes("b.zip", zipped(read_dot_txt="hello there")).refused is not None
    assert "empty" in read_bytes("c.zip", zipped()).refused.why
    thrice = zipped(a_dot_zip=zipped(b_dot_zip=zipped(c_dot_csv=TABLE)))
    assert read_bytes("d.zip", thrice).refused is not None


@pytest.mark.parametrize(
    ("value", "bodies", "n"),
    [
        ([{"t": 0, "x": 1}, {"t": 1, "x": 2}, {"t": 2, "x": 4}], ["body"], 3),
        ({"t": [0, 1, 2], "x": [1, 2, 4]}, ["body"], 3),
        ({"time": {"unit": "ms", "values": [0, 1, 2]}, "heavy": {"unit": "cm", "values": [1, 2,
        3]}}, ["heavy"], 3),
        ({"columns": ["t", "heavy", "light"], "data": [[0, 1, 2], [1, 2, 2], [2, 3, 2]]}, ["heavy",
        "light"], 3),
        ({"bodies": [{"name": "heavy", "samples": [{"t": 0, "x": 1}, {"t": 1, "x": 2}]},
                     {"name": "light", "samples": [{"t": 0, "x": 5}, {"t": 1, "x": 5}]}]}, ["heavy",
                     "light"], 2),
        ({"run": {"results": {"samples": [{"t": k, "pos": {"x": k, "y": -k}} for k in range(5)]}}},
        ["body"], 5),
        ([[0, 1.5], [1, 2.5], [2, 3.5]], ["body"], 3),
    ],
)  # fmt: skip
def test_json_in_its_usual_shapes(value, bodies, n):
    reading = read_bytes("a.json", json.dumps(value).encode())
    assert reading.refused is None
    (trial,) = reading.trials
    assert [b.name for b in trial.bodies] == bodies
    assert len(trial.time.values) == n


def test_json_with_several_trials_keeps_their_names():
    value = {
        "trials": [{"name": k, "t": [0, 0.1, 0.2], "x": [1, 2, 4]} for k in ("first", "second")]
    }
    assert [t.name for t in read_bytes("a.json", json.dumps(value).encode()).trials] == [
        "first",
        "second",
    ]


@pytest.mark.parametrize(
    "text",
    [
        '{"t": [0, 1',
        '{"t": 1}',
        "[]",
        "{}",
        '[{"a": "x"}, {"a": "y"}]',
        "[1e999, 2",
        '{"a": [[[[]]]]}',
    ],
)
def test_json_without_a_table_is_refused_in_words(text):
    reading = read_bytes("a.json", text.encode())
    assert reading.refused is not None
    assert str(reading.refused).startswith("a.json: ")


@pytest.mark.parametrize(
    ("file", "name"),
    [("run_1.csv", "run 1"), ("a.b.tsv", "a.b"), ("In line 03.tsv", "In line 03"), ("x.csv.gz",
    "x"), (".csv", ".csv"),
     ("v1.25", "v1.25"), ("data", "data")],
)  # fmt: skip
def test_trials_are_named_after_their_files(file, name):
    assert trial_name(file) == name


def test_pieces_of_scientific_files_that_could_run_or_lie_are_refused():
    out = io.BytesIO()
    np.save(out, np.arange(6.0).reshape(3, 2))
    honest = out.getvalue()
    assert len(read_bytes("a.npy", honest).trials[0].time.values) == 3
    lying = honest.replace(b"(3, 2)", b"(9999999, 2)".ljust(6))
    assert read_bytes("a.npy", lying).refused is not None
    assert "dimensions" in read_bytes("a.npy", npy(np.zeros((2, 2, 2)))).refused.why
    assert read_bytes("a.parquet", b"PAR1" + b"\0" * 50 + b"PAR1").refused is not None
    assert read_bytes("a.h5", b"\x89HDF\r\n\x1a\n" + b"\0" * 50).refused is not None


def npy(array):
    out = io.BytesIO()
    np.save(out, array)
    return out.getvalue()


def test_trials_side_by_side_feed_one_body_and_keep_their_own_time_columns():
    rows = (
        "Run 1;;Run "
        "2;;Gate\nt/s;x/m;t/s;x/m;no\n0,0;1,00;0,0;2,00;1\n0,1;1,11;0,1;2,09;2\n0,2;1,19;0,2;2,31;3\n"
    )
    for first, second in (("Run 1", "Run 2"), ("Messreihe 1", "Messreihe 2")):
        reading = read_bytes(
            "runs.csv", rows.replace("Run 1", first).replace("Run 2", second).encode()
        )
        assert [(t.name, [b.name for b in t.bodies]) for t in reading.trials] == [
            (first, ["body"]),
            (second, ["body"]),
        ]
        assert [t.time.column for t in reading.trials] == [f"{first} t/s", f"{second} t/s"]
        assert reading.bodies_fed(reading.tables[0]) == {1: 0, 3: 0}
