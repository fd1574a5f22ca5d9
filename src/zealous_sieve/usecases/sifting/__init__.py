"""Runs, and what comes out of them."""
