"""./cairn bench --load | --faults [--odd N]: what a server of its own bears."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent))

from faults import faults
from load import load

parser = argparse.ArgumentParser(prog="./cairn bench")
parser.add_argument("--load", action="store_true", help="sixteen people for half a minute")
parser.add_argument("--faults", action="store_true", help="kills, bombs, slow clients and odd requests")
parser.add_argument("--odd", type=int, default=20_000, help="how many odd requests")
asked = parser.parse_args()
if asked.load:
    load()
if asked.faults:
    faults(asked.odd)
