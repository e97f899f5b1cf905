"""What the samples say: design water, verdicts, symptoms, kits, reports."""
