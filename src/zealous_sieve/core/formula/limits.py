"""What a formula may cost. Each limit has an error that names it."""

MAX_CHARACTERS = 20_000
MAX_NODES = 2_000
MAX_NESTING = 100
MAX_LENGTH = 10_000
"""Longest look back of one function, in bars."""
MAX_CALLS = 120
"""Most saved formulas that one formula calls, each counted once for every set of inputs."""
MAX_CALLS_DEEP = 48
"""Most formulas that call each other in a row."""
MAX_KEPT = 2_000
"""Formulas that are kept understood."""
MAX_LEVELS = 12
"""Most other timeframes and instruments within each other."""
MAX_EXTERNAL = 300
"""Most computations on other timeframes and instruments."""
MAX_SOUGHT = 12
"""So many unknown names are held against the known ones, to offer the nearest."""
MAX_TERMS = 5_000
"""Most distinct computations after functions have been opened up."""
