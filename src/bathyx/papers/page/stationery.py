"""What the papers of a shop have in common: the sheet they are printed on, its address and mark, the line under each page."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from bathyx.core.job import Job
from bathyx.core.memory import digest
from bathyx.errors import Refusal
from bathyx.papers.seal import foot_words
from bathyx.register import JobRecord

MM_PT = 72 / 25.4
SHEETS_MM = {"a4": (210.0, 297.0), "a3": (297.0, 420.0), "letter": (215.9, 279.4), "tabloid": (279.4, 431.8)}
MARKS = (".png", ".jpg", ".jpeg")
MOST_ADDRESS, MOST_MARK_BYTES = 200, 5_000_000


@dataclass(frozen=True)
class Stationery:
    """`sheet` is one of `SHEETS_MM`; `foot` says what of the register a paper was made under; `mark` is a picture or None;
    `pictures`: the folder of those of used tanks."""

    sheet: str = "a4"
    foot: str = ""
    address: str = ""
    mark: Path | None = None
    pictures: Path | None = None

    @property
    def size_pt(self) -> tuple[float, float]:
        """Width and height of the sheet, points."""
        w, h = SHEETS_MM[self.sheet]
        return w * MM_PT, h * MM_PT

    def under(self, record: JobRecord) -> Stationery:
        """The same, for papers that are made of a record."""
        return replace(self, foot=foot_words(record))


def stamp(job: Job) -> str:
    """Eight figures that tell papers of one drawing from those of another: of the job's content."""
    return digest(job).hex()[:8]


def stationery(sheet: str = "a4", address: str = "", mark: str = "") -> Stationery:
    """Stationery of what a person typed.

    Args:
        sheet: a4, a3, letter or tabloid.
        address: of the shop, one line; empty for none.
        mark: path of a PNG or JPEG; empty for none.

    Raises:
        Refusal: for a sheet that is none, an address longer than a line, a mark that is not there or no such picture.
    """
    name = sheet.strip().lower()
    if name not in SHEETS_MM:
        raise Refusal(f"{sheet!r} is no sheet that papers are made for; there are {', '.join(SHEETS_MM)}")
    line = " ".join(address.split())
    if len(line) > MOST_ADDRESS:
        raise Refusal(f"an address of {len(line)} letters is no line; it has {MOST_ADDRESS} at most")
    return Stationery(name, address=line, mark=_mark(mark) if mark.strip() else None)


def _mark(typed: str) -> Path:
    path = Path(typed.strip()).expanduser()
    if path.suffix.lower() not in MARKS or not path.is_file():
        raise Refusal(
            f"{typed!r} is no picture that can be printed as the shop's mark; name a PNG or JPEG that is there"
        )
    if path.stat().st_size > MOST_MARK_BYTES:
        raise Refusal(f"{path.name} is larger than {MOST_MARK_BYTES // 1_000_000} MB; a mark is a small picture")
    try:
        from PIL import Image

        with Image.open(path) as image:
            image.verify()
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise Refusal(f"{path.name} is no picture that can be read: {error}") from error
    return path
