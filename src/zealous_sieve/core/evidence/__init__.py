"""What followed on a sieve's signals, against what usually follows, with the doubt that belongs to it."""
