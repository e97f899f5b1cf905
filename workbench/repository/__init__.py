"""Rows <-> documents, and what was worked out of them."""
