"""What the use cases need from outside, as Protocols."""
