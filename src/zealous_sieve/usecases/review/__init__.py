"""Deciding about hits, and what became of what was decided."""
