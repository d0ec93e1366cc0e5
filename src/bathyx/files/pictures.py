"""Pictures of used tanks, kept in the home: looked at, turned upright, made small, rid of where and by whom they were taken."""

from __future__ import annotations

import hashlib
import io
from pathlib import Path

from bathyx.files.read import ReadError, read_bytes
from bathyx.files.write import write_bytes

FOLDER, END = "pictures", ".jpg"
MOST_BYTES, MOST_PIXELS, SIDE_PX, QUALITY = 40_000_000, 80_000_000, 2000, 85
KINDS = ("JPEG", "PNG", "WEBP", "BMP", "TIFF")


def keep_picture(home: Path, source: Path) -> str:
    """Take a copy of a picture into the home; its name there, which is made of what it shows.

    Args:
        home: the shop's.
        source: a picture file of a camera or a phone.

    Raises:
        ReadError: no picture, or one that is too large, with what would be right.
        WriteError: where the copy cannot be written.
    """
    from PIL import Image, ImageOps, UnidentifiedImageError  # not at the start: only pictures need it

    data = read_bytes(source, MOST_BYTES)
    try:
        with Image.open(io.BytesIO(data), formats=KINDS) as picture:
            if picture.width * picture.height > MOST_PIXELS:
                raise ReadError(
                    f"{source.name} has {picture.width * picture.height / 1e6:.0f} million pixels; "
                    f"{MOST_PIXELS / 1e6:.0f} million are "
                    "the most"
                )
            upright = ImageOps.exif_transpose(picture).convert("RGB")
            upright.thumbnail((SIDE_PX, SIDE_PX))
            made = io.BytesIO()
            upright.save(made, "JPEG", quality=QUALITY)
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        if isinstance(error, ReadError):
            raise
        raise ReadError(
            f"{source.name} is no picture that can be read; a JPEG or PNG as a camera makes it would be"
        ) from None
    name = hashlib.sha256(made.getvalue()).hexdigest()[:24]
    path = home / FOLDER / f"{name}{END}"
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        write_bytes(path, made.getvalue())
    return name


def picture_at(folder: Path | None, name: str) -> Path | None:
    """Where a kept picture is; None where it is not, as on another bench.

    Args:
        folder: of the home's pictures.
        name: as it was kept.
    """
    path = None if folder is None else folder / f"{name}{END}"
    return path if path is not None and path.is_file() else None
