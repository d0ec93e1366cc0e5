"""A study running in a process of its own, as its starter sees it."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import subprocess
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any, Literal

import bathyx
from bathyx.core.tables import own_now
from bathyx.studies.kinds import Kind

Word = Literal["progress", "so far", "result", "refused", "fault"]
Heard = Callable[[Word, Any], None]


def child_env() -> dict[str, str]:
    """The environment of a process that Bathyx starts: nothing is imported from the working folder or the home."""
    here = {Path.cwd(), Path.home()}
    parts = [part for part in os.environ.get("PYTHONPATH", "").split(os.pathsep) if Path(part).is_absolute()]
    parts = [part for part in parts if Path(part) not in here]
    path = dict.fromkeys([str(Path(bathyx.__file__).resolve().parents[1]), *parts])
    env = {name: value for name, value in os.environ.items() if name != "PYTHONSTARTUP"}
    return env | {"OPENBLAS_NUM_THREADS": "1", "PYTHONSAFEPATH": "1", "PYTHONPATH": os.pathsep.join(path)}


class Running:
    """Starts at once; `heard(word, value)` is called from a thread: `progress` (share) and `so far` (a result) now and then, and
    one of `result`, `refused` (words for the person) or `fault` (words for the log) at the end, unless it was stopped."""

    def __init__(self, kind: Kind, inputs: Any, heard: Heard) -> None:
        self.kind, self._heard = kind, heard
        self._stopped = False
        self._process = subprocess.Popen(
            [sys.executable, "-P", "-m", "bathyx.studies", kind.name],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            env=child_env(),
        )
        asked = kind.inputs_as.dump_json(inputs)
        threading.Thread(target=self._follow, args=(asked,), name=f"study {kind.name}", daemon=True).start()

    def stop(self) -> None:
        """Give it up: the process is ended, and nothing more is heard of it."""
        self._stopped = True
        self._process.kill()

    def _follow(self, asked: bytes) -> None:
        ended = False
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        try:
            self._process.stdin.write(own_now().encode() + b"\n" + asked + b"\n")
            self._process.stdin.flush()
            for line in self._process.stdout:
                word, value = json.loads(line)
                if word in ("result", "so far"):
                    value = self.kind.result_as.validate_python(value, strict=False)
                ended = ended or word not in ("progress", "so far")
                self._say(word, value)
        except (OSError, ValueError) as error:
            if not ended:
                self._say("fault", f"the study {self.kind.name} was not understood: {error}")
                ended = True
        finally:
            self._process.kill()
            code = self._process.wait()
            for pipe in (self._process.stdin, self._process.stdout):
                with contextlib.suppress(OSError):
                    pipe.close()
        if not ended:
            if code in (-signal.SIGXCPU, -signal.SIGKILL) and self.kind.most_s and not self._stopped:
                took = f"it takes more than {self.kind.most_s} s of computing, or more memory than there is"
                self._say("refused", f"{took}: thin the file, or save it again from the program that made it")
                return
            self._say("fault", f"the study {self.kind.name} ended without a word (exit code {code})")

    def _say(self, word: Word, value: Any) -> None:
        if not self._stopped:
            self._heard(word, value)
