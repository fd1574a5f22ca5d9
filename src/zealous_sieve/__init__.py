"""Zealous Sieve: formulas and conditions, sifted over a market, reviewed on charts."""

__version__ = "0.3.0"
