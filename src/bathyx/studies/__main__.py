"""The process that a study runs in: own rows of tables and inputs as lines of JSON in, [word, value] out; ends with its starter."""

from __future__ import annotations

import json
import os
import sys
import threading
import traceback
from typing import Any

from bathyx.core.tables import take_own
from bathyx.errors import Refusal
from bathyx.files.limits import limited
from bathyx.studies.kinds import KINDS

PROGRESS_STEP = 0.01


def main(name: str) -> int:
    """Run the study called `name` on the inputs that come in on standard input, behind the own rows of tables."""
    kind, out = KINDS[name], sys.stdout.buffer
    shown = -1.0

    def say(word: str, value: Any) -> None:
        out.write(json.dumps([word, value]).encode() + b"\n")
        out.flush()

    class Told:
        """What the study tells on its way."""

        def __call__(self, share: float) -> bool:
            nonlocal shown
            if abs(share - shown) >= PROGRESS_STEP:
                shown = share
                say("progress", share)
            return True

        def so_far(self, result: Any) -> None:
            say("so far", kind.result_as.dump_python(result, mode="json"))

    try:
        take_own(json.loads(sys.stdin.buffer.readline()))
        inputs = kind.inputs_as.validate_json(sys.stdin.buffer.readline())
        threading.Thread(target=_end_with_starter, daemon=True).start()
        with limited(kind.most_s, kind.most_bytes, whole_process=True):
            result = kind.run(inputs, Told())
        say("result", kind.result_as.dump_python(result, mode="json"))
    except BrokenPipeError:
        return 1
    except Refusal as error:
        say("refused", str(error))
    except Exception:  # noqa: BLE001 - told to the starter
        say("fault", traceback.format_exc())
    return 0


def _end_with_starter() -> None:
    """Nothing more comes in; when the line is closed, nobody waits for the result."""
    sys.stdin.buffer.read()
    os._exit(3)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1]))
