"""Memos that live with the object they are about: what is known of a shell goes when the shell goes."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from functools import wraps
from typing import Concatenate, ParamSpec, TypeVar

Of = TypeVar("Of")
Rest = ParamSpec("Rest")
Result = TypeVar("Result")


def remembered(
    most: int = 8,
) -> Callable[[Callable[Concatenate[Of, Rest], Result]], Callable[Concatenate[Of, Rest], Result]]:
    """Keep a function's `most` latest results in its first argument, which has to be an object that never changes.

    The other arguments are told apart by equality and have to be hashable.
    """

    def keep(function: Callable[Concatenate[Of, Rest], Result]) -> Callable[Concatenate[Of, Rest], Result]:
        name = f"_remembered_{function.__module__}.{function.__qualname__}"

        @wraps(function)
        def looked_up(of: Of, /, *args: Rest.args, **kwargs: Rest.kwargs) -> Result:
            rows: OrderedDict[object, Result] = of.__dict__.setdefault(name, OrderedDict())
            key = (args, tuple(kwargs.items())) if kwargs else args
            try:
                return rows[key]
            except KeyError:
                result = rows[key] = function(of, *args, **kwargs)
                # Another thread may be at it too: a row less or more is no harm.
                while len(rows) > most:
                    rows.popitem(last=False)
                return result

        return looked_up

    return keep
