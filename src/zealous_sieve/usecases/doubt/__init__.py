"""Doubting a sieve: what followed on its signals, against what usually follows."""
