"""The second pair of eyes: the rule registry, and what a rule may look at."""
