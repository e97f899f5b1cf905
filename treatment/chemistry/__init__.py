"""Acids, bases, calcite, and the water as an immutable state."""
