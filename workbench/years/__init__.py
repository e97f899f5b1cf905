"""The year of a job's train, as its page shows it; the core runs it and draws it."""
