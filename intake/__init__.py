"""Files that strangers send -> sheets of text, each line with its place. Reads; understands nothing (`treatment.evidence.reports` does)."""
