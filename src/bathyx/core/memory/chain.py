"""A chain of steps: each names what it reads, and is worked out again only when that has changed in content."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

from bathyx.core.memory.content import digest
from bathyx.core.memory.store import MISSING, Store


@dataclass(frozen=True)
class Step:
    """A function and the (parameter, step or part) pairs that it reads. `plain`: its result is a value whose content is its key.
    `asks`: it is given what it reads first, and the answers to ask for the rest as it goes."""

    name: str
    run: Callable[..., Any]
    reads: tuple[tuple[str, str], ...]
    plain: bool = False
    asks: bool = False


class Chain:
    """Parts of a document, and steps over parts and earlier steps. Both are named; a step's parameters say what it reads."""

    def __init__(self) -> None:
        self._parts: dict[str, Callable[[Any], Any]] = {}
        self._steps: dict[str, Step] = {}

    def part(self, name: str, take: Callable[[Any], Any]) -> None:
        """A part of the document: its key is its content."""
        self._parts[name] = take

    def plain(self, name: str, run: Callable[..., Any], /, **under: str) -> None:
        """A step whose result is numbers, texts or models of the document: who reads it sees only a change of that."""
        self.step(name, run, **under)
        self._steps[name] = replace(self._steps[name], plain=True)

    def step(self, name: str, run: Callable[..., Any], /, *also: str, **under: str) -> None:
        """A step. Each parameter of `run` reads the part or step of its own name, or the one that `under` gives for it.

        `also`: what a function with keywords of any name reads besides.

        Raises LookupError for a parameter without a default that names nothing known: a step may only read earlier ones.
        """
        named = [p for p in inspect.signature(run).parameters.values() if p.kind is not inspect.Parameter.VAR_KEYWORD]
        optional = {p.name for p in named if p.default is not inspect.Parameter.empty and p.name not in under}
        reads = []
        for parameter in (*(p.name for p in named), *also):
            source = under.get(parameter, parameter)
            if source in self._parts or source in self._steps:
                reads.append((parameter, source))
            elif parameter not in optional:
                raise LookupError(f"step {name!r} reads {source!r}, which is neither a part nor an earlier step")
        self._steps[name] = Step(name, run, tuple(reads))

    def whole(self, name: str, run: Callable[[Any, Answers], Any], first: str, *rest: str) -> None:
        """A step that asks for what it reads as it goes: `run` gets `first` and the answers, of which `rest` may be asked for."""
        unknown = [source for source in (first, *rest) if source not in self._parts and source not in self._steps]
        if unknown:
            raise LookupError(f"step {name!r} reads {unknown[0]!r}, which is neither a part nor an earlier step")
        self._steps[name] = Step(name, run, tuple((source, source) for source in (first, *rest)), asks=True)

    def found(self, name: str) -> Step | None:
        """The step of this name; None for a part."""
        return self._steps.get(name)

    def part_of(self, name: str, document: Any) -> Any:
        """A part of a document."""
        return self._parts[name](document)

    def reads(self, name: str) -> tuple[str, ...]:
        """What a step reads, in words of the chain; nothing for a part."""
        return tuple(source for _, source in self._steps[name].reads) if name in self._steps else ()

    def parts_read(self, name: str) -> frozenset[str]:
        """The parts of the document that a step depends on, through whatever it reads."""
        if name in self._parts:
            return frozenset((name,))
        return frozenset(part for source in self.reads(name) for part in self.parts_read(source))

    def __iter__(self) -> Iterator[str]:
        """Names of the steps, in order."""
        return iter(self._steps)


class Answers:
    """What a chain says of one document: worked out when asked for, or taken from the store.

    Args:
        chain: of steps.
        document: whose parts they read.
        store: where results are kept.
    """

    def __init__(self, chain: Chain, document: Any, store: Store) -> None:
        self._chain, self._document, self._store = chain, document, store
        self._keys: dict[str, bytes] = {}
        self._read_keys: dict[str, bytes] = {}
        self._values: dict[str, Any] = {}

    def key(self, name: str) -> bytes:
        """The content key of a part or step: equal where everything that it reads is equal."""
        known = self._keys.get(name)
        if known is None:
            step = self._chain.found(name)
            known = digest(self[name]) if step is None or step.plain else self._read_key(step)
            self._keys[name] = known
        return known

    def _read_key(self, step: Step) -> bytes:
        known = self._read_keys.get(step.name)
        if known is None:
            known = digest(step.name, *[self.key(source) for _, source in step.reads])
            self._read_keys[step.name] = known
        return known

    def known(self, name: str) -> bool:
        """Whether it need not be worked out any more."""
        if name in self._values:
            return True
        step = self._chain.found(name)
        return step is None or self._store.get(name, self._read_key(step)) is not MISSING

    def __getitem__(self, name: str) -> Any:
        """The value of a part, or the result of a step."""
        if name not in self._values:
            self._values[name] = self._found(name)
        return self._values[name]

    def _found(self, name: str) -> Any:
        step = self._chain.found(name)
        if step is None:
            return self._chain.part_of(name, self._document)
        key = self._read_key(step)
        result = self._store.get(name, key)
        if result is MISSING and step.asks:
            result = step.run(self[step.reads[0][1]], self)
            self._store.put(name, key, result)
        elif result is MISSING:
            read = {parameter: self[source] for parameter, source in step.reads}
            result = step.run(**read)
            self._store.put(name, key, result)
        return result
