"""A train and water running through it: rooms, stages as they stand, runs, pressure."""
