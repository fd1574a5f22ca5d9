"""The Lantern Coast: an invented federation of harbour towns, with its exchange and currencies.

Everything here is made by a seeded generator and comes out the same every time. No company,
currency or place is real.
"""
