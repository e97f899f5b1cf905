"""What keeps a train working: tasks, the log that is kept, what is due, what the house really uses."""
