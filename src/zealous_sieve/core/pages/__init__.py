"""How pages are arranged, and what they reckon."""
