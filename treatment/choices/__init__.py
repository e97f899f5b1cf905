"""The field of choices: many real trains of one job, each run, audited and priced, and the ones that nothing beats."""
