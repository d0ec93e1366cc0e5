"""The base of every part of the job document: frozen, strict about unknown fields, finite numbers only.

What pydantic has against a value is said in Bathyx's own words: which field, what stands there, what would be right.
"""

from __future__ import annotations

from typing import Any, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError

from bathyx.errors import Refusal

MOST_PROBLEMS = 3
SHOWN_LETTERS = 60


class Frozen(BaseModel):
    """A value of the document. Edits make a new value: `part.model_copy(update=...)` after validation."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


Model = TypeVar("Model", bound=BaseModel)


def checked(model: type[Model], document: Any) -> Model:
    """A `model` of a plain document; Refusal that names field, value and what would be right."""
    try:
        return model.model_validate(document)
    except ValidationError as error:
        raise Refusal(explained(error, document)) from None


def explained(error: ValidationError, document: Any = None) -> str:
    """What pydantic found, one line a problem and at most three lines, in words a maker can act on."""
    problems = error.errors(include_url=False)
    lines = [_line(problem, document) for problem in problems[:MOST_PROBLEMS]]
    if len(problems) > MOST_PROBLEMS:
        lines[-1] += f" (and {len(problems) - MOST_PROBLEMS} more)"
    return "\n".join(lines)


def _line(problem: Any, document: Any) -> str:
    field = _place(problem["loc"], document)
    if not field and problem["type"] == "value_error":
        return _words(problem["type"], problem)  # it is about several parts and says which
    field = field or "the whole"
    value, kind = problem.get("input"), problem["type"]
    shown = "" if kind == "missing" or isinstance(value, (dict, list, tuple, BaseModel)) else f" is {_short(value)}"
    return f"{field}{shown}: {_words(kind, problem)}"


def _place(loc: tuple[int | str, ...], document: Any) -> str:
    """The path as it stands in the document: pydantic adds the name of a union's member, which nobody wrote."""
    steps, spot = [], document
    for k, step in enumerate(loc):
        there = (
            (isinstance(spot, dict) and step in spot)
            or (isinstance(spot, (list, tuple)) and isinstance(step, int) and step < len(spot))
            or k == len(loc) - 1
        )
        if document is None or there:
            name = str(step)[:SHOWN_LETTERS]
            steps.append(name if name.isprintable() else ascii(name).strip("'"))
        if there and spot is not None and k < len(loc) - 1:
            spot = spot[step]
    return ".".join(steps)


def _short(value: Any) -> str:
    if isinstance(value, bool) or value is None:
        return {True: "true", False: "false", None: "null"}[value]
    text = ascii(value[:SHOWN_LETTERS]) if isinstance(value, str) and not value[:SHOWN_LETTERS].isprintable() else (
        repr(value[:SHOWN_LETTERS]) if isinstance(value, str) else repr(value)[:SHOWN_LETTERS]
    )  # fmt: skip
    return text + ("…" if isinstance(value, str) and len(value) > SHOWN_LETTERS else "")


def _words(kind: str, problem: Any) -> str:
    ctx = problem.get("ctx") or {}
    if kind in _PLAIN:
        return _PLAIN[kind]
    if kind in _LIMITS:
        word, key = _LIMITS[kind]
        limit = ctx.get(key)
        return word.format(f"{limit:g}" if isinstance(limit, (int, float)) else limit)
    if kind in ("literal_error", "enum"):
        return f"should be one of {ctx['expected'].replace(chr(39), '')}"
    if kind == "union_tag_invalid":
        return f"its kind should be one of {ctx['expected_tags'].replace(chr(39), '')}"
    if kind in ("value_error", "assertion_error"):
        return str(ctx.get("error") or problem["msg"])
    return _PLAIN.get(kind.split("_")[0], "is nothing that belongs here")


_PLAIN = {
    "missing": "is missing; it has to be given",
    "extra_forbidden": "no such field here; correct its name or take it out",
    "float": "should be a number like 12.5",
    "int": "should be a whole number",
    "finite_number": "should be a finite number",
    "bool": "should be true or false",
    "string": "should be text in quotes",
    "tuple": "should be a list in square brackets",
    "list": "should be a list in square brackets",
    "model": "should be an object in braces",
    "dict": "should be an object in braces",
    "union_tag_not_found": "its field kind is missing; it says what the others mean",
}
_LIMITS = {
    "greater_than": ("should be above {}", "gt"),
    "greater_than_equal": ("should be {} or more", "ge"),
    "less_than": ("should be below {}", "lt"),
    "less_than_equal": ("should be {} at most", "le"),
    "string_too_long": ("should have {} letters at most", "max_length"),
    "string_too_short": ("should have {} letters or more", "min_length"),
    "too_long": ("should hold {} at most", "max_length"),
    "too_short": ("should hold {} or more", "min_length"),
}
