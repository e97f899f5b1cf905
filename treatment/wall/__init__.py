"""Units and pipe on a wall: laid out from a train and the facts of a job, and measured as water feels it."""
