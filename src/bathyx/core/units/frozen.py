"""The base of every part of the job document: frozen, strict about unknown fields, finite numbers only."""

from pydantic import BaseModel, ConfigDict


class Frozen(BaseModel):
    """A value of the document. Edits make a new value: `part.model_copy(update=...)` after validation."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
