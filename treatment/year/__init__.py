"""The year: a train run from draw to draw, with what its stages hold, use up and decide."""
