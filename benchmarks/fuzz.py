"""Mutated files through the door: no traceback, no file over 5 s or 300 MB.

Run: .venv/bin/python benchmarks/fuzz.py 20000

Starts from the hand-made files of tests/ugly and changes bytes, lines, cells and lengths at random.
"""

import argparse
import json
import random
import resource
import sys
import time
import traceback
from pathlib import Path

from inertian.files.reader import read_bytes
from inertian.report.inspection import inspection_json

SEEDS = Path(__file__).parent.parent / "tests" / "ugly"
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


def run(count: int, seed: int) -> list[str]:
    """Read `count` mutated files and return what went wrong, one line each."""
    rng = random.Random(seed)
    seeds = [p for p in sorted(SEEDS.iterdir()) if p.name != "expected.json"]
    contents = {p: p.read_bytes() for p in seeds}
    troubles = []
    for number in range(count):
        path = rng.choice(seeds)
        content = mutate(contents[path], rng)
        begin = time.perf_counter()
        try:
            json.dumps(
                inspection_json([(path.name, read_bytes(path.name, content))]), allow_nan=False
            )
        except Exception:
            troubles.append(f"{number} {path.name}: {traceback.format_exc(limit=-3)}")
        took = time.perf_counter() - begin
        if took > 5.0:
            troubles.append(f"{number} {path.name}: {took:.1f} s")
    return troubles


def main() -> None:
    """Print troubles, the peak of memory, and leave with 1 if there were any."""
    parser = argparse.ArgumentParser()
    parser.add_argument("count", type=int, nargs="?", default=2000)
    parser.add_argument("--seed", type=int, default=1)
    chosen = parser.parse_args()
    begin = time.perf_counter()
    troubles = run(chosen.count, chosen.seed)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print("\n".join(troubles[:50]))
    took = time.perf_counter() - begin
    print(f"{chosen.count} files, {len(troubles)} troubles, peak {peak:.0f} MB, {took:.0f} s")
    sys.exit(bool(troubles) or peak > 600)


if __name__ == "__main__":
    main()
