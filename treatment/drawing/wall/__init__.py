"""The wall, drawn to scale."""
