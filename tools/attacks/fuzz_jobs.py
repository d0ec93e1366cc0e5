"""Fuzzed job files, half made by the grammar of the document and half byte by byte: each is read or refused in words.

    python -m tools.attacks.fuzz_jobs [count] [seed]

A traceback, more than two seconds, a refusal without its place or a figure below zero is a failure; it is printed with its seed.
"""

from __future__ import annotations

import json
import math
import multiprocessing
import random
import re
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path
from typing import Any

from bathyx.core.evaluate import evaluate
from bathyx.core.job import read_job
from bathyx.demo import jobs
from bathyx.errors import MOST_LINES, Refusal
from bathyx.files import read_text
from bathyx.papers.figures import figures

SLOW_S = 2.0
# fmt: off
ODD: tuple[Any, ...] = (
    None, True, False, 0, -0.0, -1, 1, 0.5, 7, 20.001, 50, 200, 400, 599, 1e-12, 1e4, 1e5, 1e9, 1e17, -1e9, 2**63, 10**17,
    1e308, "", " ", "x", "0", "1/0", "387", '15 1/4"', "-5", "9" * 70, "diesel", "5083/3", "304/1.5", "5083/99", "top",
    "bottom", "front/top", "left end", "wrap", "bend", "weld", "\u0000", "\ud800", "\u202e", "<b>", "%%c",
    [], {}, [[]], [None], {"kind": "capacity"}, {"typed": "300"}, {"mm": 300},
)
PIECES = (
    b"\xef\xbb\xbf", b"\xff\xfe", b"\0", b"[" * 3000, b"9" * 5000, b'"', b"\\u", b"NaN", b"-", b"e999",
)
# fmt: on


def _spots(part: Any, way: tuple = ()) -> list[tuple]:
    found = [way] if way else []
    items = part.items() if isinstance(part, dict) else enumerate(part) if isinstance(part, list) else ()
    for key, value in items:
        found += _spots(value, (*way, key))
    return found


def by_grammar(dice: random.Random) -> bytes:
    """A sample job with a few of its parts exchanged, scaled, dropped, doubled or swapped; JSON throughout."""
    document = json.loads(dice.choice(list(jobs.ALL.values()))().to_json())
    gentle = dice.random() < 0.5
    for _ in range(dice.choice((1, 1, 1, 2, 3, 6))):
        spots = _spots(document)
        way = dice.choice(spots)
        holder = document
        for step in way[:-1]:
            holder = holder[step]
        last, what = way[-1], dice.randrange(8)
        value = holder[last]
        if gentle:
            if isinstance(value, float):
                holder[last] = value * dice.uniform(0.7, 1.4)
        elif what == 0 and isinstance(holder, dict):
            del holder[last]
        elif what == 1 and isinstance(holder, dict):
            holder[dice.choice(("colour", "x" * 200, "", str(last) + " "))] = dice.choice(ODD)
        elif what == 2 and isinstance(value, list):
            holder[last] = value * dice.choice((2, 3, 30, 500))
        elif what in (3, 4) and isinstance(value, (int, float)) and not isinstance(value, bool):
            holder[last] = value * dice.choice((-1, 0.01, 0.3, 0.9, 1.1, 1.7, 3, 10, 1000))
        elif what == 5:
            other = document
            for step in (away := dice.choice(spots))[:-1]:
                other = other[step]
            holder[last], other[away[-1]] = json.loads(json.dumps(other[away[-1]])), json.loads(json.dumps(value))
        else:
            holder[last] = dice.choice(ODD)
    return json.dumps(document).encode()


def by_bytes(dice: random.Random) -> bytes:
    """A sample job with bytes turned, cut, put in, doubled; or nothing like a job at all."""
    data = bytearray(dice.choice(list(jobs.ALL.values()))().to_json().encode())
    for _ in range(dice.choice((1, 1, 2, 5, 40))):
        at, what = dice.randrange(len(data) or 1), dice.randrange(8)
        if what == 0:
            data[at : at + 1] = bytes([dice.randrange(256)])
        elif what == 1:
            del data[at : at + dice.choice((1, 2, 10, 400))]
        elif what == 2:
            data[at:at] = bytes(dice.randrange(256) for _ in range(dice.choice((1, 3, 50))))
        elif what == 3:
            data = data[:at]
        elif what == 4:
            data[at:at] = data[at : at + dice.choice((5, 60, 900))]
        elif what == 5:
            data[at:at] = dice.choice(PIECES)
        elif what == 6:
            data[at:at] = dice.choice((b"{", b"}", b"]", b",", b":", b"//", b"null", b"true"))
        else:
            data = bytearray(
                dice.choice((b"", b"[]", b"7", b'"x"', b"{}", b'{"schema_version": 2}', bytes(range(256))))
            )
        if not data:
            break
    return bytes(data)


def attack(seed: int) -> tuple[str, float, str]:
    """(ok, refused, or what is bad; seconds; the message) of one fuzzed file."""
    dice = random.Random(seed)
    data = by_grammar(dice) if seed % 2 else by_bytes(dice)
    path = Path(tempfile.gettempdir()) / f"bathyx-fuzz-{multiprocessing.current_process().pid}.json"
    path.write_bytes(data)
    began = time.perf_counter()
    try:
        e = evaluate(read_job(read_text(path), path.name))
        if seed % 5 == 1:
            _sound(figures(e))
        outcome, said = "read", ""
    except Refusal as error:
        outcome, said = "refused", str(error)
    except Exception as error:
        outcome, said = "TRACEBACK", f"{type(error).__name__}: {error}"[:300]
    took = time.perf_counter() - began
    if outcome == "refused" and not _in_words(said):
        outcome = "UNCLEAR"
    if took > SLOW_S and outcome in ("read", "refused"):
        outcome = "SLOW"
    return outcome, took, said


def _in_words(said: str) -> bool:
    """At most three lines that can be printed, none of a library's own phrases, and a place or a thing that is named."""
    if said.count("\n") >= MOST_LINES or len(said) > 1200 or not said.replace("\n", "").isprintable():
        return False
    return not re.search(
        r"Extra inputs|valid (tuple|integer|number|string)|input geometry|pydantic|Traceback|object has no", said
    )


def _sound(part: Any, way: str = "") -> None:
    """AssertionError for a figure that is no number, or an area, mass, volume or length below zero."""
    if isinstance(part, dict):
        for key, value in part.items():
            _sound(value, f"{way}.{key}")
    elif isinstance(part, list):
        for value in part:
            _sound(value, way)
    elif isinstance(part, float):
        assert math.isfinite(part), way
        if re.search(r"area|mass_kg|capacity_l|weld_length|thickness|_l$|length_mm|open_share", way):
            assert part >= -1e-9, f"{way} is {part}"


def main(count: int = 20_000, first: int = 1) -> int:
    """Attack with `count` files in two processes, and print what came of it."""
    outcomes: Counter[str] = Counter()
    slowest, shown = (0.0, 0), 0
    with multiprocessing.Pool(2) as pool:
        for k, (outcome, took, said) in enumerate(pool.imap(attack, range(first, first + count), chunksize=50)):
            outcomes[outcome] += 1
            slowest = max(slowest, (took, first + k))
            if outcome.isupper() and shown < 20:
                shown += 1
                print(f"seed {first + k}: {outcome} after {took:.2f} s: {said}", flush=True)
    print(f"{count} fuzzed files: {dict(outcomes)}; the slowest took {slowest[0]:.2f} s (seed {slowest[1]})")
    return 1 if any(name.isupper() for name in outcomes) else 0


if __name__ == "__main__":
    sys.exit(main(*(int(x) for x in sys.argv[1:3])))
