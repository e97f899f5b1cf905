"""Pictures as they come from phones: known by their content, scaled, and free of what the camera wrote into them.

They are opened in a process of their own, like every foreign file: a small one may unpack to a gigabyte. The process reads the
file's bytes from its standard input and answers a line of JSON, then the picture.
"""

from __future__ import annotations

import io
import json
import sys
from dataclasses import dataclass

from .beside import Beside, NoTurn, TookTooLong, within

LARGEST = 10_000_000
"""The largest picture that is taken [bytes]."""
SIDE = 1600
"""The longer side of what is kept [px]."""
PIXELS = 60_000_000
"""The most pixels that are unpacked."""
KINDS = ("JPEG", "PNG", "WEBP")
WALL_S, CPU_S, MEMORY = 20, 15, 1200 * 1024 * 1024
WAIT_S = 20
BROKEN = "This picture is damaged. Take it again."


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
    if len(raw) > LARGEST:
        raise NoPhoto(f"This picture is larger than {LARGEST // 1_000_000} MB. Take a smaller one.")
    if not raw:
        raise NoPhoto("Choose a JPEG, PNG or WebP picture.")
    try:
        done = READER.run(raw)
    except NoTurn:
        raise NoPhoto("Other pictures are being read. Send this one again in a moment.") from None
    except TookTooLong:
        raise NoPhoto(BROKEN) from None
    head, _, image = done.stdout.partition(b"\n")
    try:
        answer = json.loads(head)
    except ValueError:  # it asked for more than a picture needs, and was ended
        raise NoPhoto(BROKEN) from None
    if "refused" in answer:
        raise NoPhoto(answer["refused"])
    return Photo(image, answer["width"], answer["height"])


def made_plain(raw: bytes) -> Photo:
    """The work itself, in this process. Raises NoPhoto."""
    from PIL import Image, ImageOps, UnidentifiedImageError

    try:
        with Image.open(io.BytesIO(raw), formats=KINDS) as opened:
            if opened.width * opened.height > PIXELS:
                raise NoPhoto("This picture has more pixels than any phone produces.")
            opened.draft("RGB", (SIDE, SIDE))
            try:
                upright = ImageOps.exif_transpose(opened).convert("RGB")
            except (OSError, MemoryError):
                raise
            except Exception:  # what a camera wrote beside the picture can be wrong in every way; the picture itself may be whole
                upright = opened.convert("RGB")
    except NoPhoto:
        raise
    except UnidentifiedImageError:
        raise NoPhoto("Choose a JPEG, PNG or WebP picture.") from None
    except Exception:
        raise NoPhoto(BROKEN) from None
    upright.thumbnail((SIDE, SIDE))
    plain = Image.new("RGB", upright.size)  # a new image carries nothing but its points
    plain.paste(upright)
    out = io.BytesIO()
    plain.save(out, "JPEG", quality=82, optimize=True)
    return Photo(out.getvalue(), *plain.size)


READER = Beside("intake.pictures", WAIT_S, WALL_S, within(CPU_S, MEMORY))


def main() -> None:
    """Read a picture from standard input and answer it small and plain, or say why it cannot be read."""
    try:
        made = made_plain(sys.stdin.buffer.read(LARGEST + 1))
    except NoPhoto as refused:
        sys.stdout.buffer.write(json.dumps({"refused": str(refused)}).encode() + b"\n")
        return
    sys.stdout.buffer.write(json.dumps({"width": made.width, "height": made.height}).encode() + b"\n" + made.image)


if __name__ == "__main__":
    main()
