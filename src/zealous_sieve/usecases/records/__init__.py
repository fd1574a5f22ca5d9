"""What is kept, as it is handed between use cases and whoever keeps it."""
