"""What a formula may cost. Each limit has an error that names it."""

MAX_CHARACTERS = 20_000
MAX_NODES = 2_000
MAX_NESTING = 100
MAX_LENGTH = 10_000
"""Longest look back of one function, in bars."""
MAX_TERMS = 5_000
"""Most distinct computations after functions have been opened up."""
