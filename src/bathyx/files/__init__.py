"""Files: read with limits, written whole or not at all, and never over what another has written meanwhile."""

from bathyx.files.hold import FileHold, Holder, sweep_holds
from bathyx.files.read import MOST_BYTES, ReadError, read_text
from bathyx.files.write import WriteError, sweep_parts, write_bytes, write_text

__all__ = [
    "MOST_BYTES",
    "FileHold",
    "Holder",
    "ReadError",
    "WriteError",
    "read_text",
    "sweep_holds",
    "sweep_parts",
    "write_bytes",
    "write_text",
]
