"""What may be written at a place of a formula."""
