"""The train, drawn."""
