"""What of a frozen document the metal is cut to, and whose tank it says it is."""

from __future__ import annotations

import json
from functools import lru_cache

from bathyx.core.job import BUILT_PARTS, Job, JobError, read_job


def built_parts(job: Job) -> str:
    """What the metal is cut to, as text."""
    return json.dumps(job.model_dump(mode="json", include=set(BUILT_PARTS)), sort_keys=True)


@lru_cache(maxsize=64)
def built_of(document: str) -> str:
    """What the metal of a frozen document is cut to, as this Bathyx writes it; the document itself when it is unreadable."""
    try:
        return built_parts(read_job(document))
    except JobError:
        return document


@lru_cache(maxsize=64)
def customer_of(document: str) -> str:
    """The customer that a frozen document names; empty where it is unreadable."""
    try:
        return str(json.loads(document)["brief"]["customer"])
    except (ValueError, KeyError, TypeError):
        return ""
