"""Charts, whatever they are of."""
