"""What a designer tells of a job: its facts, its limits, values and feed limits of its own."""
