"""How people write into a log: the line, names, what was done."""
