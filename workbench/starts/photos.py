"""Pictures as they come from phones: known by their content, scaled, and free of what the camera wrote into them."""

from __future__ import annotations

import io
from dataclasses import dataclass

LARGEST = 10_000_000
"""The largest picture that is taken [bytes]."""
SIDE = 1600
"""The longer side of what is kept [px]."""
PIXELS = 60_000_000
"""The most pixels that are unpacked."""
KINDS = ("JPEG", "PNG", "WEBP")


class NoPhoto(Exception):
    """What was sent is no picture that is kept; its text is meant for the person."""


@dataclass(frozen=True)
class Photo:
    """A picture as it is kept: JPEG, and its size in pixels."""

    image: bytes
    width: int
    height: int


def photo(raw: bytes) -> Photo:
    """A picture made small and plain. Raises NoPhoto for anything that is none, is too large, or is broken."""
    from PIL import Image, ImageOps, UnidentifiedImageError

    if len(raw) > LARGEST:
        raise NoPhoto(f"This is larger than {LARGEST // 1_000_000} MB; take it smaller.")
    try:
        with Image.open(io.BytesIO(raw), formats=KINDS) as opened:
            if opened.width * opened.height > PIXELS:
                raise NoPhoto("This picture has more points than any phone takes.")
            opened.draft("RGB", (SIDE, SIDE))
            upright = ImageOps.exif_transpose(opened).convert("RGB")
    except UnidentifiedImageError:
        raise NoPhoto("This is no picture in JPEG, PNG or WebP.") from None
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise NoPhoto("This picture is broken: take it again.") from None
    upright.thumbnail((SIDE, SIDE))
    plain = Image.new("RGB", upright.size)  # a new image carries nothing but its points
    plain.paste(upright)
    out = io.BytesIO()
    plain.save(out, "JPEG", quality=82, optimize=True)
    return Photo(out.getvalue(), *plain.size)
