"""Formulas as one trader would say them to another."""
