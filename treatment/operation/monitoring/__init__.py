"""What is read at a train, and what to expect of it on a day: series, bands, trends."""
