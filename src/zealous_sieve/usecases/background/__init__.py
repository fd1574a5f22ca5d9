"""How the market stands: overview, boards, scatters, strength, outlooks."""
