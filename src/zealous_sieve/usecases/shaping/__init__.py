"""Shaping an idea: formulas and sieves as they are written, tried and kept."""
