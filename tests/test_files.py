"""Reading delimited text: the same recording in many spellings, and input that is no recording."""

import contextlib

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inertian.files.delimited import UnreadableFileError, read_trial, trial_of_bytes
from inertian.quantities.errors import InertianError
from inertian.rink.day import day

ROWS = [(0.0, 12.5, 300.25), (0.02, 14.0, 300.5), (0.04, 15.75, None), (0.06, 17.25, 300.0)]


def table(
    delimiter="\t",
    decimal=".",
    header=("time (s)", "heavy (cm)", "light (cm)"),
    preamble=(),
    end="\n",
    encoding="utf-8",
):
    lines = [*preamble, *([delimiter.join(header)] if header else [])]
    lines += [delimiter.join("" if v is None else repr(v).replace(".", decimal) for v in row) for row in ROWS]
    return (end.join(lines) + end).encode(encoding)


@pytest.mark.parametrize(
    "content",
    [
        table(),
        table(";", ","),
        table(","),
        table("\t", ","),
        table(preamble=("# camera 3", "# lane 2; 50 frames/s", "")),
        table(end="\r\n"),
        table(end="\r"),
        table(header=("Zeit [s]", "heavy [cm]", "light [cm]")),
        table(encoding="utf-8-sig"),
        table(encoding="utf-16"),
        table() + b"end of recording\n",
        table(",", header=("time (s)", '"heavy (cm)"', '"light (cm)"')),
    ],
)
def test_one_recording_in_many_spellings_reads_the_same(content):
    trial = trial_of_bytes("run_3.tsv", content)
    assert trial.name == "run 3"
    assert [b.name for b in trial.bodies] == ["heavy", "light"]
    assert trial.t == pytest.approx([0.0, 0.02, 0.04, 0.06])
    assert trial.body("heavy").channel("x").si == pytest.approx([0.125, 0.14, 0.1575, 0.1725])
    light = trial.body("light").channel("x").si
    assert light[[0, 1, 3]] == pytest.approx([3.0025, 3.005, 3.0])
    assert np.isnan(light[2])
    assert len(trial.provenance.sha256) == 64
    assert trial.provenance.content == content


def test_axes_units_and_other_columns_are_told_apart_and_said():
    text = "t [ms];puck x [mm];puck y [mm];speed [m/s];remark\n0;1,5;2;9,0;a\n10;2,5;3;9,1;b\n20;3,5;4;9,2;c\n"
    trial = trial_of_bytes("a.csv", text.encode())
    assert [(b.name, b.axes) for b in trial.bodies] == [("puck", ("x", "y"))]
    assert trial.t == pytest.approx([0.0, 0.01, 0.02])
    assert trial.body("puck").channel("y").si == pytest.approx([0.002, 0.003, 0.004])
    said = " | ".join(trial.provenance.understood)
    assert "semicolon between columns, decimal comma" in said
    assert "speed [m/s]” left out" in said


def test_unusable_lines_are_listed_with_number_text_and_reason():
    content = b"time (s)\theavy (m)\n0\t1\n-- lost --\n1\t2\n\t3\n2\t4\n"
    trial = trial_of_bytes("a.tsv", content)
    assert len(trial.t) == 3
    assert [(line, why) for line, _, why in trial.provenance.unusable] == [(3, "not a line of numbers"), (5, "no time")]


def test_missing_units_are_assumed_aloud():
    trial = trial_of_bytes("a.csv", b"time,x\n0,1\n1,2\n")
    assert [b.name for b in trial.bodies] == ["body"]
    assert any("no unit given for the time" in s for s in trial.provenance.understood)
    assert any("no unit given for “x”" in s for s in trial.provenance.understood)


@pytest.mark.parametrize(
    ("content", "why"),
    [
        (b"", "it is empty"),
        (b"  \n\n", "it is empty"),
        (b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR", "not a text file"),
        (b"Dear diary, today the ice was soft.\nWe slid.\n", "no table of numbers"),
        (b"<html><body>404</body></html>", "no table of numbers"),
        (b"a (m),b (m)\n1,2\n3,4\n", "no time column"),
        (b"time (kg),b (m)\n1,2\n3,4\n", "no unit of time"),
        (b"time (s),b (N)\n1,2\n3,4\n", "no column of positions"),
        (b"time (s),b (m)\n2,2\n1,4\n", "time does not always increase"),
        (b"time (s),b (m)\n1,2\n1,4\n", "time does not always increase"),
    ],
)
def test_what_is_no_recording_is_refused_in_words(content, why):
    with pytest.raises(InertianError, match=why) as refusal:
        trial_of_bytes("odd.csv", content)
    assert "odd" in str(refusal.value)


def test_a_missing_file_is_refused(tmp_path):
    with pytest.raises(UnreadableFileError, match="cannot be opened"):
        read_trial(tmp_path / "none.csv")


@settings(max_examples=300, deadline=1000)
@given(st.binary(max_size=400), st.integers(0, 400), st.integers(0, 60))
def test_mutated_files_never_end_in_a_traceback(noise, at, cut):
    content = day_bytes()[:600]
    mutated = content[:at] + noise + content[at + cut :]
    with contextlib.suppress(InertianError):
        assert len(trial_of_bytes("m.tsv", mutated).t) >= 2


_day: list[bytes] = []


def day_bytes():
    if not _day:
        _day.append(day()[0].content)
    return _day[0]


def test_the_rink_writes_the_same_files_each_time_and_reads_them_back(demo):
    assert day()[3].content == day()[3].content
    assert any(np.diff(entry.trial.t).max() > 0.03 for entry in demo.entries)  # some frames are lost
    for file, entry in zip(day(), demo.entries, strict=True):
        assert entry.trial.provenance.content == file.content
        assert entry.trial.provenance.unusable == ()
        seen = file.truth.position(entry.trial.t)
        for i, body in enumerate(entry.trial.bodies):
            away = body.channels[0].si - seen[i, 0]
            assert np.sqrt(np.mean(away**2)) < 0.002
