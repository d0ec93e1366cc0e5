"""A record as read, and a tank as found."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

COLUMNS = "id, job_uid, revision, kind, subject, payload, who, at, corrects, hash"


@dataclass(frozen=True)
class Entry:
    """A record as read. `kept_here`: not on the server yet; its id is a stand-in that sorts after all others."""

    id: int
    job_uid: str
    revision: int
    kind: str
    subject: str
    payload: dict[str, Any]
    who: str
    at: str
    corrects: int | None
    hash: str
    kept_here: bool = False


@dataclass(frozen=True)
class Found:
    """A tank found in the register, by its newest revision."""

    uid: str
    serial: str
    name: str
    customer: str
    fluid: str
    opened_at: str
    revision: int


def entry_of(row: Any) -> Entry:
    """The Entry of a row of COLUMNS; a payload that is no JSON object reads as an empty one."""
    id_, uid, revision, kind, subject, payload, who, at, corrects, hash_ = row
    try:
        said = json.loads(payload)
    except (ValueError, TypeError):
        said = {}
    return Entry(id_, uid, revision, kind, subject, said if isinstance(said, dict) else {}, who, at, corrects, hash_)
