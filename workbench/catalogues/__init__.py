"""What a firm sells: its catalogues, read from tables, edited, each change a version; a job may be built of one."""
