"""Computing apart from the processes that answer: bounded, stopped when nobody waits, and forgotten."""
