"""./cairn bench --load | --jobs | --faults [--odd N]: what a server of its own bears."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

sys.path[:0] = [str(Path(__file__).resolve().parent), str(Path(__file__).resolve().parents[2])]

from faults import faults  # noqa: E402
from jobs import jobs  # noqa: E402
from load import load  # noqa: E402
from years import years  # noqa: E402

parser = argparse.ArgumentParser(prog="./cairn bench")
parser.add_argument("--load", action="store_true", help="sixteen people for half a minute")
parser.add_argument("--jobs", action="store_true", help="eight people at a list of ten thousand jobs")
parser.add_argument("--faults", action="store_true", help="kills, bombs, slow clients, odd requests, years of log, doors, guesses, pictures, backup")
parser.add_argument("--odd", type=int, default=20_000, help="how many odd requests")
parser.add_argument("--readings", type=int, default=1_000_000, help="how many readings of a device")
asked = parser.parse_args()
if asked.load:
    load()
if asked.jobs:
    jobs()
if asked.faults:
    if asked.odd:
        faults(asked.odd)
    if asked.readings:
        years(asked.readings)
