"""The desk: what computations look at, and all that requests of every stage share."""
