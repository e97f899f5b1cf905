"""Rules about the whole job; those of one treatment stand in its room. Importing this registers them."""

from . import catalogue, evidence, install, needs, pressure, size

__all__ = ["catalogue", "evidence", "install", "needs", "pressure", "size"]
