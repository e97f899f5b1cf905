"""Writes the documents made from the code."""

from generated import generated

for path, text in generated().items():
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(text)
