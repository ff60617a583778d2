"""Mutated recordings through every stage that a file meets: no traceback, no stage over 5 s.

Run: .venv/bin/python benchmarks/fuzz.py recordings 20000

Starts from the hand-made files of tests/ugly and the recordings of the rink, and changes bytes,
lines, cells, numbers and lengths at random. *reading* goes as far as `inspect` does, *recordings*
through `spans`, `derive` and `account` as well.
"""

import argparse
import json
import random
import resource
import signal
import sys
import time
import traceback
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from inertian.files.interpretation.parsed_file import ParsedFile
from inertian.files.reader import read_bytes
from inertian.motion.derivatives.derive import Method
from inertian.motion.derivatives.local_derivatives import parse_window
from inertian.project.typed_facts import fact_kinds, with_typed_fact
from inertian.report.accounted_files import project_of_files
from inertian.report.derived import derive_files, derived_json, parse_noise
from inertian.report.inspection import inspection_json
from inertian.report.ledgers import ledgers_json
from inertian.report.spans_found import spans_json

SEEDS = Path(__file__).parent.parent / "tests" / "ugly"
LIMIT_S = 5.0
GIVEN_UP_S = 60  # a stage is broken off, and told as such
PIECES = (
    b",", b";", b"\t", b"\n", b"\r", b'"', b"'", b"\0", b"\xff\xfe", b"\xef\xbb\xbf", b"NaN",
    b"1e999", b"-", b"=1+1",
    b"#",
    b"time (s)", b"[", b"{", b"PK\x03\x04", b"\x1f\x8b", b"999999999999999999999", b"1,234",
    b"1.234,5", b" " * 200,
    b"14:50:01", b"2026-11-25T14:50:01Z", b"<!DOCTYPE html>", "−µ°½".encode(), b"(((((",
    b"1" * 5000, b"[" * 3000,
)  # fmt: skip


def mutate(content: bytes, rng: random.Random) -> bytes:
    """Return content changed in one to five places."""
    data = bytearray(content[:200_000])
    for _ in range(rng.randint(1, 5)):
        at = rng.randint(0, len(data))
        match rng.randint(0, 7):
            case 0:
                data[at : at + rng.randint(1, 40)] = b""
            case 1:
                data[at:at] = rng.choice(PIECES)
            case 2:
                data[at:at] = rng.randbytes(rng.randint(1, 20))
            case 3:
                del data[at:]
            case 4:
                lines = bytes(data).split(b"\n")
                rng.shuffle(lines)
                data = bytearray(b"\n".join(lines))
            case 5:
                old, new = rng.choice(PIECES), rng.choice(PIECES)
                data = bytearray(bytes(data).replace(old[:3], new[:40], rng.randint(1, 20)))
            case 6:
                part = bytes(data[at : at + rng.randint(1, 200)])
                data[at:at] = part * rng.randint(2, 30)
            case _:
                for k in range(at, min(at + 8, len(data))):
                    data[k] ^= 1 << rng.randint(0, 7)
    return bytes(data)


WILD = (0.0, 1.0, -1.0, 1e-300, 1e-30, 1e30, 1e99, -1e99, 1e15, 0.1 + 0.2, 2.0**-1074)


def wild_table(rng: random.Random) -> bytes:
    """Return a table of a motion, or of anything, with some of its numbers made wild."""
    random_numbers = np.random.default_rng(rng.getrandbits(64))
    n = int(10 ** rng.uniform(0.5, 3.6))
    t = np.arange(n) * 10 ** rng.uniform(-9, 4)
    if rng.random() < 0.4:
        t = t + random_numbers.normal(0, 10 ** rng.uniform(-3, 1), n) * (t[1] if n > 1 else 1.0)
        t = np.sort(t) if rng.random() < 0.7 else t
    columns = [t]
    for _ in range(rng.randint(1, 4)):
        x = _motion(random_numbers, rng, n)
        for _ in range(rng.choice((0, 0, 1, 3, n // 10, n // 2))):
            x[rng.randrange(n)] = rng.choice((*WILD, np.nan, float(x[rng.randrange(n)])))
        if rng.random() < 0.3:
            x = np.round(x, rng.randint(0, 6))
        columns.append(x * 10 ** rng.uniform(-12, 12) if rng.random() < 0.2 else x)
    head = "t (s)," + ",".join(f"body{k} (m)" for k in range(1, len(columns)))
    rows = "\n".join(",".join(f"{v:.9g}" for v in row) for row in np.column_stack(columns))
    return f"{head}\n{rows}\n".encode()


def _motion(random_numbers: np.random.Generator, rng: random.Random, n: int) -> np.ndarray:
    s = np.linspace(0.0, 1.0, n)
    kind = rng.randint(0, 8)
    noise = random_numbers.normal(0.0, 10 ** rng.uniform(-9, 0), n)
    shapes = (
        s,
        np.abs(s - rng.random()),
        np.sin(10 ** rng.uniform(0, 3) * s),
        np.cumsum(random_numbers.normal(size=n)) / n,
        random_numbers.standard_cauchy(n),
        np.sign(np.sin(20 * s)),
        np.zeros(n),
        np.where(s < rng.random(), 0.0, 10 ** rng.uniform(-3, 6)),
        np.exp(np.clip(s * 10 ** rng.uniform(0, 2.3), None, 200)),
    )
    return np.array(shapes[kind] + (noise if rng.random() < 0.7 else 0.0))


def sources(count: int, seed: int, wild: float) -> Iterator[tuple[int, str, bytes]]:
    """Yield number, name and content of so many files."""
    rng = random.Random(seed)
    seeds = [p for p in sorted(SEEDS.iterdir()) if p.name != "expected.json"]
    contents = {p: p.read_bytes() for p in seeds}
    for number in range(count):
        if rng.random() < wild:
            table = wild_table(rng)
            yield number, "wild.csv", table if rng.random() < 0.8 else mutate(table, rng)
        else:
            path = rng.choice(seeds)
            yield number, path.name, mutate(contents[path], rng)


class GivenUpError(Exception):
    """A stage took far too long."""


def _give_up(_signal: int, _frame: object) -> None:
    raise GivenUpError


def accounted(name: str, parsed: ParsedFile) -> dict[str, Any]:
    """Return the accounts of a file, with a mass for each body and facts that call for more."""
    project, _, _ = project_of_files([(name, parsed)], [], False)
    wanted = [f"{fact} = 1.3 ± 0.1 kg" for fact in fact_kinds(project) if fact.startswith("mass")]
    for fact in (*wanted, "incline = 4 ± 1 °", "spring constant = 9 N/m", "spring at rest = 0 m"):
        project = with_typed_fact(project, fact) if project.entries else project
    return ledgers_json(project)[0]


def run(count: int, seed: int, stages: bool = False) -> list[str]:
    """Read `count` mutated files, and with `stages` find spans and derive as well; return what went
    wrong, one line each.
    """
    signal.signal(signal.SIGALRM, _give_up)
    troubles = []
    longest: dict[str, tuple[float, str]] = {}
    for number, name, content in sources(count, seed, 0.7 if stages else 0.0):
        parsed = None
        for stage in ("inspect", "spans", "derive", "account") if stages else ("inspect",):
            begin = time.perf_counter()
            signal.alarm(GIVEN_UP_S)
            try:
                if stage == "inspect":
                    parsed = read_bytes(name, content)
                    json.dumps(inspection_json([(name, parsed)]), allow_nan=False)
                elif stage == "spans":
                    json.dumps(spans_json([(name, parsed)])[0], allow_nan=False)
                elif stage == "account":
                    json.dumps(accounted(name, parsed), allow_nan=False)
                else:
                    found, _ = derive_files(
                        [(name, parsed)], Method.LOCAL, parse_window(""), parse_noise("")
                    )
                    made = derived_json(found, Method.LOCAL, Path("out.csv"), 0)
                    json.dumps(made, allow_nan=False)
            except BaseException as error:
                if isinstance(error, KeyboardInterrupt):
                    raise
                troubles.append(f"{number} {name} {stage}: {traceback.format_exc(limit=-3)}")
                print(troubles[-1], flush=True)
            signal.alarm(0)
            took = time.perf_counter() - begin
            longest[stage] = max(longest.get(stage, (0.0, "")), (took, f"{number} {name}"))
            if took > LIMIT_S:
                troubles.append(f"{number} {name} {stage}: {took:.1f} s, {len(content)} bytes")
                print(troubles[-1], flush=True)
            if parsed is None or parsed.refused is not None:
                break
    for stage, (took, which) in longest.items():
        print(f"longest {stage}: {took:.1f} s, {which}")
    return troubles


def main() -> None:
    """Print troubles, the peak of memory, and leave with 1 if there were any."""
    parser = argparse.ArgumentParser()
    parser.add_argument("what", choices=("reading", "recordings"))
    parser.add_argument("count", type=int, nargs="?", default=2000)
    parser.add_argument("--seed", type=int, default=1)
    chosen = parser.parse_args()
    begin = time.perf_counter()
    troubles = run(chosen.count, chosen.seed, chosen.what == "recordings")
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    took = time.perf_counter() - begin
    print(f"{chosen.count} files, {len(troubles)} troubles, peak {peak:.0f} MB, {took:.0f} s")
    sys.exit(bool(troubles) or peak > 600)


if __name__ == "__main__":
    main()
