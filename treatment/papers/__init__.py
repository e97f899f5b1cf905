"""What leaves the core as a document: the design file, materials."""
