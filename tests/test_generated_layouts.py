"""Recordings written in random combinations of what loggers, spreadsheets and people do, and read
back.
"""

import random

import numpy as np
import pytest

from inertian.files.reader import read_bytes

BODIES = [
    "heavy",
    "light",
    "sled",
    "puck",
    "stone A",
    "Schlitten",
    "carro",
    "låda",
    "body 1",
    "2nd stone",
]
TIME_TITLES = {
    "s": ["time (s)", "t [s]", "Zeit / s", "Temps en s", "t in s", "time_s"],
    "ms": ["time (ms)", "t[ms]", "time_ms"],
}
MISSING = ["", "NA", "NaN", "--", "n/a", "null"]
SOME_LINES = ["battery low", "OK", "# nudged", "*** restart of sensor ***"]
PREAMBLES = [
    "Ice rink",
    "# lane 2",
    "recorded by Ada",
    "Date: 25.11.2026",
    "% v1.2",
    "",
    "Group 4, Tuesday",
]


def recording(rng):
    """What happened, and how somebody wrote it down."""
    n = rng.randint(5, 60)
    w = {
        "n": n, "unit": rng.choice(["m", "cm", "mm"]), "time": rng.choice(["s", "ms"]),
        "rate": rng.choice([10, 25, 50]),
        "bodies": rng.sample(BODIES, rng.randint(1, 3)), "axes": rng.choice([["x"], ["x"], ["x",
        "y"]]),
        "delimiter": rng.choice([",", ";", "\t", "|", " ; "]), "index": rng.random() < 0.3,
        "remark": rng.random() < 0.3,
        "speed": rng.random() < 0.2, "warmth": rng.random() < 0.2, "units_row": rng.random() < 0.25,
        "two_rows": rng.random() < 0.3, "trailing": rng.random() < 0.2,
        "blank_lines": rng.random() < 0.15,
        "preamble": [rng.choice(PREAMBLES) for _ in range(rng.randint(0, 4))],
        "quote": rng.random() < 0.15,
        "end": rng.choice(["\n", "\r\n", "\r"]),
        "encoding": rng.choice(["utf-8", "utf-8-sig", "utf-16", "latin-1"]),
        "last_end": rng.random() < 0.8, "messages": rng.random() < 0.25,
        "missing": rng.random() < 0.3,
    }  # fmt: skip
    w["decimal"] = "," if w["delimiter"] not in (",",) and rng.random() < 0.5 else "."
    w["two_rows"] = w["two_rows"] and len(w["axes"]) == 2 and not w["units_row"]
    start = {b: rng.uniform(0, 2) for b in w["bodies"]}
    w["truth"] = {
        (b, a): [round(start[b] + 0.3 * k / w["rate"] + rng.gauss(0, 0.002), 4) for k in range(n)]
        for b in w["bodies"] for a in w["axes"]
    }  # fmt: skip
    w["gone"] = {
        key: {k for k in range(1, n - 1) if w["missing"] and rng.random() < 0.08}
        for key in w["truth"]
    }
    return w


def title(w, body, axis):
    bare = f"{body} {axis}" if len(w["axes"]) > 1 else body
    return bare if w["units_row"] else f"{bare} ({w['unit']})"


def written(w, rng):
    per, decimals = {"m": (1, 4), "cm": (100, 2), "mm": (1000, 1)}[w["unit"]]
    keys = list(w["truth"])
    header, group, units = [], [], []
    if w["index"]:
        header, group, units = ["no."], [""], [""]
    header.append(rng.choice(TIME_TITLES[w["time"]]) if not w["units_row"] else "time")
    group, units = [*group, ""], [*units, w["time"]]
    for body, axis in keys:
        header.append(f"{axis} ({w['unit']})" if w["two_rows"] else title(w, body, axis))
        group.append(body if axis == "x" else "")
        units.append(w["unit"])
    for wanted, name, unit in (
        ("speed", "speed (m/s)", "m/s"),
        ("warmth", "temperature (°C)", ""),
        ("remark", "remark", ""),
    ):
        if w[wanted]:
            header.append(name)
            group, units = [*group, ""], [*units, unit]
    lines = list(w["preamble"])
    if w["two_rows"]:
        lines.append(w["delimiter"].join(group))
    lines.append(w["delimiter"].join(f'"{h}"' if w["quote"] else h for h in header))
    if w["units_row"]:
        lines.append(w["delimiter"].join(units))
    messages = []
    for k in range(w["n"]):
        t = k / w["rate"]
        cells = [str(k + 1)] if w["index"] else []
        cells.append(f"{t:.3f}" if w["time"] == "s" else f"{1000 * t:.0f}")
        for key in keys:
            gone = k in w["gone"][key]
            cells.append(
                rng.choice(MISSING) if gone else f"{per * w['truth'][key][k]:.{decimals}f}"
            )
        cells += [f"{0.3:.2f}"] * w["speed"] + ["-3.1"] * w["warmth"]
        cells = [c.replace(".", w["decimal"]) if c[-1:].isdigit() else c for c in cells]
        cells += [rng.choice(["", "", "ok", "ice cracked"])] * w["remark"]
        lines.append(
            w["delimiter"].join(f'"{c}"' if w["quote"] and c else c for c in cells)
            + w["delimiter"].strip(" ") * w["trailing"]
        )
        if w["messages"] and 0 < k < w["n"] - 1 and rng.random() < 0.05:
            lines.append(rng.choice(SOME_LINES))
            messages.append(len(lines))
        if w["blank_lines"]:
            lines.append("")
    text = w["end"].join(lines) + w["end"] * w["last_end"]
    return text.encode(w["encoding"], errors="replace"), messages


@pytest.mark.parametrize("seed", [*range(297), 1036, 1426, 3585, 4642])
def test_a_recording_is_read_back_however_it_was_written(seed):
    rng = random.Random(seed)
    w = recording(rng)
    content, messages = written(w, rng)
    reading = read_bytes("made.csv", content)
    if any(q.topic == "decimal" for q in reading.questions):
        return  # asked, and not guessed
    assert reading.refused is None, w
    (trial,) = reading.trials
    np.testing.assert_allclose(
        trial.time.seconds, [round(k / w["rate"], 3) for k in range(w["n"])], atol=1e-9
    )
    found = {(b.name, c.axis): c for b in trial.bodies for c in b.channels}
    assert set(found) == {(b, a) for b in w["bodies"] for a in w["axes"]}, w
    for key, column in w["truth"].items():
        x = np.array(column)
        x[list(w["gone"][key])] = np.nan
        np.testing.assert_allclose(found[key].si, x, atol=6e-5)
    assert [u.line for u in trial.unusable] == messages
