"""Tables written elsewhere: how they are read, what of them is taken, and what it would change."""
