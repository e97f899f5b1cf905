"""Edits of a train as a document: each a command that says what it makes of the stages, and what it leaves alone."""
