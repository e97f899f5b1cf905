"""Fails where a document made from the code is out of date."""

import sys

from generated import ROOT, generated

stale = [path for path, text in generated().items() if not path.exists() or path.read_bytes() != text]
for path in stale:
    print(f"{path.relative_to(ROOT)} is out of date: run scripts/write_generated.py", file=sys.stderr)
sys.exit(bool(stale))
