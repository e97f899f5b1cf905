"""What a log shows: the quality of its data, indicators, causes, the redesign."""
