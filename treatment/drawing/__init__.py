"""Geometry only: plain shapes in picture units, drawn by templates."""
