"""./cairn golden: what differs from the golden designs, stage by stage; with --freeze, freeze them anew.

Freeze only what was looked at, in a commit of its own that says why.
"""

from __future__ import annotations

import argparse
import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from treatment.tests import golden


def main() -> int:
    """Exit status 1 where something differs and nothing is frozen."""
    parser = argparse.ArgumentParser(prog="cairn golden")
    parser.add_argument("names", nargs="*", help="jobs to look at; all of them where none is named")
    parser.add_argument("--freeze", action="store_true", help="keep what comes out today")
    parser.add_argument("--draw", action="store_true", help="draw the jobs anew (with --freeze)")
    parser.add_argument("--values", action="store_true", help="leave out differences in the words of a working")
    parser.add_argument("--wordless", action="store_true", help="take the words out of both: what is left is more than words")
    parser.add_argument("--most", type=int, default=12, help="differences to print of one job")
    options = parser.parse_args()
    if options.draw or not golden.PACKED.exists():
        rows: list[dict[str, Any]] = [{"name": name, "job": job, "design": None} for name, job in (golden.demo_jobs() | golden.varied_jobs()).items()]
    else:
        rows = [row for row in golden.frozen() if not options.names or row["name"] in options.names]
    with ProcessPoolExecutor() as pool:
        today = list(pool.map(golden.worked, [row["job"] for row in rows]))
    if options.freeze:
        everything = rows if options.draw or not golden.PACKED.exists() else golden.frozen()
        fresh = {row["name"]: design for row, design in zip(rows, today, strict=True)}
        golden.pack([row | {"design": fresh.get(row["name"], row["design"])} for row in everything])
        print(f"{len(fresh)} designs frozen, {golden.PACKED.stat().st_size / 1000:.0f} kB")
        return 0
    if options.wordless:
        rows = [row | {"design": golden.wordless(row["design"])} for row in rows]
        today = [golden.wordless(each) for each in today]
    return show(rows, today, options.values, options.most)


def show(rows: list[dict[str, Any]], today: list[dict[str, Any]], values: bool, most: int) -> int:
    """Print what differs; 1 where something does."""
    counted: Counter[str] = Counter()
    for row, now in zip(rows, today, strict=True):
        found = [each for each in golden.differences(row["design"], now) if not (values and ".working[" in each[0])]
        counted["same" if not found else "differ"] += 1
        if found:
            print(f"{row['name']}: {len(found)} places")
            for path, was, is_now in found[:most]:
                print(f"  {path}\n    was {str(was)[:200]}\n    now {str(is_now)[:200]}")
    print(", ".join(f"{count} {what}" for what, count in counted.items()))
    return int(counted["differ"] > 0)


if __name__ == "__main__":
    sys.exit(main())
