"""Limits on what reading a stranger's file may cost."""

from __future__ import annotations

import resource
import signal
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from bathyx.errors import Refusal

GRACE_S = 5


@contextmanager
def limited(seconds: int, most_bytes: int, *, whole_process: bool = False) -> Iterator[None]:
    """Within it no more computing (s) and memory (bytes) than this; 0 for no limit.

    Past the first a Refusal is raised where the work is, past the second it is a Refusal too. A process whose only work that is
    (`whole_process`) is ended by the system some seconds later, if what reads heeds neither.

    Args:
        seconds: of computing, from now on.
        most_bytes: of memory of the whole process.
        whole_process: whether the limits stay to its end.
    """
    before, memory, handler = resource.getrlimit(resource.RLIMIT_CPU), resource.getrlimit(resource.RLIMIT_AS), None

    def over(_signal: int, _frame: Any) -> None:
        raise Refusal(
            f"it takes more than {seconds} s of computing: thin the file, or save it again from where it was made"
        )

    if seconds and threading.current_thread() is threading.main_thread():
        spent = resource.getrusage(resource.RUSAGE_SELF)
        until = int(spent.ru_utime + spent.ru_stime) + seconds
        handler = signal.signal(signal.SIGXCPU, over)
        resource.setrlimit(resource.RLIMIT_CPU, (until, until + GRACE_S if whole_process else before[1]))
    if most_bytes:
        resource.setrlimit(resource.RLIMIT_AS, (most_bytes, most_bytes if whole_process else memory[1]))
    try:
        yield
    except MemoryError:
        raise Refusal(f"it takes more than {most_bytes / 1e9:.0f} GB of memory: thin the file") from None
    finally:
        if not whole_process:
            if handler is not None:
                resource.setrlimit(resource.RLIMIT_CPU, before)
                signal.signal(signal.SIGXCPU, handler)
            resource.setrlimit(resource.RLIMIT_AS, memory)
