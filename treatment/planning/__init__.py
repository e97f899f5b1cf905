"""Composes a train, says why, and audits any train for a job."""
