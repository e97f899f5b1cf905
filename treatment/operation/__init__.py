"""The years after: what has to be done to a train and when, what a log of readings tells, and why."""
