"""Questions put to a finished design: mend it, compare it, what else, which test next, what the supply can do."""
