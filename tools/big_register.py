"""A register of many tanks and readings, made by the rules of the chain but in one go, for measures of searching and opening."""

from __future__ import annotations

import json
import random
import sqlite3
from pathlib import Path

from bathyx.demo import jobs
from bathyx.register import Register
from bathyx.register.ledger.chain import FIRST_HASH, Head, digest_of, sha256
from bathyx.register.ledger.models import search_words

FLUIDS = ("diesel", "hydraulic", "water", "grey_water", "coolant")
SYLLABLES = (
    "lun",
    "nick",
    "od",
    "mar",
    "whin",
    "low",
    "hal",
    "vale",
    "kel",
    "der",
    "tor",
    "rick",
    "bram",
    "sted",
    "fen",
    "wick",
)
A_BATCH = 100


def fill(path: Path, tanks: int, samples: int, seed: int = 1) -> list[str]:
    """Make the register at `path`; returns the uids. Each tank has a revision, a weld, a hold with readings and a test."""
    Register(path).close()
    dice = random.Random(seed)
    base = json.loads(jobs.dairy().to_json())
    with sqlite3.connect(path, isolation_level=None) as c:
        c.execute("PRAGMA synchronous = OFF")
        c.execute("PRAGMA foreign_keys = OFF")
        c.execute("DROP TRIGGER follow_entry")
        c.execute("BEGIN")
        count, previous = 0, FIRST_HASH
        uids = []

        def add(uid: str, revision: int, kind: str, subject: str, said: dict, at: str) -> int:
            nonlocal count, previous
            count += 1
            payload = json.dumps(said, sort_keys=True)
            made = digest_of(previous, count, uid, revision, kind, subject, payload, "Marn", at, None)
            c.execute(
                "INSERT INTO entry VALUES (?,?,?,?,?,?,?,?,?,?,?)",
                (count, uid, revision, kind, subject, payload, "Marn", at, None, previous, made),
            )
            previous = made
            return count

        each = samples // tanks
        for k in range(tanks):
            uid, serial = f"tank-{k:08d}", f"TT-{2000 + k * 26 // tanks}-{k:06d}"
            at = f"{2000 + k * 26 // tanks}-{1 + k % 12:02d}-{1 + k % 28:02d}T08:00:00+00:00"
            customer = "".join(dice.choice(SYLLABLES) for _ in range(3)).title()
            name, fluid = f"{customer} no. {k}", FLUIDS[k % len(FLUIDS)]
            base["uid"] = uid
            base["brief"] |= {"name": name, "customer": customer, "fluid": fluid}
            document = json.dumps(base)
            c.execute("INSERT INTO job VALUES (?,?,?)", (uid, serial, at))
            add(uid, 0, "opening", serial, {"serial": serial, "opened_at": at}, at)
            row = {"name": name, "customer": customer, "fluid": fluid, "at": at}
            c.execute(
                "INSERT INTO revision VALUES (?,?,1,?,?,?,?,?,?)",
                (k + 1, uid, name, customer, fluid, at, document, sha256(document)),
            )
            c.execute(
                "INSERT INTO mark VALUES (?,?,1,?,?,?,?,?,?)",
                (k + 1, uid, serial, name, customer, fluid, at, search_words(serial, name, customer, fluid)),
            )
            add(uid, 1, "revision", "revision 1", row | {"number": 1, "sha256": sha256(document)}, at)
            add(uid, 1, "weld", "S1", {"edge": "bottom/rear", "amps": "120", "visual": "good"}, at)
            hold = add(uid, 1, "hold", "tank", {}, at)
            for first in range(0, each, A_BATCH):
                rows = [[float(t), 20.0, 18.0, 101.3] for t in range(first, min(first + A_BATCH, each))]
                add(uid, 1, "readings", str(hold), {"rows": rows}, at)
            add(uid, 1, "test", "tank", {"hold": hold, "verdict": "tight", "method": "decay", "target_kpa": 20.0}, at)
            uids.append(uid)
        c.execute("COMMIT")
        from bathyx.register.ledger.guards import sqlite_guards

        c.execute(sqlite_guards()["follow_entry"])
        c.execute("ANALYZE")
    register = Register(path)
    register.place.heads.note(Head(count, previous), "2026-01-01")
    register.close()
    return uids
