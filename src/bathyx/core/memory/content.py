"""A key for what a value holds: the same for equal values, in every process."""

from __future__ import annotations

import hashlib
from typing import Any

from pydantic import BaseModel

SIZE = 16


def digest(*parts: Any) -> bytes:
    """16 bytes that stand for `parts`: models of the document, numbers, texts, or keys made before (bytes).

    >>> digest(1.5, "a") == digest(1.5, "a"), digest("ab") == digest("a", "b")
    (True, False)
    """
    made = hashlib.blake2b(digest_size=SIZE)
    for part in parts:
        text = part if isinstance(part, bytes) else _text(part).encode()
        made.update(f"{type(part).__name__}:{len(text)}:".encode())
        made.update(text)
    return made.digest()


def _text(part: Any) -> str:
    if isinstance(part, BaseModel):
        return part.model_dump_json()
    if isinstance(part, tuple):
        return "".join(f"{type(p).__name__}({_text(p)})" for p in part)
    return repr(part)
