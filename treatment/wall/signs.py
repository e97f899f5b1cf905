"""Small fittings as lines, true to size where they stand: what the screen, the paper and the exchange file draw alike."""

from __future__ import annotations

from math import cos, pi, sin

from .parts import Fitting, Point

Lines = tuple[tuple[Point, ...], ...]
#: points round a gauge's dial
ROUND = 24


def lines_of(fitting: Fitting) -> Lines:
    """The lines of a small fitting [mm of the wall]; none for what is only a bend of the pipe, and for what is drawn in another way."""
    x, z, level = fitting.x, fitting.z, fitting.along == "h"
    if fitting.kind == "union":
        return (((x, z - 22), (x, z + 22)) if level else ((x - 22, z), (x + 22, z)),)
    if fitting.kind == "sample_tap":
        return (((x, z), (x - 34, z), (x - 34, z - 26)),)
    if fitting.kind == "restrictor":
        body = ((x - 24, z - 16), (x + 24, z - 16), (x + 24, z + 16), (x - 24, z + 16), (x - 24, z - 16))
        return body, ((x, z - 16), (x, z + 16)) if level else ((x - 24, z), (x + 24, z))
    if fitting.kind == "gauge":
        dial = tuple((x - 50 + 24 * cos(turn * 2 * pi / ROUND), z + 24 * sin(turn * 2 * pi / ROUND)) for turn in range(ROUND + 1))
        return ((x, z), (x - 26, z)), dial
    if fitting.kind == "air_gap":
        return (((x - 24, z - 55), (x - 24, z - 130), (x + 24, z - 130), (x + 24, z - 55)),)
    return ()
