"""Tables of record: a firm, its people, jobs, samples, trains, runs, logs, catalogues. Nothing is decided here."""
