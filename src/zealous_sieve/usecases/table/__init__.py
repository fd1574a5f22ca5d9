"""What lies on the table: instruments, bars, universes, and how they come there."""
